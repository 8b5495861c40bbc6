export * from './usable';
export * from './life';
export * from './swaps';
