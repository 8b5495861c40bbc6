export * from './compare';
export * from './byMeasure';
export * from './sag';
export * from './newcomer';
export * from './board';
