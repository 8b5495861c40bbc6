export * from './types';
export * from './normalise';
export * from './ocv';
export * from './chemistry';
export * from '../problem';
export * from '../version';
export * from './check';
