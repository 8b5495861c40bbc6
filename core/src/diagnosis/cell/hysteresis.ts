import type { OcvCurve } from '../../pack';
import { accumulate, solveSpd } from '../../numerics/linearAlgebra';

/**
 * Where the rest voltage of a cell that remembers comes from, along a record: −1 after a discharge, 1 after a charge. Charge
 * that flows walks it from one to the other: `dh = turns·|dq|·(±1 − h)` with q as a share of capacity (one-state
 * hysteresis; form of Verbrugge and Tate, J. Power Sources 126 (2004) 236, from memory). It is linear in where it stood at the start: h = free·h₀ + driven.
 */
export interface BranchCourse {
  turns: number;
  free: Float64Array;
  driven: Float64Array;
}

/**
 * @param drawnAh charge drawn since the start; `days` since then; `leakPerDay` share of charge that is lost by itself
 */
export function branchCourse(
  drawnAh: Float64Array,
  days: Float64Array,
  leakPerDay: number,
  capacityAh: number,
  turns: number,
): BranchCourse {
  const free = new Float64Array(drawnAh.length).fill(1);
  const driven = new Float64Array(drawnAh.length);
  for (let k = 1; k < drawnAh.length; k++) {
    const flows = (drawnAh[k]! - drawnAh[k - 1]!) / capacityAh + leakPerDay * (days[k]! - days[k - 1]!);
    const stays = Math.exp(-turns * Math.abs(flows));
    free[k] = free[k - 1]! * stays;
    driven[k] = driven[k - 1]! * stays - Math.sign(flows) * (1 - stays);
  }
  return { turns, free, driven };
}

/** What the branch of the typical cell adds to the lower one, and how it is another one in a channel that differs; V a cell. */
export interface Branch {
  /** Half of what lies between the two, and how soon a turn of the current crosses it. */
  halfV: number;
  turns: number;
  /** Half of what the full end of the table lies above the branch of the rest. */
  topV: number;
  addsV: Float64Array;
  /** For a unit of sooner drawn down, and of charge that is lost by itself in a day. */
  byGainV: Float64Array;
  byLeakV: Float64Array;
}

const STEP = 0.05;
const LEAK_STEP = 0.002;
/** @param given half the gap, that times where the typical cell stood at the start, and what the full end of the table has of it, V */
export function branchOf(
  { halfV, startV, topV }: { halfV: number; startV: number; topV: number },
  turns: number,
  drawnAh: Float64Array,
  days: Float64Array,
  leakPerDay: number,
  capacityAh: number,
): Branch {
  const volts = (sooner: number, leak: number): Float64Array => {
    const { free, driven } = branchCourse(drawnAh, days, leak / sooner, capacityAh, turns * sooner);
    return driven.map((d, k) => halfV * d + startV * free[k]!);
  };
  const here = volts(1, leakPerDay);
  return {
    halfV,
    turns,
    topV,
    addsV: here.map((v) => v + halfV),
    byGainV: volts(1 + STEP, leakPerDay).map((v, k) => (v - here[k]!) / STEP),
    byLeakV: volts(1, leakPerDay + LEAK_STEP).map((v, k) => (v - here[k]!) / LEAK_STEP),
  };
}

/** How far a table that was taken on the way down, after a charge, lies above the branch of the rest, V for a volt of half of it; and its slope. */
export const tableAbove = (socFraction: number, turns: number): { v: number; along: number } => {
  const v = 2 * Math.exp(-turns * Math.max(0, 1 - socFraction));
  return { v, along: socFraction < 1 ? turns * v : 0 };
};

const POINTS = 400;
/**
 * Width over which a point of the curve is told, share of charge: a table in steps of 2 % rounded to a millivolt tells a slope of
 * 0.15 V to a fifth.
 */
const WIDTH = 0.03;

/** That table without the branch it comes from, rising throughout; each point by the parabola through what lies around it. */
export function lowerBranch(curve: OcvCurve, { topV, turns }: Branch): [number, number][] {
  const below = Float64Array.from({ length: POINTS + 1 }, (_, i) => {
    const s = i / POINTS;
    return curve.voltageAt(s) - topV * tableAbove(s, turns).v;
  });
  const reach = Math.round(2.5 * WIDTH * POINTS);
  let highest = -Infinity;
  return Array.from(below, (_, i): [number, number] => {
    const info = new Float64Array(9);
    const rhs = new Float64Array(3);
    for (let j = Math.max(0, i - reach); j <= Math.min(POINTS, i + reach); j++) {
      const x = (j - i) / (WIDTH * POINTS);
      accumulate(info, rhs, [1, x, x * x], below[j]!, Math.exp(-0.5 * x * x));
    }
    highest = Math.max(highest, solveSpd(info, rhs)[0]!);
    return [i / POINTS, highest];
  });
}
