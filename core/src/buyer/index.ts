export * from './check';
export * from './offer';
export * from './usedPack';
export * from './facts';
