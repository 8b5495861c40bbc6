import type { OcvCurve } from '../pack';
import { negativeAt, type NegativeElectrode } from './electrodes';

/** Even steps of charge from empty to full. */
export const CURVE_STEPS = 4096;
/** Steps to either side that a point of the curve is the mean of: half a percent of charge. */
const BESIDE = 20;
/** By curve, and by the electrode that is taken off it. */
const sampled = new WeakMap<OcvCurve, WeakMap<object, SampledCurve>>();
const NONE = {};

export interface SampledCurve {
  volt: Float64Array;
  slope: Float64Array;
}
/**
 * Volts and slope of the curve at even steps from empty to full, so that a fit looks them up without a search; of the positive electrode
 * where the negative one behind the curve is known.
 */
export function sampledCurve(curve: OcvCurve, negative: NegativeElectrode | null = null): SampledCurve {
  const own = sampled.get(curve) ?? new WeakMap<object, SampledCurve>();
  sampled.set(curve, own);
  let found = own.get(negative ?? NONE);
  if (!found) {
    // Straight on beyond its ends, and each point the mean of a stretch: a table is a chain of straight pieces, a cell
    // is not, and a fit would be caught at every corner.
    const straight = (s: number): number => {
      const inside = Math.min(1, Math.max(0, s));
      const whole = curve.voltageAt(inside) + curve.slopeAt(inside) * (s - inside);
      return negative ? whole + negativeAt(negative, s).v : whole;
    };
    const volt = new Float64Array(CURVE_STEPS + 2);
    const slope = new Float64Array(CURVE_STEPS + 2);
    const fine = Float64Array.from({ length: CURVE_STEPS + 2 * BESIDE + 1 }, (_, i) =>
      straight((i - BESIDE) / CURVE_STEPS),
    );
    // The running sum of each stretch, its ends by half.
    let sum = (fine[0]! + fine[2 * BESIDE]!) / 2;
    for (let k = 1; k < 2 * BESIDE; k++) sum += fine[k]!;
    for (let i = 0; i <= CURVE_STEPS; i++) {
      const [from, to] = [fine[i]!, fine[i + 2 * BESIDE]!];
      volt[i] = sum / (2 * BESIDE);
      slope[i] = ((to - from) * CURVE_STEPS) / (2 * BESIDE);
      sum += (to + (fine[i + 2 * BESIDE + 1] ?? to) - from - fine[i + 1]!) / 2;
    }
    volt[CURVE_STEPS + 1] = volt[CURVE_STEPS]!;
    slope[CURVE_STEPS + 1] = slope[CURVE_STEPS]!;
    found = { volt, slope };
    own.set(negative ?? NONE, found);
  }
  return found;
}
