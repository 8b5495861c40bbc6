import type { Pack, Scatter } from '../pack';
import type { ScanRecord } from '../scan';
import { SHAPES } from './curveErrors';
import { logDeterminant, solveSpd } from './linear';
import type { Observed } from './observe';
import type { Slopes } from './channelTerms';
import { type Parameter, PARAMETERS } from './parameters';
import { SCREENED, screened } from './screening';

const COUNT = SCREENED;

/** All that one channel's readings say of the parameters while they are small: sums that no prior enters. */
interface Sums {
  cells: number;
  info: Float64Array;
  rhs: Float64Array;
}

function sumsOf(observed: Observed, slopes: Slopes, channel: number, cells: number, weight: number): Sums {
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

/** Logarithm of the likelihood of a channel's readings with the parameters integrated out, but for what no prior changes. */
const logEvidence = ({ info, rhs }: Sums, prior: readonly number[]): number => evidenceOf(info, rhs, prior);

function evidenceOf(info: Float64Array, rhs: Float64Array, prior: readonly number[]): number {
  const n = rhs.length;
  const m = new Float64Array(n * n);
  const z = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    z[i] = prior[i]! * rhs[i]!;
    for (let j = 0; j < n; j++) m[i * n + j] = prior[i]! * prior[j]! * info[i * n + j]!;
    m[i * (n + 1)]! += 1;
  }
  const x = solveSpd(m, z);
  return 0.5 * (x.reduce((s, v, i) => s + v * z[i]!, 0) - logDeterminant(m));
}

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
/** Factors of the usual scatter that are looked at, a step of a fifth apart. */
const FINEST = 1 / 3;
const WIDEST = { own: 6, shape: 16 };
const STEP = 1.2;
/** How far a pack's scatter lies from the usual one, as a standard deviation of its logarithm. From memory: twice or half is common. */
const USUAL_LOG_SD = 0.7;
/** Share of channels that may be faulty without a word of it beforehand. */
const FAULTY_SHARE = 0.05;
const ROUNDS = 3;
/** Fewer channels than this say little of how much a pack's channels differ. */
const FEWEST = 6;

/**
 * How much the healthy channels of this very pack differ, by its own majority: the scatter under which the readings are
 * likeliest, with every channel either healthy or anything at all (empirical Bayes: type II maximum likelihood with a
 * prior about what packs usually do; Berger, Statistical Decision Theory, 2nd ed., 3.5.4, from memory). Charge, capacity, boards and shapes of curve share the volts out among themselves; no limit
 * is raised for a pack that is spread, and none kept for one that is not.
 * @param wide how far a faulty channel may be off in each parameter.
 */
export function packScatter(
  observed: Observed,
  slopes: Slopes,
  pack: Pack,
  plain: readonly number[],
  usual: Scatter,
  wide: Partial<Record<Parameter, number>>,
  noiseV: number,
): Scatter {
  if (plain.length < FEWEST) return usual;
  const sums = plain.map((c) => sumsOf(observed, slopes, c, pack.channels[c]!.cells, noiseV ** -2));
  // A faulty channel has one thing wrong with it, whichever, or more than one, and may bend beyond these columns.
  const anything = sums.map((s) => {
    const each = PARAMETERS.flatMap((p, j) => {
      if (wide[p] === undefined) return [];
      const prior = priorOf(usual, s.cells);
      prior[j] = wide[p];
      return [logEvidence(s, prior)];
    });
    each.push(
      logEvidence(s, [
        ...PARAMETERS.map((p) => wide[p] ?? 1),
        ...Array.from({ length: SHAPES }, () => s.cells * usual.shapeV * WIDEST.shape * 4),
      ]),
    );
    const most = Math.max(...each);
    return most + Math.log(each.reduce((t, e) => t + Math.exp(e - most), 0) / each.length);
  });
  const pairs = tapEvidence(sums, plain, usual, wide);
  const score = (scatter: Scatter): number => {
    let total = 0;
    const single = sums.map((s, i) => {
      const healthy = Math.log(1 - FAULTY_SHARE) + logEvidence(s, priorOf(scatter, s.cells));
      const faulty = Math.log(FAULTY_SHARE) + anything[i]!;
      return logAdd(healthy, faulty);
    });
    for (let i = 0; i < single.length; i++) {
      const apart = single[i]! + (single[i + 1] ?? 0);
      const paired = pairs[i] ?? -Infinity;
      if (paired <= apart) {
        total += single[i]!;
        continue;
      }
      // One wire for two channels.
      total += logAdd(apart, paired);
      i++;
    }
    for (const key of KEYS) total -= 0.5 * (Math.log(scatter[key] / usual[key]) / USUAL_LOG_SD) ** 2;
    return total;
  };
  let scatter = { ...usual };
  let best = score(scatter);
  for (let round = 0; round < ROUNDS; round++) {
    const before = best;
    for (const key of KEYS)
      for (const way of [STEP, 1 / STEP])
        for (;;) {
          const size = scatter[key] * way;
          const most = key === 'shapeV' ? WIDEST.shape : WIDEST.own;
          if (size > most * usual[key] || size < FINEST * usual[key]) break;
          const next = { ...scatter, [key]: size };
          const now = score(next);
          if (now <= best) break;
          scatter = next;
          best = now;
        }
    if (best - before < 0.1) break;
  }
  return scatter;
}

const logAdd = (a: number, b: number): number => Math.max(a, b) + Math.log1p(Math.exp(-Math.abs(a - b)));

/**
 * Logarithm of the likelihood of two neighbours whose tap wire is off: one is off by what the other is off the other way,
 * by as much as a wire may be. By position of the first; −∞ where the next channel is no neighbour.
 */
function tapEvidence(
  sums: readonly Sums[],
  plain: readonly number[],
  usual: Scatter,
  wide: Partial<Record<Parameter, number>>,
): number[] {
  const offset = PARAMETERS.indexOf('offset');
  const wideV = wide.offset ?? usual.offsetV;
  return sums.map((a, i) => {
    const b = sums[i + 1];
    if (!b || plain[i + 1] !== plain[i]! + 1) return -Infinity;
    // Both together, with one unknown more: the offset of the first is minus that of the second.
    const n = 2 * COUNT + 1;
    const prior = [...priorOf(usual, a.cells), ...priorOf(usual, b.cells), wideV];
    const info = new Float64Array(n * n);
    const rhs = new Float64Array(n);
    [a, b].forEach((s, k) => {
      const sign = k === 0 ? 1 : -1;
      for (let p = 0; p < COUNT; p++) {
        rhs[k * COUNT + p] = s.rhs[p]!;
        for (let q = 0; q < COUNT; q++) info[(k * COUNT + p) * n + k * COUNT + q] = s.info[p * COUNT + q]!;
        const cross = sign * s.info[p * COUNT + offset]!;
        info[(k * COUNT + p) * n + n - 1] = cross;
        info[(n - 1) * n + k * COUNT + p] = cross;
      }
      rhs[n - 1]! += sign * s.rhs[offset]!;
      info[n * n - 1]! += s.info[offset * COUNT + offset]!;
    });
    return Math.log(FAULTY_SHARE) + evidenceOf(info, rhs, prior);
  });
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
