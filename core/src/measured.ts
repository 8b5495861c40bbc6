/**
 * A figure that readings support, with the interval that holds the truth 19 times of 20 and what it rests on; or the
 * plain word that nobody measured it, why, and what would. Nothing in between: a prior is never one of these.
 */
export type Measured =
  | { measured: true; value: number; low: number; high: number; from: string }
  | { measured: false; why: string; test: string };

/** A measured figure with ± two standard deviations; neither it nor its interval lies below what is possible. */
export const measured = (value: number, sd: number, from: string, least = -Infinity): Measured => ({
  measured: true,
  value: Math.max(least, value),
  low: Math.max(least, value - 2 * sd),
  high: Math.max(least, value + 2 * sd),
  from,
});

export const notMeasured = (why: string, test: string): Measured => ({ measured: false, why, test });

/** The same figure in another unit, or the same reason why there is none. */
export function scaled(m: Measured, factor: number): Measured {
  if (!m.measured) return m;
  const [a, b] = [m.low * factor, m.high * factor];
  return { ...m, value: m.value * factor, low: Math.min(a, b), high: Math.max(a, b) };
}

/**
 * How much more the second of two figures is, or null where that is no more than both are off by: errors of two measurements add in square (JCGM
 * 100:2008, 5.1.2). What both are off by alike would make it surer, and is not counted on.
 */
export function changeOf(before: Measured, after: Measured): number | null {
  if (!before.measured || !after.measured) return null;
  const change = after.value - before.value;
  const [high, low] = change > 0 ? [after, before] : [before, after];
  return Math.abs(change) > Math.hypot(high.value - high.low, low.high - low.value) ? change : null;
}

/** The value, or null where nothing was measured. */
export const valueOf = (m: Measured): number | null => (m.measured ? m.value : null);

/** An estimate with its standard deviation. */
export interface Estimated {
  value: number;
  sd: number;
}
