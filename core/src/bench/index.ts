export * from './run';
export * from './hold';
export * from './schedule';
