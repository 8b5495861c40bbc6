import type { Pack, Scatter } from '../../pack';
import { STANDING_S, type ScanRecord } from '../../scan';
import { SHAPES } from '../channel/curveErrors';
import {
  added,
  type Direction,
  Evidence,
  marginalLikelihood,
  type Known,
  opposed,
  type Sums,
} from '../../numerics/marginalLikelihood';
import type { DeviationSet } from '../channel/deviations';
import type { Slopes } from '../channel/channelTerms';
import { type Parameter, PARAMETERS, SHAPE } from '../channel/parameters';
import { screened } from '../channel/screening';

/** The sums of one channel, and how many cells it has. */
interface ChannelSums extends Sums {
  cells: number;
}

function sumsOf(
  observed: DeviationSet,
  slopes: Slopes,
  channel: number,
  cells: number,
  weight: number,
): ChannelSums {
  const { info, rhs } = screened(observed, slopes, observed.channels[channel]!, cells);
  return { cells, info: info.map((v) => weight * v), rhs: rhs.map((v) => weight * v) };
}

/** How far each parameter may be from nothing, one standard deviation. */
const priorOf = (s: Scatter, cells: number): number[] => [
  s.socFraction,
  s.capacity,
  s.resistance,
  s.slow,
  s.leakPerDay,
  s.offsetV,
  s.slip,
  s.stretch,
  ...Array.from({ length: SHAPES }, () => cells * s.shapeV),
];

export const SCATTER_KEYS = [
  'socFraction',
  'capacity',
  'resistance',
  'slow',
  'leakPerDay',
  'offsetV',
  'slip',
  'stretch',
  'shapeV',
] as const;
/** What a pack's own majority is asked for: lost lithium and a negative electrode that runs empty sooner look much alike, one of them is enough. */
const KEYS = SCATTER_KEYS.filter((key) => key !== 'stretch');
/** Where what each of them bounds stands among the parameters. */
const PLACES = Object.fromEntries(
  SCATTER_KEYS.map((key, j) => [
    key,
    key === 'shapeV' ? Array.from({ length: SHAPES }, (_, s) => SHAPE + s) : [j],
  ]),
) as Record<(typeof SCATTER_KEYS)[number], number[]>;
/** Factors of the usual scatter that are looked at, a step of a fifth apart. */
const FINEST = 1 / 3;
const WIDEST = { own: 6, shape: 16 };
const STEP = 1.2;
/** How far a pack's scatter lies from the usual one, as a standard deviation of its logarithm. From memory: twice or half is common. */
const USUAL_LOG_SD = 0.7;
/** Share of channels that may be faulty without a word of it beforehand. */
const FAULTY_SHARE = 0.05;
const ROUNDS = 3;
/** A channel whose readings are hardly likelier for what may be wrong with it: less than this, by their logarithm. */
const HARDLY = -0.02;
/** What is found at this many times the usual is looked for in another way as well. */
const AGAIN = 2;
/** A channel whose readings are likelier by so much, by their logarithm, for what may be wrong with it, and how many such a pack has with one wire off. */
const ODD = 1;
const FEW = 2;
/** Times the usual from which it is looked for in a pack in which more are odd. */
const WIDE = 4;
/** What one channel alone may be faulty in: slow resistance goes with the ohmic one, and what is lost with a shape of curve. */
const BLAMED = ['socFraction', 'capacity', 'resistance', 'leakPerDay', 'offsetV'] as const;
/** Fewer channels than this say little of how much a pack's channels differ. */
const FEWEST = 6;

/**
 * How much the healthy channels of this very pack differ, by its own majority: the scatter under which the readings are
 * likeliest, with every channel either healthy or anything at all (empirical Bayes: type II maximum likelihood with a
 * prior about what packs usually do; Berger, Statistical Decision Theory, 2nd ed., 3.5.4, from memory). What a faulty channel is not faulty in it
 * differs in as the others do. Charge, capacity, boards and shapes of curve share the volts out among themselves; no limit is raised for a pack that is
 * spread, and none kept for one that is not.
 * @param wide how far a faulty channel may be off in each parameter.
 */
export function populationSpread(
  observed: DeviationSet,
  slopes: Slopes,
  pack: Pack,
  plain: readonly number[],
  usual: Scatter,
  wide: Partial<Record<Parameter, number>>,
  noiseV: number,
): Scatter {
  if (plain.length < FEWEST) return usual;
  const sums = plain.map((c) => sumsOf(observed, slopes, c, pack.channels[c]!.cells, noiseV ** -2));
  // No record this short can show what leaks: it would soak up whatever drifts in one that something else is wrong with.
  const { timeS } = observed.trajectory;
  const stands = timeS[timeS.length - 1]! - timeS[0]! >= STANDING_S;
  const wrongs = wrongsOf(stands ? wide : { ...wide, leak: undefined });
  const asked = [...wrongs.map((w) => w.of), OFFSET];
  const neighbours = plain.map((c, i) => plain[i + 1] === c + 1);
  // More than one thing may be wrong, and a channel may bend beyond these columns.
  const everything = sums.map((s) =>
    marginalLikelihood(s.info, s.rhs, [
      ...PARAMETERS.map((p) => wide[p] ?? 1),
      ...Array.from({ length: SHAPES }, () => s.cells * usual.shapeV * WIDEST.shape * 4),
    ]),
  );
  const usualSoFar = (scatter: Scatter): number =>
    KEYS.reduce((t, key) => t - 0.5 * (Math.log(scatter[key] / usual[key]) / USUAL_LOG_SD) ** 2, 0);
  /** How likely all readings are under a scatter, by how likely each channel's are, and by what is known of those that may be faulty. */
  const total = (scatter: Scatter, single: Float64Array, known: readonly (Known | null)[]): number => {
    let sum = usualSoFar(scatter);
    for (let i = 0; i < single.length; i++) {
      const [a, b] = [known[i], known[i + 1]];
      const apart = single[i]! + (single[i + 1] ?? 0);
      const paired = a && b && neighbours[i] ? pairedBy(a, b, wide) : -Infinity;
      if (paired <= apart) {
        sum += single[i]!;
        continue;
      }
      // One wire for two channels.
      sum += logAdd(apart, paired);
      i++;
    }
    return sum;
  };
  /** Up from one scatter, as far as it goes. */
  const climb = (from: Scatter): { scatter: Scatter; best: number; odd: number } => {
    let scatter = { ...from };
    const channels = sums.map((s) => new Evidence(s, priorOf(from, s.cells), asked));
    // A channel that is hardly faulty, between two that are not, is looked at again only when a prior has changed for good.
    const more = new Float64Array(channels.length);
    const doubtful = new Uint8Array(channels.length);
    const lookAtAll = (): number => {
      const known = channels.map((c) => c.known);
      const single = Float64Array.from(known, (k, i) => healthyOrNot(k, everything[i]!, wrongs));
      doubtful.fill(0);
      single.forEach((v, i) => {
        more[i] = v - known[i]!.now;
        if (more[i]! < HARDLY) return;
        for (const j of [i - 1, i, i + 1]) if (j >= 0 && j < doubtful.length) doubtful[j] = 1;
      });
      return total(scatter, single, known);
    };
    const score = (next: Scatter, of: readonly number[], priors: (i: number) => number[]): number => {
      const known = channels.map((c, i) => (doubtful[i] ? c.under(of, priors(i)) : null));
      const single = Float64Array.from(known, (k, i) =>
        k ? healthyOrNot(k, everything[i]!, wrongs) : channels[i]!.nowUnder(of, priors(i)) + more[i]!,
      );
      return total(next, single, known);
    };
    let best = lookAtAll();
    for (let round = 0; round < ROUNDS; round++) {
      const before = best;
      for (const key of KEYS) {
        const of = PLACES[key];
        const priors = (size: number, i: number): number[] =>
          of.map(() => (key === 'shapeV' ? sums[i]!.cells * size : size));
        const most = key === 'shapeV' ? WIDEST.shape : WIDEST.own;
        const found = scatter[key];
        for (const way of [STEP, 1 / STEP]) {
          // Where one way led on, the other leads back.
          if (scatter[key] !== found) break;
          for (;;) {
            const size = scatter[key] * way;
            if (size > most * usual[key] || size < FINEST * usual[key]) break;
            const next = { ...scatter, [key]: size };
            const now = score(next, of, (i) => priors(size, i));
            if (now <= best) break;
            scatter = next;
            best = now;
          }
        }
        if (scatter[key] === found) continue;
        channels.forEach((c, i) => c.set(of, priors(scatter[key], i)));
        best = lookAtAll();
      }
      if (best - before < 0.1) break;
    }
    return { scatter, best, odd: more.reduce((n, m) => n + (m > ODD ? 1 : 0), 0) };
  };
  let found = climb(usual);
  /** Looks for one of them anew from so many times the usual, beside the others as found. */
  const again = (key: (typeof BLAMED)[number], times: number): void => {
    const other = climb({ ...found.scatter, [key]: times * usual[key] });
    if (other.best > found.best) found = other;
  };
  // What a few are off by may have been taken for what all differ by.
  for (const key of BLAMED) if (found.scatter[key] >= AGAIN * usual[key]) again(key, 1);
  // And where more than a few are odd, all may differ by what they are taken to be faulty in: a climb in steps does not get over the dip between.
  if (found.odd > Math.max(FEW, 2 * FAULTY_SHARE * plain.length)) for (const key of BLAMED) again(key, WIDE);
  return found.scatter;
}

const along = (...of: [Parameter, number][]): Direction => ({
  at: of.map(([p]) => PARAMETERS.indexOf(p)),
  units: of.map(([, units]) => units),
});
/** What drops volts at once and not slowly: the slow part goes with the ohmic one but for what is said of it. */
const ATONCE = along(['ohmic', 1], ['slow', -1]);
const OFFSET = along(['offset', 1]);

/** One thing that may be wrong with a channel, and how far. */
interface Wrong {
  of: Direction;
  sd: number;
}
const wrongsOf = (wide: Partial<Record<Parameter, number>>): Wrong[] => [
  ...PARAMETERS.flatMap((p) => (wide[p] === undefined ? [] : [{ of: along([p, 1]), sd: wide[p] }])),
  { of: ATONCE, sd: wide.ohmic ?? 1 },
];

/** A channel is healthy, or one thing is wrong with it, whichever, and it is as the others are else; or `everything` may be. */
function healthyOrNot(known: Known, everything: number, wrongs: readonly Wrong[]): number {
  const each = new Float64Array(wrongs.length + 1);
  let most = (each[wrongs.length] = everything);
  for (let i = 0; i < wrongs.length; i++) {
    const w = wrongs[i]!;
    most = Math.max(most, (each[i] = known.now + added(known, w.of, w.sd)));
  }
  let sum = 0;
  for (const e of each) sum += Math.exp(e - most);
  const anything = most + Math.log(sum / each.length);
  return logAdd(Math.log(1 - FAULTY_SHARE) + known.now, Math.log(FAULTY_SHARE) + anything);
}

/** Two neighbours whose tap wire is off, or sits on a bar that carries the current: one reads as much too high as the other too low. */
const pairedBy = (a: Known, b: Known, wide: Partial<Record<Parameter, number>>): number =>
  Math.log(FAULTY_SHARE / 2) +
  a.now +
  b.now +
  logAdd(opposed(a, b, OFFSET, wide.offset ?? 1), opposed(a, b, ATONCE, wide.ohmic ?? 1));

const logAdd = (a: number, b: number): number => Math.max(a, b) + Math.log1p(Math.exp(-Math.abs(a - b)));

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
