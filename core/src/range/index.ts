export * from './usable';
export * from './life';
