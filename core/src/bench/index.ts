export * from './run';
export * from './hold';
