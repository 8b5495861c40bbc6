export * from './least';
export * from './build';
export * from './plan';
export * from './joints';
