export * from './usable';
