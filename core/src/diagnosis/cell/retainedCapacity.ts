import type { OcvCurve } from '../../pack';
import { negativeAt, type NegativeElectrode } from './halfCells';

/** The curve, straight on below empty. */
const below = (curve: OcvCurve, s: number): number =>
  s >= 0 ? curve.voltageAt(s) : curve.voltageAt(0) + s * curve.slopeAt(0);

/**
 * What a channel holds of what the typical one holds, from full to the voltage at which that one is empty.
 * @param gain, slip, stretch as a fit has them: how much sooner it is drawn down, and how far its negative electrode is behind
 */
export function heldRatio(
  { curve, negative }: { curve: OcvCurve; negative: NegativeElectrode | null },
  gain: number,
  slip: number,
  stretch: number,
): number {
  if (!negative || (slip === 0 && stretch === 0)) return 1 / (1 + gain);
  const emptyV = below(curve, 0);
  const above = (drawn: number): boolean => {
    const s = 1 - (1 + gain) * drawn;
    const { v } = negativeAt(negative, s);
    return below(curve, s) + v - negativeAt(negative, s - slip - stretch * drawn).v > emptyV;
  };
  let [low, high] = [0.05, 2];
  for (let k = 0; k < 40; k++) {
    const middle = (low + high) / 2;
    if (above(middle)) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}
