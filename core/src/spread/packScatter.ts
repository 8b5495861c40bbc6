import type { Pack, Scatter } from '../pack';
import type { ScanRecord } from '../scan';
import { SHAPES } from './curveErrors';
import { covarianceOf, logDeterminant, solveSpd } from './linear';
import type { Observed } from './observe';
import type { Slopes } from './channelTerms';
import { type Parameter, PARAMETERS, SHAPE } from './parameters';
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

/** The same where one prior after another is changed: the covariance under the present ones tells of every change at once. */
export class Evidence {
  private readonly covariance: Float64Array;
  private readonly mean: Float64Array;
  private readonly prior: number[];
  /** Under the present priors. */
  now: number;

  constructor({ info, rhs }: Pick<Sums, 'info' | 'rhs'>, prior: readonly number[]) {
    const n = rhs.length;
    const all = info.slice();
    for (let j = 0; j < n; j++) all[j * (n + 1)]! += 1 / prior[j]! ** 2;
    this.covariance = covarianceOf(all, [...rhs.keys()]);
    this.mean = solveSpd(all, rhs);
    this.prior = [...prior];
    this.now = evidenceOf(info, rhs, prior);
  }

  /** With the priors of the parameters `of`, which follow one another, changed. */
  with(of: readonly number[], prior: readonly number[]): number {
    const n = this.mean.length;
    const from = of[0]!;
    const mean = this.mean.slice(from, from + of.length);
    const covariance = Float64Array.from({ length: of.length ** 2 }, (_, i) => {
      const row = from + Math.floor(i / of.length);
      return this.covariance[row * n + from + (i % of.length)]!;
    });
    return this.now + change(covariance, mean, of.length, of, this.prior, prior, from);
  }

  /** Changes them for good. */
  set(of: readonly number[], prior: readonly number[]): void {
    this.now += change(this.covariance, this.mean, this.mean.length, of, this.prior, prior, 0);
    of.forEach((j, i) => (this.prior[j] = prior[i]!));
  }
}

/**
 * What a change of priors brings, one rank-one update of covariance and mean (in place, n of them beginning with parameter `from`) after the other:
 * Sherman and Morrison, Ann. Math. Statist. 21 (1950) 124, and the lemma of the determinant, from memory.
 */
function change(
  covariance: Float64Array,
  mean: Float64Array,
  n: number,
  of: readonly number[],
  before: readonly number[],
  after: readonly number[],
  from: number,
): number {
  let gained = 0;
  of.forEach((parameter, i) => {
    const j = parameter - from;
    const more = 1 / after[i]! ** 2 - 1 / before[parameter]! ** 2;
    const by = 1 + more * covariance[j * (n + 1)]!;
    const at = mean[j]!;
    const row = covariance.slice(j * n, (j + 1) * n);
    gained -= 0.5 * ((more * at * at) / by + Math.log(by)) + Math.log(after[i]! / before[parameter]!);
    for (let a = 0; a < n; a++) {
      const share = (more * row[a]!) / by;
      mean[a]! -= share * at;
      for (let b = 0; b < n; b++) covariance[a * n + b]! -= share * row[b]!;
    }
  });
  return gained;
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
  const healthy = sums.map((s) => new Evidence(s, priorOf(usual, s.cells)));
  // A faulty channel has one thing wrong with it, whichever, or more than one, and may bend beyond these columns.
  const anything = sums.map((s, i) => {
    const each = PARAMETERS.flatMap((p, j) =>
      wide[p] === undefined ? [] : [healthy[i]!.with([j], [wide[p]])],
    );
    each.push(
      evidenceOf(s.info, s.rhs, [
        ...PARAMETERS.map((p) => wide[p] ?? 1),
        ...Array.from({ length: SHAPES }, () => s.cells * usual.shapeV * WIDEST.shape * 4),
      ]),
    );
    const most = Math.max(...each);
    return most + Math.log(each.reduce((t, e) => t + Math.exp(e - most), 0) / each.length);
  });
  const pairs = tapEvidence(sums, plain, usual, wide);
  const usualSoFar = (scatter: Scatter): number =>
    KEYS.reduce((t, key) => t - 0.5 * (Math.log(scatter[key] / usual[key]) / USUAL_LOG_SD) ** 2, 0);
  /** How likely all readings are under a scatter, by the evidence of each channel under it. */
  const score = (scatter: Scatter, evidence: (i: number) => number): number => {
    let total = usualSoFar(scatter);
    const single = sums.map((_, i) =>
      logAdd(Math.log(1 - FAULTY_SHARE) + evidence(i), Math.log(FAULTY_SHARE) + anything[i]!),
    );
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
    return total;
  };
  let scatter = { ...usual };
  let best = score(scatter, (i) => healthy[i]!.now);
  for (let round = 0; round < ROUNDS; round++) {
    const before = best;
    for (const key of KEYS) {
      const of = PLACES[key];
      const priors = (size: number, { cells }: Sums): number[] =>
        of.map(() => (key === 'shapeV' ? cells * size : size));
      const most = key === 'shapeV' ? WIDEST.shape : WIDEST.own;
      const found = scatter[key];
      for (const way of [STEP, 1 / STEP])
        for (;;) {
          const size = scatter[key] * way;
          if (size > most * usual[key] || size < FINEST * usual[key]) break;
          const next = { ...scatter, [key]: size };
          const now = score(next, (i) => healthy[i]!.with(of, priors(size, sums[i]!)));
          if (now <= best) break;
          scatter = next;
          best = now;
        }
      if (scatter[key] !== found) healthy.forEach((e, i) => e.set(of, priors(scatter[key], sums[i]!)));
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
