export * from './limits';
export * from './location';
export * from './knownResistor';
export * from './series';
export * from './split';
export * from './causes';
export * from './report';
export * from './types';
