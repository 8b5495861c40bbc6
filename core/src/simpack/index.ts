export * from './random';
export * from './simulate';
