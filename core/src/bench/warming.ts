/** A temperature of a module on the bench. */
export interface Warmth {
  /** Minutes, from any beginning. */
  min: number;
  c: number;
}
export interface Warming {
  cPerMin: number;
  /** Until the limit, min; null where it does not rise. */
  limitInMin: number | null;
  says: string;
}
/** Only what is this near in time belongs to one rise, min. */
const ONE_RISE_MIN = 60;
/** Rises slower than this are the room. From memory. */
const LEAST_RISE_C_PER_MIN = 0.1;

/**
 * Whether a module that is charged grows warm towards its limit, by its newest temperatures (least squares over the last hour):
 * told before the limit is there. Null where two readings do not tell, or nothing rises.
 * @param mostC its limit. @param mostCPerMin the rise at which a charge has to end; null where none is known.
 */
export function warming(
  readings: readonly Warmth[],
  mostC: number,
  mostCPerMin: number | null,
): Warming | null {
  const sorted = [...readings].sort((a, b) => a.min - b.min);
  const last = sorted.at(-1);
  if (!last) return null;
  if (last.c >= mostC)
    return {
      cPerMin: NaN,
      limitInMin: 0,
      says: `${last.c.toFixed(0)} °C: stop it now, the limit is ${mostC} °C.`,
    };
  const near = sorted.filter((r) => last.min - r.min <= ONE_RISE_MIN);
  const n = near.length;
  const [mx, my] = [near.reduce((s, r) => s + r.min, 0) / n, near.reduce((s, r) => s + r.c, 0) / n];
  const sxx = near.reduce((s, r) => s + (r.min - mx) ** 2, 0);
  if (n < 2 || sxx === 0) return null;
  const cPerMin = near.reduce((s, r) => s + (r.min - mx) * (r.c - my), 0) / sxx;
  if (cPerMin < LEAST_RISE_C_PER_MIN) return null;
  const limitInMin = (mostC - last.c) / cPerMin;
  const fast = mostCPerMin !== null && cPerMin >= mostCPerMin;
  return {
    cPerMin,
    limitInMin,
    says: fast
      ? `${last.c.toFixed(0)} °C and rising ${cPerMin.toFixed(1)} °C a minute: it takes no more charge. Stop it now.`
      : `${last.c.toFixed(0)} °C, rising ${cPerMin.toFixed(1)} °C a minute: ${mostC} °C in ${limitInMin.toFixed(0)} min.`,
  };
}
