export * from './quantity';
export * from './place';
export * from './ntc';
export * from './jot';
export * from './typed';
