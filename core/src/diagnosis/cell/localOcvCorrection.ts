import { ocvCurve, type OcvCurve } from '../../pack';
import { lowerBranch } from './hysteresis';
import { aged, negativeAt, type NegativeElectrode } from './halfCells';
import type { Trajectory } from './typicalCell';
import type { RestCurve } from './typicalCellFit';

/** Steps of charge in which the curve is written down, and the width a point of it is told over. */
const STEPS = 400;
const WIDTH = 0.008;
/** A record that moves the charge by less says nothing of the curve's shape. */
const LEAST_SPAN = 0.03;
/** Current, as a share of capacity an hour, at which a reading tells half as much of the rest curve. */
const LOADED = 0.3;
/** Readings, at rest, that weigh as much as the table. */
const TABLE_WEIGHS = 2;
/** Grid points to which what was seen reaches beyond, fading out. */
const FADES = 20;

/**
 * The rest curve as this very pack has it: its table, bent to the course of its own typical cell wherever the record
 * went. A table is another cell's, or the same one's when it was new, in steps of some per cent; a channel at another
 * charge is where the typical cell was earlier or will be later, and that was read.
 * @param t the typical cell's course; what the load drops in it is taken off its volts.
 */
export function ownCurve(
  { table, negative: behind }: RestCurve,
  t: Trajectory,
): { curve: OcvCurve; negative: NegativeElectrode | null } {
  const { curve: asTabled, negative } =
    behind && t.ageing ? aged(table, behind, t.ageing) : { curve: table, negative: behind };
  const curve = raised(t.branch ? ocvCurve(lowerBranch(asTabled, t.branch)) : asTabled, t.levelV);
  let low = Infinity;
  let high = -Infinity;
  for (let k = 0; k < t.timeS.length; k++) {
    if (Number.isNaN(t.typicalV[k]!)) continue;
    low = Math.min(low, t.socFraction[k]!);
    high = Math.max(high, t.socFraction[k]!);
  }
  return { curve: high - low > LEAST_SPAN ? bent(curve, seenBeside(curve, negative, t)) : curve, negative };
}

/** The same curve as a whole so much higher. */
function raised(curve: OcvCurve, byV: number): OcvCurve {
  return {
    ...curve,
    voltageAt: (s) => curve.voltageAt(s) + byV,
    socAt: (v) => curve.socAt(v - byV),
    socInterval: (v, tolerance) => curve.socInterval(v - byV, tolerance),
    minV: curve.minV + byV,
    maxV: curve.maxV + byV,
  };
}

/** By steps of charge how far the typical cell was seen beside a curve, V, and how often. */
interface Seen {
  weight: Float64Array;
  /** Weighted sum of what it lies beside the curve. */
  sum: Float64Array;
}

function seenBeside(curve: OcvCurve, negative: NegativeElectrode | null, t: Trajectory): Seen {
  const weight = new Float64Array(STEPS + 1);
  const sum = new Float64Array(STEPS + 1);
  const width = t.branch ? 4 * WIDTH : WIDTH;
  const reach = Math.ceil(3 * width * STEPS);
  for (let k = 0; k < t.timeS.length; k++) {
    const s = t.socFraction[k]! - t.positiveLagAh[k]! / t.capacityAh;
    const v = t.typicalV[k]!;
    if (Number.isNaN(v) || t.unsteady[k] || s < 0 || s > 1) continue;
    const behind = negative
      ? negativeAt(negative, s).v -
        negativeAt(negative, t.socFraction[k]! - t.negativeLagAh[k]! / t.capacityAh).v
      : 0;
    const off = v + t.ohmicV[k]! + t.slowV[k]! - (t.branch?.addsV[k] ?? 0) - curve.voltageAt(s) - behind;
    const rate = t.currentA[k]! / t.capacityAh / LOADED;
    const w = 1 / (1 + rate * rate);
    const at = Math.round(s * STEPS);
    for (let i = Math.max(0, at - reach); i <= Math.min(STEPS, at + reach); i++) {
      const kernel = w * Math.exp(-0.5 * ((i / STEPS - s) / width) ** 2);
      weight[i]! += kernel;
      sum[i]! += kernel * off;
    }
  }
  return { weight, sum };
}

function bent(curve: OcvCurve, { weight, sum }: Seen): OcvCurve {
  const shift = Float64Array.from(sum, (v, i) => v / (weight[i]! + TABLE_WEIGHS));
  // What was seen at either end fades out beyond it, so that the curve does not jump.
  const seen = [...weight.keys()].filter((i) => weight[i]! > TABLE_WEIGHS);
  if (seen.length === 0) return curve;
  const [first, last] = [seen[0]!, seen[seen.length - 1]!];
  for (let i = 0; i < first; i++) shift[i] = shift[first]! * Math.max(0, 1 - (first - i) / FADES);
  for (let i = last + 1; i <= STEPS; i++) shift[i] = shift[last]! * Math.max(0, 1 - (i - last) / FADES);
  let highest = -Infinity;
  const table = Array.from(shift, (d, i): [number, number] => {
    highest = Math.max(highest, curve.voltageAt(i / STEPS) + d);
    return [i / STEPS, highest];
  });
  return ocvCurve(table);
}
