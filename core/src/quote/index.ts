export * from './fromRecord';
export * from './ready';
