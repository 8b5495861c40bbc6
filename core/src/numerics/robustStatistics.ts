/** Room for a sample whose order is not kept. */
let room = new Float64Array(256);

/**
 * What would stand at place `k` of a sample in order, from 0 on; NaN counts as largest. By Hoare's selection (CACM 4 (1961) 321): sorting all of it takes several
 * times as long, and it is asked for at every moment of a record. What is before place `k` of `room` afterwards is no larger.
 */
export function ranked(values: ArrayLike<number>, k: number): number {
  const n = values.length;
  if (room.length < n) room = new Float64Array(2 * n);
  const a = room;
  let high = -1;
  for (let i = 0; i < n; i++) {
    const v = values[i]!;
    if (!Number.isNaN(v)) a[++high] = v;
  }
  if (k > high) return NaN;
  let low = 0;
  while (low < high) {
    const pivot = a[k]!;
    let i = low;
    let j = high;
    do {
      while (a[i]! < pivot) i++;
      while (pivot < a[j]!) j--;
      if (i <= j) {
        const v = a[i]!;
        a[i++] = a[j]!;
        a[j--] = v;
      }
    } while (i <= j);
    if (j < k) low = i;
    if (k < i) high = j;
  }
  return a[k]!;
}

/** Middle value of a sample; the mean of the two middle ones when the count is even. NaN when empty. */
export function median(values: ArrayLike<number>): number {
  const n = values.length;
  if (n === 0) return NaN;
  const k = n >> 1;
  const upper = ranked(values, k);
  if (n % 2) return upper;
  let lower = -Infinity;
  for (let i = 0; i < k; i++) if (room[i]! > lower) lower = room[i]!;
  return (lower + upper) / 2;
}

/** Median absolute deviation from the median, unscaled. `medianAbsoluteDeviation([1,1,2,2,4,6,9])` is 1. */
export function medianAbsoluteDeviation(values: ArrayLike<number>, centre = median(values)): number {
  return median(Float64Array.from(values, (v) => Math.abs(v - centre)));
}

/** Beyond this modified z-score a value is an outlier (Iglewicz & Hoaglin 1993; NIST/SEMATECH e-Handbook 1.3.5.17). */
export const MODIFIED_Z_LIMIT = 3.5;

/**
 * Modified z-scores 0.6745 (x − median) / MAD (NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.5.17).
 * `floor` is the least MAD allowed, in the unit of the values: with the sensor step as floor an even pack flags nothing.
 */
export function modifiedZScores(values: ArrayLike<number>, floor = 0): number[] {
  const centre = median(values);
  const mad = Math.max(medianAbsoluteDeviation(values, centre), floor);
  return Array.from(values, (v) =>
    mad === 0 ? (v === centre ? 0 : Math.sign(v - centre) * Infinity) : (0.6745 * (v - centre)) / mad,
  );
}

/** Standard deviation as a robust estimate: 1.4826 × MAD. */
export const robustSigma = (values: ArrayLike<number>): number => 1.4826 * medianAbsoluteDeviation(values);
