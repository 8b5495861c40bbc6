export * from './plan';
export * from './circuits';
