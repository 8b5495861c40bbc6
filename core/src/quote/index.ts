export * from './fromRecord';
