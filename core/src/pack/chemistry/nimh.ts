import type { ChemistryFacts } from './facts';

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

/** Common practice of the trade, no source, or from memory. */
export const NIMH: ChemistryFacts = {
  name: 'NiMH',
  cell: {
    emptyV: 1.0,
    fullV: 1.5,
    nominalV: 1.2,
    floorV: 0.8,
    scrapV: 0.1,
    mostV: 1.65,
    source: 'common practice',
  },
  ocv: { table: () => NIMH_POINTS.map(([s, v]) => [s, v]), source: 'typical, from memory' },
  flat: null,
  // Order of magnitude, from memory.
  hysteresis: { halfV: { value: 0.015, sd: 0.01 }, turns: [8, 16, 30] },
  sensorStepV: 0.01,
  noiseV: 0.004,
  healthy: {
    socFraction: 0.015,
    capacity: 0.04,
    resistance: 0.06,
    slow: 0.036,
    leakPerDay: 0.0012,
    offsetV: 0.006,
    // It has no electrode that lithium is lost from.
    slip: 1e-6,
    stretch: 1e-6,
    shapeV: 0.001,
  },
  // Sticks within a tenth are run together. Common practice, no source.
  matters: { socFraction: 0.04, capacity: 0.1, resistance: 0.2 },
  leak: { perDay: 0.008, perDaySd: 0.004, healthyMostPerDay: 0.004 },
  expectedHealth: { value: 0.87, sd: 0.12 },
  meter: { agreeMv: 25, apartMv: 100 },
  faults: { offsetV: 0.6, leakPerDay: 0.08 },
  detect: { rest: 13.5, load: 13.5 },
  hazards: {
    electrolyte: 'Electrolyte is caustic alkali: it burns skin and eyes.',
    overDischarged:
      'Cells of an over-discharged string may be reversed: they vent hydrogen when charged. Only slowly, watched, with air.',
    overCharged: 'Over-charged NiMH vents hydrogen and heats up. No charging, air, no spark near it.',
    flood:
      'After water, above all salt water: hydrogen, corrosion bridges, fire hours to days later. Outdoors, 10 to 15 m from buildings and vehicles, never charged.',
  },
  conditioning: true,
};
