export * from './stages';
export * from './order';
export * from './evidence';
export * from './facts';
export * from './measures';
export * from './route';
export * from './propose';
