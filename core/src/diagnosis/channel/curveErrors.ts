import type { Bends, DeviationSet } from './deviations';
import { placesOf } from './electrodePositions';

/**
 * How the real curve lies beside its table: shifted in charge, and waves of some mV. They matter only where a
 * channel is at another charge than the typical one, so the linear screening does without. From memory.
 */
export const CURVE_SHIFT_SD = 0.01;
export const CURVE_WAVES = [
  { perSoc: 9, sdV: 0.002 },
  { perSoc: 20, sdV: 0.0012 },
];

const USUAL_SD = [CURVE_SHIFT_SD, ...CURVE_WAVES.flatMap((w) => [w.sdV, w.sdV])];
/** What is known of it before a pack has spoken. */
export const USUAL_BENDS: Bends = {
  mean: new Float64Array(USUAL_SD.length),
  sd: Float64Array.from(USUAL_SD),
};

const waves = new WeakMap<DeviationSet, { sin: Float64Array; cos: Float64Array }[]>();
/** Sine and cosine of each wave at the typical cell's charge, once per record. */
export function wavesOf(observed: DeviationSet): { sin: Float64Array; cos: Float64Array }[] {
  let found = waves.get(observed);
  if (!found) {
    const { positive: soc } = placesOf(observed);
    found = CURVE_WAVES.map(({ perSoc }) => ({
      sin: soc.map((s) => Math.sin(perSoc * s)),
      cos: soc.map((s) => Math.cos(perSoc * s)),
    }));
    waves.set(observed, found);
  }
  return found;
}

/**
 * How the curves of cells that aged differently lie beside one another at the same charge: waves a volt-scale of which
 * (`Scatter.shapeV`) the pack's own majority tells. Coarse to fine; what is coarser is charge and capacity. Where the rest voltage
 * remembers, the gap between its branches is wider or narrower from cell to cell: that stands in place of the last wave.
 */
const SHAPE_WAVES_PER_SOC = [7, 16, 36];
export const SHAPES = 2 * SHAPE_WAVES_PER_SOC.length;
/** A gap that is hardly there has no size of its own, V. */
const LEAST_HALF_V = 0.002;
const shapes = new WeakMap<DeviationSet, Float64Array[]>();
/** One column per shape over the typical cell's charge, V for a unit. */
export function shapesOf(observed: DeviationSet): Float64Array[] {
  let found = shapes.get(observed);
  if (!found) {
    const { socFraction: soc, branch } = observed.trajectory;
    found = SHAPE_WAVES_PER_SOC.flatMap((w) => [
      soc.map((s) => Math.sin(w * s)),
      soc.map((s) => Math.cos(w * s)),
    ]);
    if (branch && branch.halfV > LEAST_HALF_V)
      found[SHAPES - 1] = branch.addsV.map((v) => v / branch.halfV - 1);
    shapes.set(observed, found);
  }
  return found;
}
