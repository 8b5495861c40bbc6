/** Middle value of a sample; the mean of the two middle ones when the count is even. NaN when empty. */
export function median(values: ArrayLike<number>): number {
  const sorted = Float64Array.from(values).sort();
  const n = sorted.length;
  if (n === 0) return NaN;
  return n % 2 ? sorted[(n - 1) / 2]! : (sorted[n / 2 - 1]! + sorted[n / 2]!) / 2;
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
