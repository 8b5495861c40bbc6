import type { Verdict } from '../diagnosis';

/** What a channel shows more, V at each reading, for one unit of one cause, as healthy channels have it. */
export interface Column {
  /** How far healthy channels differ, in that unit. */
  sd: number;
  v: Float64Array;
}

/** What a channel would show, V at each reading, if one cause were wrong by each of several sizes, in order of size. */
export interface Cause {
  of: Verdict;
  shownV: Float64Array[];
}

/** Readings beyond this many say nothing new: errors of a board and of a curve do not average out. */
const MOST = 150;

/** What is left of a deviation once healthy differences, and directions that may take any size, have taken their share. */
function left(
  shownV: Float64Array,
  healthy: readonly Column[],
  free: Float64Array[],
  weight: number,
): number {
  const columns = [
    ...healthy.map((c) => ({ v: c.v, info: c.sd ** -2 })),
    // A direction that may take any size: so wide that it costs nothing, and not singular where two are alike.
    ...free.map((v) => ({ v, info: 1e-9 * v.reduce((s, x) => s + x * x, 1e-12) * weight })),
  ];
  const n = columns.length;
  const a = Array.from({ length: n }, () => new Float64Array(n + 1));
  columns.forEach((p, i) => {
    columns.forEach((q, j) => {
      let sum = 0;
      for (let k = 0; k < shownV.length; k++) sum += p.v[k]! * q.v[k]!;
      a[i]![j] = sum * weight;
    });
    let sum = 0;
    for (let k = 0; k < shownV.length; k++) sum += p.v[k]! * shownV[k]!;
    a[i]![n] = sum * weight;
    a[i]![i]! += p.info;
  });
  const right = a.map((row) => row[n]!);
  for (let i = 0; i < n; i++) {
    for (let r = i + 1; r < n; r++) {
      const f = a[r]![i]! / a[i]![i]!;
      for (let k = i; k <= n; k++) a[r]![k]! -= f * a[i]![k]!;
    }
  }
  const x = new Float64Array(n);
  for (let i = n - 1; i >= 0; i--) {
    let sum = a[i]![n]!;
    for (let k = i + 1; k < n; k++) sum -= a[i]![k]! * x[k]!;
    x[i] = sum / a[i]![i]!;
  }
  let square = 0;
  for (const v of shownV) square += v * v;
  return square * weight - right.reduce((s, b, i) => s + b * x[i]!, 0);
}

/**
 * Whether a deviation can be told from health and from every wrong cause, by the information in the record: the least
 * weighted square that is left when another cause takes whatever size explains the most, and the rest what healthy
 * channels have. Each cause is tried at each of its sizes with the true model of the cell, and on the straight line
 * between one size and the next; no fit of the diagnosis comes into it.
 */
export function discernible(
  shownV: Float64Array,
  healthy: readonly Column[],
  causes: readonly Cause[],
  truth: Verdict,
  noiseV: number,
): { detect: number; separate: number } {
  const weight = Math.min(1, MOST / shownV.length) / noiseV ** 2;
  const less = (a: Float64Array, b: Float64Array): Float64Array => a.map((v, k) => v - b[k]!);
  const tried = causes
    .filter((c) => c.of !== truth)
    .flatMap((c) =>
      c.shownV.slice(1).map((next, i) => {
        const from = c.shownV[i]!;
        return left(less(shownV, from), healthy, [less(next, from)], weight);
      }),
    );
  return { detect: left(shownV, healthy, [], weight), separate: Math.min(Infinity, ...tried) };
}
