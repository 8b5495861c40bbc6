export * from './options';
