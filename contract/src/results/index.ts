export * from './spread';
export * from './insulation';
export * from './parts';
