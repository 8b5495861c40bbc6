export * from './away';
