import { factsOf, normalisePack, type Pack } from '../pack';
import { newNickelCell, nickelCapacity, wornNickel } from './nickel';
import { aged, capacityOf, newCell } from './particle';
import { lithiumCell, lithiumTable, nickelCells, nickelTable, type PhysicsCell } from './physicsCell';
import type { Bounds } from './physicsCauses';
import type { Random } from './random';

type Span = readonly [number, number];

/** One make of cells, some age old: what the channels of one pack have in common, and how far they may differ. */
export interface Batch {
  chemistry: 'nmc' | 'lfp' | 'nimh';
  count: number;
  cells: number;
  capacityAh: number;
  /** A healthy one; modules share some of their age. */
  one(shared: number, random: Random): PhysicsCell;
  /** A pack of them with the rest curve that a workshop has. */
  pack(random: Random): Pack;
  bounds: Bounds;
  /** Charge that healthy channels lie apart, and what they lose by themselves a day: one standard deviation, shares of capacity. */
  charge: number;
  leakPerDay: number;
  /** What boards add, V, one standard deviation; what readings scatter by; their step. */
  offsetV: Span;
  noiseV: Span;
  stepV: number;
  /** What readings are good to, noise and all that no column holds, V. */
  readV: number;
  /** Sizes of faults: charge missing, capacity lost, charge lost a day as shares; wrong readings, V; voltages of a dead channel. */
  sizes: { missing: Span; lost: Span; leak: Span; offsetV: Span; deadV: number[] };
  /** A channel that holds more of what the others hold, or lies closer in charge, is left where it is. Common practice, no source. */
  harmless: { loss: number; share: number };
  /** How hard it is driven, for its capacity. */
  rate: number;
  /** Beyond these a vehicle would have stopped, V at one channel. */
  leastV: number;
  mostV: number;
}

const packOf = (
  chemistry: Batch['chemistry'],
  ratedAh: number,
  count: number,
  cells: number,
  per: number,
  milliohm: number,
  ocv: [number, number][],
): Pack => {
  const ids = Array.from({ length: count }, (_, i) => `ch${String(i + 1).padStart(3, '0')}`);
  return normalisePack({
    name: 'pack of particles',
    chemistry,
    ratedCapacityAh: ratedAh,
    channels: ids.map((id) => ({ id, cells })),
    modules: Array.from({ length: count / per }, (_, m) => ({
      id: `M${m + 1}`,
      channels: ids.slice(m * per, (m + 1) * per),
    })),
    nominalGroupResistanceMilliohm: milliohm,
    ocv,
  });
};

/** Lithium cells that have lost lithium and material, with the graphite the diagnosis knows or with another. */
export function lithiumBatch(random: Random, negativeV?: (stoichiometry: number) => number): Batch {
  const chemistry = random.pick(['nmc', 'nmc', 'lfp'] as const);
  const ratedAh = random.pick([26, 40, 60, 94, 120]);
  const count = random.pick([12, 16, 24, 24, 48, 96]);
  const fresh = newCell(chemistry, ratedAh, negativeV);
  const loss = {
    lithium: random.uniform(0.02, 0.15),
    negative: random.uniform(0, 0.1),
    positive: random.uniform(0, 0.08),
  };
  const typical = aged(fresh, loss.lithium, loss.negative, loss.positive);
  return {
    chemistry,
    count,
    cells: 1,
    capacityAh: capacityOf(typical),
    one: (shared, random) => {
      const cell = aged(
        fresh,
        loss.lithium + 0.002 * shared + random.normal(0.004),
        Math.max(0, loss.negative + 0.003 * shared + random.normal(0.005)),
        Math.max(0, loss.positive + random.normal(0.005)),
      );
      return lithiumCell({
        ...cell,
        ohmicOhm: cell.ohmicOhm * Math.exp(0.02 * shared + random.normal(0.03)),
        exchangeA: cell.exchangeA * Math.exp(random.normal(0.04)),
      });
    },
    pack: (random) => {
      const table = lithiumTable(random.uniform() < 0.5 ? fresh : typical, random.pick([2, 5]));
      return packOf(chemistry, ratedAh, count, 1, count % 4 === 0 ? 4 : 3, 70 / ratedAh, table);
    },
    bounds: {
      charge: 0.004,
      resistance: 0.06,
      leakPerDay: 1e-4,
      offsetV: 0.001,
      gain: 0.0005,
      shares: [-0.04, -0.02, 0, 0.02, 0.04, 0.07, 0.1, 0.14, 0.19, 0.25],
      losses: [0, 0.05, 0.1, 0.15, 0.2, 0.26, 0.33],
      times: [1, 1.5, 2.2, 3.2, 5],
      daily: [0, 0.004, 0.009, 0.016],
    },
    charge: 0.003,
    leakPerDay: 5e-5,
    offsetV: [0.0005, 0.0015],
    noiseV: [0.0004, 0.0012],
    stepV: 0.001,
    readV: 0.0015,
    sizes: {
      missing: [0.025, 0.1],
      lost: [0.08, 0.28],
      leak: [0.003, 0.012],
      offsetV: [0.015, 0.05],
      deadV: [0.02, 0.15, -0.3, 1.2],
    },
    harmless: { loss: 0.95, share: 0.02 },
    rate: 1,
    leastV: fresh.emptyV + 0.2,
    mostV: fresh.fullV + 0.08,
  };
}

/**
 * Sticks of nickel–metal hydride cells, as hybrids have them. How wide the gap between their branches is, how soon a turn
 * of the current crosses it and where it stands at the start is another thing in every pack.
 */
export function nickelBatch(random: Random, branch: number): Batch {
  const ratedAh = random.pick([5.5, 6, 6.5]);
  const count = random.integer(10, 20);
  const cells = random.pick([6, 12]);
  const gap = { branchV: random.uniform(0.012, 0.028), turns: random.uniform(8, 25) };
  const fresh = { ...newNickelCell(ratedAh), ...gap };
  const loss = { positive: random.uniform(0, 0.25), negative: random.uniform(0, 0.1) };
  const worn = wornNickel(fresh, loss.positive, loss.negative);
  const resists = random.uniform(0.9, 1.6);
  const typical = { ...worn, ohmicOhm: worn.ohmicOhm * resists, exchangeA: worn.exchangeA / resists };
  const { healthy, sensorStepV, matters } = factsOf('nimh');
  return {
    chemistry: 'nimh',
    count,
    cells,
    capacityAh: nickelCapacity(typical),
    one: (shared, random) =>
      nickelCells(
        {
          ...wornNickel(typical, 0.008 * shared + random.normal(0.02), random.normal(0.02)),
          ohmicOhm: typical.ohmicOhm * Math.exp(random.normal(0.05)),
          exchangeA: typical.exchangeA * Math.exp(random.normal(0.05)),
          branchV: typical.branchV * (1 + random.normal(0.04)),
        },
        cells,
        branch,
      ),
    pack: (random) =>
      packOf(
        'nimh',
        ratedAh,
        count,
        cells,
        1,
        ((2 * cells * 6) / ratedAh) * random.uniform(0.85, 1.15),
        nickelTable(random.uniform() < 0.5 ? fresh : typical, random.pick([2, 5])),
      ),
    bounds: {
      charge: 0.01,
      resistance: 0.06,
      leakPerDay: healthy.leakPerDay,
      offsetV: 0.006,
      gain: 0.0005,
      shares: [-0.1, -0.05, 0, 0.05, 0.1, 0.15, 0.2, 0.26, 0.33],
      losses: [0, 0.1, 0.2, 0.3, 0.4, 0.5],
      times: [1, 1.5, 2.2, 3.2, 5],
      daily: [0, 0.015, 0.03, 0.05, 0.08],
    },
    charge: 0.01,
    leakPerDay: healthy.leakPerDay,
    offsetV: [0.003, 0.009],
    noiseV: [0.002, 0.006],
    stepV: sensorStepV,
    readV: 0.006,
    sizes: {
      missing: [0.05, 0.2],
      lost: [0.2, 0.4],
      leak: [0.012, 0.048],
      offsetV: [0.09, 0.3],
      deadV: [0.02, 0.15 * cells, -0.3, 0.55 * cells],
    },
    harmless: { loss: 1 - matters.capacity, share: matters.socFraction },
    rate: 4,
    leastV: cells * 1.0,
    mostV: cells * 1.58,
  };
}
