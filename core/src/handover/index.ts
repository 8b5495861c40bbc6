export * from './away';
export * from './known';
