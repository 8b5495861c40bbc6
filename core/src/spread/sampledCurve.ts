import type { OcvCurve } from '../pack';
import { negativeAt, type NegativeElectrode } from './electrodes';

/** Even steps of charge from empty to full. */
export const CURVE_STEPS = 4096;
/** Half the stretch of charge that a point of the curve is the mean of, and the parts it is taken in. */
const SMOOTH = 0.005;
const SMOOTH_PARTS = 16;
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
    const even = (of: (s: number) => number): Float64Array =>
      Float64Array.from({ length: CURVE_STEPS + 2 }, (_, i) => of(Math.min(1, i / CURVE_STEPS)));
    // Straight on beyond its ends, and each point the mean of a stretch: a table is a chain of straight pieces, a cell
    // is not, and a fit would be caught at every corner.
    const straight = (s: number): number => {
      const inside = Math.min(1, Math.max(0, s));
      const whole = curve.voltageAt(inside) + curve.slopeAt(inside) * (s - inside);
      return negative ? whole + negativeAt(negative, s).v : whole;
    };
    const mean = (s: number): number => {
      let sum = (straight(s - SMOOTH) + straight(s + SMOOTH)) / 2;
      for (let j = 1; j < SMOOTH_PARTS; j++) sum += straight(s + SMOOTH * ((2 * j) / SMOOTH_PARTS - 1));
      return sum / SMOOTH_PARTS;
    };
    found = {
      volt: even(mean),
      slope: even((s) => (straight(s + SMOOTH) - straight(s - SMOOTH)) / (2 * SMOOTH)),
    };
    own.set(negative ?? NONE, found);
  }
  return found;
}
