export * from './rates';
export * from './memory';
export * from './schools';
export * from './weigh';
