import type { ChemistryFacts } from './facts';

/** What the lithium chemistries have in common. From memory or common practice, no source, unless a line says more. */
export const LITHIUM = {
  flat: null,
  hysteresis: null,
  sensorStepV: 0.001,
  noiseV: 0.0007,
  healthy: {
    socFraction: 0.004,
    capacity: 0.012,
    resistance: 0.04,
    slow: 0.024,
    leakPerDay: 0.00015,
    offsetV: 0.001,
    slip: 0.004,
    stretch: 0.005,
    shapeV: 0.0003,
  },
  // Groups within 5 % of capacity and 2 % of charge are left together; joints are redone from about 15 %. Common practice, no source.
  matters: { socFraction: 0.018, capacity: 0.05, resistance: 0.15 },
  leak: { perDay: 0.0005, perDaySd: 0.0004, healthyMostPerDay: 0.001 },
  expectedHealth: { value: 0.87, sd: 0.12 },
  meter: { agreeMv: 5, apartMv: 20 },
  faults: { offsetV: 0.15, leakPerDay: 0.03 },
  // Healthy scatter and noise reach a gain of about 12 in our own simulated packs.
  detect: { rest: 13.5, load: 13.5 },
  hazards: {
    electrolyte: 'Leaking electrolyte is flammable, its vapour toxic (HF).',
    overDischarged:
      'Over-discharged lithium has dissolved copper: it can short inside and burn when charged. Scrap unless a supervised recovery is decided.',
    overCharged:
      'Over-charged lithium can go into thermal runaway without warning. No charging, keep away, quarantine outdoors.',
    flood:
      'After water, above all salt water: hydrogen, corrosion bridges, fire hours to days later. Outdoors, 10 to 15 m from buildings and vehicles, never charged.',
  },
  conditioning: false,
} as const satisfies Partial<ChemistryFacts>;
