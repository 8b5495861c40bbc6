export * from './voltageClass';
export * from './bleed';
export * from './exposure';
export * from './lockout';
export * from './stop';
export * from './fuse';
export * from './hazards';
export * from './moment';
