export * from './rank';
export * from './shelfTable';
export * from './select';
