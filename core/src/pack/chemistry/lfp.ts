import type { ChemistryFacts } from './facts';
import { LITHIUM } from './lithium';

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

export const LFP: ChemistryFacts = {
  ...LITHIUM,
  name: 'LFP',
  cell: {
    emptyV: 2.5,
    fullV: 3.65,
    nominalV: 3.2,
    floorV: 2.0,
    scrapV: 1.5,
    mostV: 3.8,
    source: 'common practice',
  },
  ocv: { table: () => LFP_POINTS.map(([s, v]) => [s, v]), source: 'typical, from memory' },
  flat: { nearFull: 'above 98 %, off the flat curve', nearEmpty: 'below 10 %, off the flat curve' },
};
