export * from './check';
export * from './usedPack';
