export * from './judge';
export * from './trace';
