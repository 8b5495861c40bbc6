export * from './quantity';
export * from './jot';
