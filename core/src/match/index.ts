export * from './candidates';
export * from './rank';
export * from './shelfTable';
export * from './select';
export * from './places';
export * from './staying';
export * from './reach';
export * from './schools';
