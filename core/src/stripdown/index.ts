export * from './problem';
export * from './least';
export * from './build';
export * from './plan';
export * from './joints';
export * from './wake';
export * from './lift';
export * from './closing';
