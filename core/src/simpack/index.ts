export * from './random';
export * from './simulate';
export * from './cases';
export * from './live';
export * from './nickel';
export * from './particle';
export * from './physics';
export * from './shaken';
