export * from './compare';
export * from './byMeasure';
