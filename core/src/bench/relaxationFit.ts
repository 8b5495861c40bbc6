import { covarianceOf, logDeterminant, solveSpd } from '../numerics/linearAlgebra';

/** Time constants of relaxation, h. From memory: a lithium cell settles within a day or two, the last of it by diffusion. */
const FASTEST_H = 0.05;
const SLOWEST_H = 60;
/** Time constants of a coarse look, and of its best pairs so many are followed to the top. */
const COARSE = 18;
const FOLLOWED = 4;
/** Draws over the time constants, and of those how many in a hundred over the whole range. */
const DRAWS = 400;
const ANYWHERE = 0.25;
/** Draws about a top are wider than it by this factor. */
const WIDER = 1.6;
/** No meter reads better than this, V. */
const LEAST_SD_V = 2e-4;
/** Half-normal prior of what a relaxation has still to fall when a charge ends, V a cell. From memory. */
const SETTLES_V = 0.02;
/** Prior of the change of a cell's voltage with warmth, V/K. From memory: entropy of the electrodes and a meter's own drift. */
const WARMS_V_PER_K = 0.001;

/** What was read, with the temperature's part taken off where it is known. */
export interface Course {
  timeH: readonly number[];
  v: readonly number[];
  /** Above the first, K; null where it is known or hardly changed. */
  heatK: readonly number[] | null;
  cells: number;
}

/** One set of time constants: how likely the readings are under it, and the drift it leaves, V/h. */
interface Fitted {
  logEvidence: number;
  driftVPerH: number;
  varDrift: number;
  residualV: number[];
  coefficients: number;
}

/** Radical inverse: the digits of a number behind the point, evenly spread over 0 to 1. */
function radicalInverse(index: number, base: number): number {
  let [n, f, x] = [index, 1 / base, 0];
  for (; n > 0; n = Math.floor(n / base), f /= base) x += f * (n % base);
  return x;
}
/** Points of a plane, normally distributed and evenly spread, by Box and Muller's transform. */
const normalPoints = (count: number): Point[] =>
  Array.from({ length: count }, (_, i): Point => {
    const radius = Math.sqrt(-2 * Math.log(radicalInverse(i + 1, 2)));
    const angle = 2 * Math.PI * radicalInverse(i + 1, 3);
    return [radius * Math.cos(angle), radius * Math.sin(angle)];
  });
const NORMAL_POINTS = /* @__PURE__ */ normalPoints(96);

/**
 * Fits V∞ − s·t + k·ΔT + Σ a·e^(−t/τ) for given time constants, its amplitudes no less than nothing: a Gaussian posterior, cut off there.
 * @returns null where the readings leave next to nothing of it above nothing
 */
function fitted(
  { timeH, v, heatK, cells }: Course,
  taus: readonly number[],
  varianceV: number,
): Fitted | null {
  const n = timeH.length;
  const spanH = timeH[n - 1]! - timeH[0]! || 1;
  const middle = v.reduce((a, b) => a + b, 0) / n;
  const columns = [
    timeH.map(() => 1),
    timeH.map((t) => -t / spanH),
    ...(heatK ? [heatK] : []),
    ...taus.map((tau) => timeH.map((t) => Math.exp(-t / tau))),
  ];
  const size = columns.length;
  const firstTau = size - taus.length;
  const amplitude = (SETTLES_V * cells) ** -2;
  const priorOf = (i: number): number =>
    i >= firstTau ? amplitude : i === 2 ? (WARMS_V_PER_K * cells) ** -2 : 1e-8 / varianceV;
  const precision = new Float64Array(size * size);
  const right = new Float64Array(size);
  for (let i = 0; i < size; i++) {
    for (let j = 0; j < size; j++)
      precision[i * size + j] = columns[i]!.reduce((s, x, r) => s + x * columns[j]![r]!, 0) / varianceV;
    precision[i * size + i]! += priorOf(i);
    right[i] = columns[i]!.reduce((s, x, r) => s + x * (v[r]! - middle), 0) / varianceV;
  }
  const mean = solveSpd(precision, right);
  const of = [1, ...taus.map((_, k) => firstTau + k)];
  const covariance = covarianceOf(precision, of);
  const cut = cutOff(
    of.map((i) => mean[i]!),
    covariance,
  );
  if (!cut) return null;
  const residualV = v.map((x, r) => x - middle - columns.reduce((s, c, i) => s + mean[i]! * c[r]!, 0));
  const misfit =
    residualV.reduce((s, r) => s + r * r, 0) / varianceV +
    mean.reduce((s, x, i) => s + priorOf(i) * x * x, 0);
  return {
    logEvidence:
      -0.5 * misfit -
      0.5 * logDeterminant(precision) +
      taus.length * Math.log(2 * Math.sqrt(amplitude)) +
      Math.log(cut.share),
    driftVPerH: cut.mean / spanH,
    varDrift: cut.variance / spanH ** 2,
    residualV,
    coefficients: size,
  };
}

/**
 * Mean and variance of the first of some normal quantities where all others are no less than nothing, and how likely that is.
 * @param covariance row by row; up to two others
 */
function cutOff(
  mean: readonly number[],
  covariance: Float64Array,
): { mean: number; variance: number; share: number } | null {
  const size = mean.length;
  const c = (i: number, j: number): number => covariance[i * size + j]!;
  if (size === 1) return { mean: mean[0]!, variance: c(0, 0), share: 1 };
  const l11 = Math.sqrt(c(1, 1));
  const l21 = size > 2 ? c(2, 1) / l11 : 0;
  const l22 = size > 2 ? Math.sqrt(Math.max(1e-30, c(2, 2) - l21 ** 2)) : 0;
  // The first by the others: its own part of the factor of the covariance.
  const b1 = c(0, 1) / l11;
  const b2 = size > 2 ? (c(0, 2) - b1 * l21) / l22 : 0;
  const own = Math.max(0, c(0, 0) - b1 ** 2 - b2 ** 2);
  const kept = NORMAL_POINTS.filter(
    ([z1, z2]) => mean[1]! + l11 * z1 >= 0 && (size < 3 || mean[2]! + l21 * z1 + l22 * z2 >= 0),
  ).map(([z1, z2]) => mean[0]! + b1 * z1 + b2 * z2);
  if (kept.length === 0) return null;
  const middle = kept.reduce((a, b) => a + b, 0) / kept.length;
  const spread = kept.reduce((s, x) => s + (x - middle) ** 2, 0) / kept.length;
  return { mean: middle, variance: own + spread, share: kept.length / NORMAL_POINTS.length };
}

type Point = readonly [number, number];

/** The range of the time constants, as logarithms: nothing faster than a third of a step of the readings is told from the first of them. */
function rangeOf(timeH: readonly number[]): Point {
  const stepH = Math.min(...timeH.slice(1).map((t, i) => t - timeH[i]!));
  return [Math.log(Math.max(FASTEST_H, stepH / 3)), Math.log(SLOWEST_H)];
}

/** Climbs to the nearest top of a function of two quantities, with steps that halve where none of them climbs. */
function top(of: (p: Point) => number, from: Point, [low, high]: Point, step: number): Point {
  let [at, best] = [from, of(from)];
  for (let size = step; size > 0.004;) {
    let moved = false;
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
      [1, 1],
      [-1, -1],
      [1, -1],
      [-1, 1],
    ] as const) {
      const next: Point = [at[0] + size * dx, at[1] + size * dy];
      if (next.some((x) => x < low || x > high)) continue;
      const value = of(next);
      if (value <= best) continue;
      [at, best, moved] = [next, value, true];
    }
    if (!moved) size /= 2;
  }
  return at;
}

/** A normal distribution about a top: as wide as the function falls from it, by second differences. */
interface About {
  at: Point;
  /** Lower factor of the covariance. */
  l: readonly [number, number, number];
}
function about(of: (p: Point) => number, at: Point): About {
  const h = 0.05;
  const f = (dx: number, dy: number): number => {
    const v = of([at[0] + dx * h, at[1] + dy * h]);
    return Number.isFinite(v) ? v : of(at) - 1;
  };
  const middle = f(0, 0);
  const least = 1 / 1.5 ** 2;
  const xx = Math.max(least, -(f(1, 0) - 2 * middle + f(-1, 0)) / h ** 2);
  const yy = Math.max(least, -(f(0, 1) - 2 * middle + f(0, -1)) / h ** 2);
  const cross = -(f(1, 1) - f(1, -1) - f(-1, 1) + f(-1, -1)) / (4 * h ** 2);
  const xy = Math.sign(cross) * Math.min(Math.abs(cross), 0.98 * Math.sqrt(xx * yy));
  const det = xx * yy - xy ** 2;
  const [cxx, cyy, cxy] = [yy / det, xx / det, -xy / det].map((c) => c * WIDER ** 2) as [
    number,
    number,
    number,
  ];
  const l11 = Math.sqrt(cxx);
  const l21 = cxy / l11;
  return { at, l: [l11, l21, Math.sqrt(Math.max(1e-12, cyy - l21 ** 2))] };
}
const densityOf = ({ at, l: [l11, l21, l22] }: About, p: Point): number => {
  const z1 = (p[0] - at[0]) / l11;
  const z2 = (p[1] - at[1] - l21 * z1) / l22;
  return Math.exp(-0.5 * (z1 ** 2 + z2 ** 2)) / (2 * Math.PI * l11 * l22);
};

/** Drift over all time constants, each weighed by how likely the readings are under it, V/h; its variance holds what they differ by. */
export function driftOf(course: Course): { driftVPerH: number; sdVPerH: number } {
  const range = rangeOf(course.timeH);
  const [low, high] = range;
  const n = course.timeH.length;
  const under =
    (varianceV: number) =>
    ([a, b]: Point): Fitted | null =>
      fitted(course, [Math.exp(Math.min(a, b)), Math.exp(Math.max(a, b) + 1e-6)], varianceV);
  const sum = (f: Fitted | null): number => (f ? f.residualV.reduce((s, r) => s + r * r, 0) : Infinity);
  const step = (high - low) / (COARSE - 1);
  const coarse = Array.from({ length: COARSE }, (_, i) => low + i * step);
  const pairs = coarse.flatMap((a, i) => coarse.slice(i).map((b): Point => [a, b]));
  // What the best of them leaves is the noise, and more of it where it runs one way for long: a misfit is no noise that averages out.
  const loosely = under(LEAST_SD_V ** 2);
  const ranked = (of: (p: Point) => number): Point[] =>
    pairs
      .map((p) => ({ p, v: of(p) }))
      .sort((x, y) => y.v - x.v)
      .slice(0, FOLLOWED)
      .map(({ p }) => p);
  const closest = ranked((p) => -sum(loosely(p)))
    .map((p) => loosely(top((q) => -sum(loosely(q)), p, range, step)))
    .reduce((x, y) => (sum(y) < sum(x) ? y : x));
  if (!closest) return { driftVPerH: 0, sdVPerH: Infinity };
  const left = Math.max(sum(closest), 1e-30);
  const alike = closest.residualV.slice(1).reduce((s, r, i) => s + r * closest.residualV[i]!, 0) / left;
  const runs = alike > 0.3 ? (1 + Math.min(0.9, alike)) / (1 - Math.min(0.9, alike)) : 1;
  const freedom = Math.max(1, n - closest.coefficients - 2);
  const at = under(Math.max((runs * left) / freedom, LEAST_SD_V ** 2));
  const likely = (p: Point): number => at(p)?.logEvidence ?? -Infinity;
  const tops = ranked(likely).map((p) => about(likely, top(likely, p, range, step)));
  const draws = drawn(tops, range).flatMap(({ p, density }) => {
    const f = at(p);
    return f ? [{ f, log: f.logEvidence - Math.log(density) }] : [];
  });
  if (draws.length === 0) return { driftVPerH: 0, sdVPerH: Infinity };
  const most = Math.max(...draws.map((d) => d.log));
  const weights = draws.map((d) => Math.exp(d.log - most));
  const total = weights.reduce((a, b) => a + b, 0);
  const mean = (of: (f: Fitted) => number): number =>
    draws.reduce((s, { f }, i) => s + (weights[i]! / total) * of(f), 0);
  const driftVPerH = mean((f) => f.driftVPerH);
  const own = mean((f) => f.varDrift + (f.driftVPerH - driftVPerH) ** 2);
  return { driftVPerH, sdVPerH: Math.sqrt(own * (freedom > 2 ? freedom / (freedom - 2) : 3)) };
}

/** Draws over the plane: about each top and over the whole range, with the density of the draw where each lies. */
function drawn(tops: readonly About[], [low, high]: Point): { p: Point; density: number }[] {
  const span = high - low;
  const wide = Math.round(ANYWHERE * DRAWS);
  const each = Math.floor((DRAWS - wide) / tops.length);
  const density = (p: Point): number =>
    wide / DRAWS / span ** 2 + tops.reduce((s, t) => s + (each / DRAWS) * densityOf(t, p), 0);
  const points: Point[] = [
    ...Array.from({ length: wide }, (_, i): Point => [
      low + span * radicalInverse(i + 1, 2),
      low + span * radicalInverse(i + 1, 3),
    ]),
    ...tops.flatMap(({ at, l: [l11, l21, l22] }) =>
      normalPoints(each).map(([z1, z2]): Point => [at[0] + l11 * z1, at[1] + l21 * z1 + l22 * z2]),
    ),
  ];
  return points.filter((p) => p.every((x) => x >= low && x <= high)).map((p) => ({ p, density: density(p) }));
}
