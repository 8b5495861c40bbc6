import type { Chemistry } from './types';

/** Voltage limits of one cell. A maker's own figure in the pack profile always wins over these. */
export interface CellLimits {
  emptyV: number;
  fullV: number;
  nominalV: number;
  /** Below this a lithium cell has been over-discharged. */
  floorV: number;
  /** Resolution the vehicle usually reports for one channel. */
  sensorStepV: number;
  source: string;
}

// Common practice of the trade, no source, but for the lithium floor, which is from memory (copper dissolution).
export const CELL_LIMITS: Record<Chemistry, CellLimits> = {
  nmc: {
    emptyV: 2.8,
    fullV: 4.2,
    nominalV: 3.65,
    floorV: 2.0,
    sensorStepV: 0.001,
    source: 'common practice',
  },
  nca: { emptyV: 2.7, fullV: 4.2, nominalV: 3.6, floorV: 2.0, sensorStepV: 0.001, source: 'common practice' },
  lmo: {
    emptyV: 2.8,
    fullV: 4.2,
    nominalV: 3.75,
    floorV: 2.0,
    sensorStepV: 0.001,
    source: 'common practice',
  },
  lfp: {
    emptyV: 2.5,
    fullV: 3.65,
    nominalV: 3.2,
    floorV: 2.0,
    sensorStepV: 0.001,
    source: 'common practice',
  },
  nimh: { emptyV: 1.0, fullV: 1.5, nominalV: 1.2, floorV: 0.8, sensorStepV: 0.01, source: 'common practice' },
};

/**
 * Open-circuit voltage of an NMC811 / graphite-SiOx cell.
 * Half-cell functions of Chen et al., J. Electrochem. Soc. 167 (2020) 080534; coefficients from memory of that
 * paper. 0..100 % state of charge is x 0.0279 → 0.9014 (negative) and y 0.9084 → 0.2661 (positive).
 */
export function chen2020OcvV(socFraction: number): number {
  const x = 0.0279 + socFraction * (0.9014 - 0.0279);
  const y = 0.9084 + socFraction * (0.2661 - 0.9084);
  const negative =
    1.9793 * Math.exp(-39.3631 * x) +
    0.2482 -
    0.0909 * Math.tanh(29.8538 * (x - 0.1234)) -
    0.04478 * Math.tanh(14.9159 * (x - 0.2769)) -
    0.0205 * Math.tanh(30.4444 * (x - 0.6103));
  const positive =
    -0.809 * y +
    4.4875 -
    0.0428 * Math.tanh(18.5138 * (y - 0.5542)) -
    17.7326 * Math.tanh(15.789 * (y - 0.3117)) +
    17.5842 * Math.tanh(15.9308 * (y - 0.312));
  return positive - negative;
}

/**
 * Typical rest curve of an LFP / graphite cell, volts per cell: flat between about 15 and 90 %.
 * From memory, for simulation and teaching; a pack profile carries its own table.
 */
const LFP_POINTS: [number, number][] = [
  [0, 2.6],
  [0.01, 2.83],
  [0.02, 2.94],
  [0.04, 3.06],
  [0.06, 3.13],
  [0.08, 3.175],
  [0.1, 3.2],
  [0.15, 3.225],
  [0.2, 3.246],
  [0.25, 3.262],
  [0.3, 3.277],
  [0.35, 3.286],
  [0.4, 3.29],
  [0.5, 3.293],
  [0.6, 3.298],
  [0.65, 3.307],
  [0.68, 3.32],
  [0.72, 3.33],
  [0.8, 3.332],
  [0.9, 3.335],
  [0.95, 3.34],
  [0.97, 3.35],
  [0.985, 3.375],
  [0.995, 3.42],
  [1, 3.45],
];

/** Typical rest curve of a NiMH cell. From memory; a pack profile carries its own table. */
const NIMH_POINTS: [number, number][] = [
  [0, 1.1],
  [0.02, 1.16],
  [0.05, 1.2],
  [0.1, 1.23],
  [0.2, 1.262],
  [0.3, 1.28],
  [0.4, 1.292],
  [0.5, 1.302],
  [0.6, 1.312],
  [0.7, 1.325],
  [0.8, 1.342],
  [0.9, 1.368],
  [0.95, 1.388],
  [1, 1.42],
];

/** Default rest table of a chemistry, `[state of charge, volts per cell]`. */
export function defaultOcvTable(chemistry: Chemistry): [number, number][] {
  if (chemistry === 'lfp') return LFP_POINTS.map(([s, v]) => [s, v]);
  if (chemistry === 'nimh') return NIMH_POINTS.map(([s, v]) => [s, v]);
  return Array.from({ length: 101 }, (_, i) => [i / 100, Math.round(chen2020OcvV(i / 100) * 1e4) / 1e4]);
}
