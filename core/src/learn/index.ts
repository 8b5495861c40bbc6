export * from './rates';
export * from './memory';
