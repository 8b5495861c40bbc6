export * from './rates';
export * from './memory';
export * from './schools';
