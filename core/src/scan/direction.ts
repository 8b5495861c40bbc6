import { indexAt, type ScanRecord } from './record';

/** Which way a record's current counts, as its own voltages tell. */
export interface DirectionFound {
  positive: 'discharge' | 'charge' | 'unclear';
  /** Fall of a channel's voltage per ampere as recorded, mΩ; negative if it rises with the current. */
  slopeMilliohm: number;
  /** Slope over its standard error. */
  certainty: number;
  steps: number;
}

/** Channels looked at: all carry the same current. */
const CHANNELS = 8;
/** Readings further apart than this may differ by more than the load. */
const NEAR_S = 30;
/** Slope over its error that settles the direction. */
const CERTAIN = 6;

/**
 * Finds from the steps of current whether positive means discharge: a cell's voltage falls when it is drawn from.
 * The regression through the origin of voltage steps on current steps; needs steps of a few amperes.
 */
export function findCurrentDirection(record: ScanRecord): DirectionFound {
  const unclear = { positive: 'unclear', slopeMilliohm: 0, certainty: 0, steps: 0 } as const;
  const current = record.currentA;
  if (!current || current.timeS.length < 3) return unclear;
  let xx = 0;
  let xy = 0;
  let yy = 0;
  let steps = 0;
  for (const s of record.voltageV.slice(0, CHANNELS)) {
    let lastV = NaN;
    let lastT = -Infinity;
    let lastI = NaN;
    for (let k = 0; k < s.timeS.length; k++) {
      const t = s.timeS[k]!;
      const v = s.value[k]!;
      if (Number.isNaN(v)) continue;
      const i = record.simultaneous ? current.value[k]! : current.value[indexAt(current.timeS, t)];
      if (i === undefined || Number.isNaN(i)) continue;
      const dI = i - lastI;
      if (t - lastT <= NEAR_S && Math.abs(dI) >= 3) {
        const dV = v - lastV;
        xx += dI * dI;
        xy += dI * dV;
        yy += dV * dV;
        steps++;
      }
      lastV = v;
      lastT = t;
      lastI = i;
    }
  }
  if (steps < 6 || xx === 0) return { ...unclear, steps };
  const slope = xy / xx;
  const error = Math.sqrt(Math.max(1e-18, (yy - slope * xy) / Math.max(1, steps - 1)) / xx);
  const certainty = Math.abs(slope) / error;
  return {
    positive: certainty < CERTAIN ? 'unclear' : slope < 0 ? 'discharge' : 'charge',
    slopeMilliohm: -slope * 1000,
    certainty,
    steps,
  };
}
