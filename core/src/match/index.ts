export * from './rank';
export * from './shelfTable';
