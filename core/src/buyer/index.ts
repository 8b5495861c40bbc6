export * from './check';
