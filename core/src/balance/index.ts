export * from './plan';
export * from './circuits';
export * from './ways';
export * from './stringSim';
export * from './running';
