import type { Verdict } from '../spread';

/** What a channel shows more, V at each reading, for one unit of one cause; `sd` is how far healthy channels differ. */
export interface Column {
  /** The verdict that this cause would be; null for what is never a fault. */
  of: Verdict | null;
  /** 0: only where its cause is supposed, as the bend of a large difference. */
  sd: number;
  v: Float64Array;
}

/** Readings beyond this many say nothing new: errors of a board and of a curve do not average out. */
const MOST = 150;

/** A cause that is supposed may be of any size within reason: three times a resistance, all of a charge. */
const FREE_SD = 2;

/**
 * Whether a deviation can be told from health and from every wrong cause, by the information in the record: the least
 * weighted square that is left when one other cause may take any size, and the rest what healthy channels have. Linear
 * in the causes about the healthy channel, with the true columns and the bend of a large difference beside the small one;
 * no fit of the diagnosis comes into it.
 */
export function discernible(
  shownV: Float64Array,
  columns: readonly Column[],
  truth: Verdict,
  noiseV: number,
): { detect: number; separate: number } {
  const weight = Math.min(1, MOST / shownV.length) / noiseV ** 2;
  const left = (free: Verdict | null): number => {
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
      a[i]![i]! += p.of !== null && p.of === free ? FREE_SD ** -2 : p.sd > 0 ? p.sd ** -2 : 1e15;
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
  };
  const causes = new Set(columns.flatMap((c) => (c.of && c.of !== truth ? [c.of] : [])));
  return { detect: left(null), separate: Math.min(...[...causes].map((c) => left(c))) };
}
