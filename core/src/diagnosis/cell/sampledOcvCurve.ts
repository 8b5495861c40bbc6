import type { OcvCurve } from '../../pack';
import { negativeAt, type NegativeElectrode } from './halfCells';

/** Even steps of charge from empty to full. */
export const CURVE_STEPS = 4096;
/** Half the stretch of charge that a point of the curve is the mean of. */
const SMOOTH = 0.005;
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
      const v = curve.voltageAt(inside) + curve.slopeAt(inside) * (s - inside);
      return negative ? v + negativeAt(negative, s).v : v;
    };
    const volt = new Float64Array(CURVE_STEPS + 2);
    const slope = new Float64Array(CURVE_STEPS + 2);
    // One step more than whole ones to either side: the stretch ends between two of them.
    const beside = Math.floor(SMOOTH * CURVE_STEPS);
    const part = SMOOTH * CURVE_STEPS - beside;
    const fine = Float64Array.from({ length: CURVE_STEPS + 2 * beside + 3 }, (_, i) =>
      straight((i - beside - 1) / CURVE_STEPS),
    );
    let whole = 0;
    for (let k = 1; k <= 2 * beside; k++) whole += (fine[k]! + fine[k + 1]!) / 2;
    for (let i = 0; i <= CURVE_STEPS; i++) {
      const low = fine[i + 1]!;
      const high = fine[i + 2 * beside + 1]!;
      const lowest = low + part * (fine[i]! - low);
      const highest = high + part * (fine[i + 2 * beside + 2]! - high);
      volt[i] = (whole + (part * (low + lowest + high + highest)) / 2) / (2 * SMOOTH * CURVE_STEPS);
      slope[i] = (highest - lowest) / (2 * SMOOTH);
      whole += (high + fine[i + 2 * beside + 2]! - low - fine[i + 2]!) / 2;
    }
    volt[CURVE_STEPS + 1] = volt[CURVE_STEPS]!;
    slope[CURVE_STEPS + 1] = slope[CURVE_STEPS]!;
    found = { volt, slope };
    own.set(negative ?? NONE, found);
  }
  return found;
}
