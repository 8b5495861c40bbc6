export * from './record';
export * from './mapping';
export * from './csv';
export * from './segments';
export * from './writeCsv';
