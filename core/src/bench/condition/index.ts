export * from './conditionSticks';
export type { StickEvent } from './stick';
