import type { Scatter } from '../pack';
import type { ScanRecord } from '../scan';
import { PARAMETERS, type ChannelFit, type Parameter } from './channelModel';
import type { Observed } from './observe';
import { median, robustSigma } from './statistics';

/** How much wider than usual the priors are while a pack tells its own scatter. */
export const LOOSE = 4;
/** A pack's own scatter is believed up to this many times the usual one: beyond it something else is wrong. */
const MOST = 5;
/** A parameter tells of the pack only where the record leaves less than this share of the loose prior's variance. */
const INFORMED = 0.5;
/** Within this span of charge a record shows one state of charge only. */
const ONE_CHARGE = 0.08;
/** Fewer channels than this say little of how much a pack's channels differ. */
const FEWEST = 6;

const SCATTER_OF: Record<Parameter, keyof Scatter> = {
  soc: 'socFraction',
  capacity: 'capacity',
  ohmic: 'resistance',
  slow: 'resistance',
  leak: 'leakPerDay',
  offset: 'offsetV',
};

/** The same scatter, every line times `by`. */
export const scatterTimes = (s: Scatter, by: number): Scatter => ({
  socFraction: s.socFraction * by,
  capacity: s.capacity * by,
  resistance: s.resistance * by,
  leakPerDay: s.leakPerDay * by,
  offsetV: s.offsetV * by,
});

/** How far a robust spread of so many values may lie above the truth by chance alone, as a factor (1.2 standard errors). */
const byChance = (n: number): number => 1 + (1.2 * 1.17) / Math.sqrt(2 * n);

/**
 * How much the healthy channels of this very pack differ, from its own majority: never less than packs usually do, and
 * more where the spread of the fitted figures says so once their own errors are taken off (empirical Bayes, robust to
 * a minority of faulty channels).
 * @param fits one fit a channel, made with priors `LOOSE` times as wide as `base`.
 */
export function packScatter(fits: readonly ChannelFit[], base: Scatter): Scatter {
  const own = { ...base };
  if (fits.length < FEWEST) return own;
  PARAMETERS.forEach((p, j) => {
    if (p === 'slow') return;
    const key = SCATTER_OF[p];
    const prior = (LOOSE * base[key]) ** 2;
    const told = fits.flatMap((f) => {
      const variance = f.sd[j]! ** 2;
      const share = 1 - variance / prior;
      // Without the prior's pull: the value is larger by 1/share, its variance too.
      return share > 1 - INFORMED ? [{ value: f.theta[j]! / share, variance: variance / share }] : [];
    });
    if (told.length < fits.length / 2) return;
    const seen = robustSigma(told.map((t) => t.value)) ** 2 - median(told.map((t) => t.variance));
    const surely = Math.sqrt(Math.max(0, seen)) / byChance(told.length);
    own[key] = Math.min(MOST * base[key], Math.max(base[key], surely));
  });
  return own;
}

/**
 * How many times wider than usual the channels of a pack lie apart in volts, where a record cannot tell charge from
 * reading error: the robust spread of their mean deviations against what the usual scatter explains. At least 1.
 */
export function spreadFactor(
  observed: Observed,
  slopes: Float64Array,
  cells: readonly number[],
  scatter: Scatter,
  readingSdV: number,
): number {
  const rows = observed.channels.flatMap((c, i) => {
    if (c.at.length === 0) return [];
    let sum = 0;
    let weight = 0;
    let slope = 0;
    for (let k = 0; k < c.at.length; k++) {
      sum += c.deviationV[k]! * c.count[k]!;
      slope += Math.abs(slopes[c.at[k]!]!) * c.count[k]!;
      weight += c.count[k]!;
    }
    const expected = Math.hypot(
      scatter.offsetV,
      (scatter.socFraction * cells[i]! * slope) / weight,
      readingSdV / Math.sqrt(weight),
    );
    return [sum / weight / expected];
  });
  // Over a span of charge the capacities part the channels too, and charge and reading are told apart by themselves.
  const soc = observed.trajectory.socFraction;
  const span =
    soc.reduce((a, v) => Math.max(a, v), -Infinity) - soc.reduce((a, v) => Math.min(a, v), Infinity);
  if (rows.length < FEWEST || span > ONE_CHARGE) return 1;
  return Math.min(MOST, Math.max(1, robustSigma(rows) / byChance(rows.length)));
}

/** Steps a board may report in, V per reading. Common practice, no source. */
const STEPS_V = [0.02, 0.01, 0.005, 0.004, 0.0025, 0.002, 0.001];
const FEWEST_READINGS = 40;

/** The step that a record's voltages come in; `usualV` where too little was read or no step is coarser. */
export function sensorStepOf(record: ScanRecord, usualV: number): number {
  const some: number[] = [];
  for (const s of record.voltageV) {
    const stride = Math.max(1, Math.floor(s.value.length / 60));
    for (let k = 0; k < s.value.length; k += stride) if (!Number.isNaN(s.value[k]!)) some.push(s.value[k]!);
  }
  if (some.length < FEWEST_READINGS) return usualV;
  const onStep = (step: number): boolean =>
    some.filter((v) => Math.abs(v / step - Math.round(v / step)) < 0.02).length > 0.98 * some.length;
  return STEPS_V.find((step) => step > usualV && onStep(step)) ?? usualV;
}
