export * from './random';
export * from './simulate';
export * from './cases';
export * from './live';
