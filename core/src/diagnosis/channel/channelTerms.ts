import type { Branch } from '../cell/hysteresis';
import { CURVE_WAVES, SHAPES, shapesOf, wavesOf } from './curveErrors';
import { negativeAt } from '../cell/halfCells';
import type { Observation, DeviationSet } from './deviations';
import { BENT, SHAPE, type Hypothesis } from './parameters';
import { placesOf, type Places } from './electrodePositions';
import { CURVE_STEPS, sampledCurve, type SampledCurve } from '../cell/sampledOcvCurve';
import type { Trajectory } from '../cell/typicalCell';

/** Days since the record began. */
export const daysAt = ({ timeS }: Trajectory, k: number): number => (timeS[k]! - timeS[0]!) / 86400;

/** Slopes of both electrodes on the trajectory's grid, so that they are looked up once and not per channel; V a cell for a unit of charge. */
export interface Slopes {
  positive: Float64Array;
  negative: Float64Array;
}

export function slopesOf(observed: DeviationSet): Slopes {
  const { curve, negative } = observed;
  const places = placesOf(observed);
  const behind = (s: number): number => (negative ? negativeAt(negative, s).along : 0);
  return {
    positive: places.positive.map((s) => curve.slopeAt(s) + behind(s)),
    negative: places.negative.map(behind),
  };
}

/** What slow resistance drops in the typical cell at each moment while differences are small, V a cell: volts, and charge that lags. */
export function slowDrop(observed: DeviationSet, slopes: Slopes): Float64Array {
  const { slowV, positiveLagAh, negativeLagAh, capacityAh } = observed.trajectory;
  return slowV.map(
    (v, k) =>
      v + (slopes.positive[k]! * positiveLagAh[k]! - slopes.negative[k]! * negativeLagAh[k]!) / capacityAh,
  );
}

/** Where a channel is on either electrode and how steep that is there, for one reading. */
interface Steepness {
  /** Slope of the positive and of the negative electrode, V a cell for a unit of charge. */
  positive: number;
  negative: number;
  /** Charge drawn from either, share of capacity, and the charge below full on the negative one. */
  positiveDrawn: number;
  negativeDrawn: number;
  below: number;
  /** How far ahead the surface of either is, share of capacity: what slow resistance is made of beside volts. */
  positiveLag: number;
  negativeLag: number;
}

/**
 * What one unit of each parameter adds to reading `i` of `n`, V.
 * @param tied 1 where slow resistance goes with the ohmic one, else 0.
 */
export function setColumns(
  columns: Float64Array,
  n: number,
  i: number,
  cells: number,
  at: Steepness,
  days: number,
  ohmicV: number,
  slowV: number,
  tied: number,
): void {
  const along = at.positive - at.negative;
  columns[i] = cells * along;
  columns[n + i] = -cells * (at.positive * at.positiveDrawn - at.negative * at.negativeDrawn);
  const slow = slowV + at.positive * at.positiveLag - at.negative * at.negativeLag;
  columns[2 * n + i] = -cells * (ohmicV + tied * slow);
  columns[3 * n + i] = -cells * slow;
  columns[4 * n + i] = -cells * along * days;
  columns[5 * n + i] = 1;
  columns[6 * n + i] = cells * at.negative;
  columns[7 * n + i] = cells * at.negative * at.below;
}

/** What the columns of capacity and leakage have more of in a cell that remembers: it comes to the other branch sooner. */
export function addBranch(
  columns: Float64Array,
  n: number,
  i: number,
  k: number,
  cells: number,
  { byGainV, byLeakV }: Branch,
): void {
  columns[n + i]! += cells * byGainV[k]!;
  columns[4 * n + i]! += cells * byLeakV[k]!;
}

/** Charge at the start that a low-capacity channel of an explanation has missed already, share of capacity. */
export const levelOf = ({ levelAt }: Hypothesis, { socFraction }: Trajectory): number =>
  levelAt === 'full' ? Math.max(0, 1 - socFraction[0]!) : 0;

/** What one look at a channel needs: everything but the parameters. */
export interface Looked {
  observed: DeviationSet;
  /** What is the same for all channels of a record, at hand. */
  places: Places;
  sampled: SampledCurve;
  waves: { sin: Float64Array; cos: Float64Array }[];
  typical: Typical;
  slopes: Slopes;
  channel: Observation;
  cells: number;
  hypothesis: Hypothesis;
  /** One column a parameter: what it adds to each reading; kept from the last look so that the next step needs no second one. */
  columns: Float64Array;
  residualV: Float64Array;
  shapeV: Float64Array;
}

/** Volts of either electrode of the typical cell at each moment, V a cell, and the slope of the negative one. */
interface Typical {
  positiveV: Float64Array;
  negativeV: Float64Array;
  negativeSteep: Float64Array;
}

const typical = new WeakMap<DeviationSet, Typical>();
/** They are the same for every channel of a record, whatever is fitted to it. */
function typicalOf(observed: DeviationSet, slopes: Slopes): Typical {
  let found = typical.get(observed);
  if (!found) {
    const { positive, negative } = placesOf(observed);
    const { volt } = sampledCurve(observed.curve, observed.negative);
    const behind = [...negative].map((s) => observed.negative && negativeAt(observed.negative, s));
    found = {
      positiveV: positive.map((s, k) => {
        const inside = Math.min(1, Math.max(0, s));
        const at = inside * CURVE_STEPS;
        const h = Math.floor(at);
        return volt[h]! + (at - h) * (volt[h + 1]! - volt[h]!) + slopes.positive[k]! * (s - inside);
      }),
      negativeV: Float64Array.from(behind, (b) => b?.v ?? 0),
      negativeSteep: Float64Array.from(behind, (b) => b?.steep ?? 0),
    };
    typical.set(observed, found);
  }
  return found;
}

/**
 * The charge term of one reading, V a cell, and how it changes with the gap, V per unit of charge: the table's own
 * difference, and that of the shift and the waves beside it, whose columns are filled.
 * @param dWaves gap of the electrode that the waves move with; `waving` is how their part changes with it
 */
function chargeTerm(
  l: Looked,
  th: Float64Array,
  i: number,
  d: number,
  dWaves: number,
): { charge: number; along: number; waving: number } {
  const k = l.channel.at[i]!;
  const plain = l.slopes.positive[k]!;
  const n = l.residualV.length;
  const s = l.places.positive[k]! + d;
  const { volt, slope: steep } = l.sampled;
  const inside = Math.min(1, Math.max(0, s));
  const at = inside * CURVE_STEPS;
  const g = Math.floor(at);
  const slope = steep[g]! + (at - g) * (steep[g + 1]! - steep[g]!);
  const shift = th[BENT]!;
  let charge =
    volt[g]! +
    (at - g) * (volt[g + 1]! - volt[g]!) +
    // Beyond its ends the curve goes on as it left.
    slope * (s - inside) -
    l.typical.positiveV[k]! +
    shift * (slope - plain);
  let waving = 0;
  const along =
    s === inside ? CURVE_STEPS * (volt[g + 1]! - volt[g]! + shift * (steep[g + 1]! - steep[g]!)) : slope;
  l.columns[BENT * n + i] = l.cells * (slope - plain);
  const { waves } = l;
  for (let j = 0; j < CURVE_WAVES.length; j++) {
    // sin and cos of a sum, with those of the typical cell's charge known already.
    const { sin, cos } = waves[j]!;
    const { perSoc } = CURVE_WAVES[j]!;
    const x = perSoc * dWaves;
    const small = x > -0.25 && x < 0.25;
    // Series to the seventh power are good to 1e-9 there.
    const cosD = small ? x * x * (-0.5 + x * x * (1 / 24 - (x * x) / 720)) : Math.cos(x) - 1;
    const sinD = small ? x * (1 + x * x * (-1 / 6 + x * x * (1 / 120 - (x * x) / 5040))) : Math.sin(x);
    const a = sin[k]! * cosD + cos[k]! * sinD;
    const b = cos[k]! * cosD - sin[k]! * sinD;
    const byA = th[BENT + 1 + 2 * j]!;
    const byB = th[BENT + 2 + 2 * j]!;
    l.columns[(BENT + 1 + 2 * j) * n + i] = l.cells * a;
    l.columns[(BENT + 2 + 2 * j) * n + i] = l.cells * b;
    charge += byA * a + byB * b;
    waving += perSoc * (byA * (b + cos[k]!) - byB * (a + sin[k]!));
  }
  return { charge, along, waving };
}

/**
 * The negative electrode's part of one reading, V a cell, how it changes with its charge, and what a unit of shift of the curve adds to it.
 */
function negativeTerm(
  { observed: { negative }, typical: { negativeV, negativeSteep } }: Looked,
  k: number,
  s: number,
  shift: number,
): { v: number; along: number; shifted: number } {
  if (!negative) return NO_ELECTRODE;
  const there = negativeAt(negative, s);
  const shifted = there.steep - negativeSteep[k]!;
  return { v: there.v - negativeV[k]! + shift * shifted, along: there.along + shift * there.curved, shifted };
}
const NO_ELECTRODE = { v: 0, along: 0, shifted: 0 };

/** Fills residuals and columns for a set of parameters; returns the weighted sum of squares of the residuals. */
export function look(l: Looked, th: Float64Array, weight: number): number {
  const { channel, columns, residualV, shapeV, cells, hypothesis } = l;
  const t = l.observed.trajectory;
  const n = residualV.length;
  const { places } = l;
  const level = levelOf(hypothesis, t);
  const slowV = hypothesis.tied ? 1 : 0;
  shapeV.fill(0);
  for (let j = SHAPE; j < SHAPE + SHAPES; j++) {
    const by = th[j]!;
    if (by !== 0) for (let i = 0; i < n; i++) shapeV[i]! += by * columns[j * n + i]!;
  }
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const k = channel.at[i]!;
    const days = daysAt(t, k);
    const positiveDrawn = places.positiveDrawn[k]! + level;
    const negativeDrawn = places.negativeDrawn[k]! + level;
    const onNegative = places.negative[k]!;
    const leaked = th[0]! - th[4]! * days;
    const slow = slowV * th[2]! + th[3]!;
    const positiveLag = t.positiveLagAh[k]! / t.capacityAh;
    const negativeLag = t.negativeLagAh[k]! / t.capacityAh;
    const onPositive = leaked - th[1]! * positiveDrawn - slow * positiveLag;
    const behind = leaked - th[1]! * negativeDrawn - slow * negativeLag - th[6]! - th[7]! * (1 - onNegative);
    const { bendsBehind } = l.observed;
    const branchV = t.branch ? th[1]! * t.branch.byGainV[k]! + th[4]! * t.branch.byLeakV[k]! : 0;
    const { charge, along, waving } = chargeTerm(l, th, i, onPositive, bendsBehind ? behind : onPositive);
    const negative = negativeTerm(l, k, onNegative + behind, th[BENT]!);
    l.columns[BENT * n + i]! -= cells * negative.shifted;
    const r =
      channel.deviationV[i]! -
      (cells * (charge + branchV - negative.v - th[2]! * t.ohmicV[k]! - slow * t.slowV[k]!) +
        th[5]! +
        shapeV[i]!);
    residualV[i] = r;
    sum += weight * channel.count[i]! * r * r;
    const at = {
      positive: along + (bendsBehind ? 0 : waving),
      negative: negative.along - (bendsBehind ? waving : 0),
      positiveDrawn,
      negativeDrawn,
      below: 1 - onNegative,
      positiveLag,
      negativeLag,
    };
    setColumns(columns, n, i, cells, at, days, t.ohmicV[k]!, t.slowV[k]!, slowV);
    if (t.branch) addBranch(columns, n, i, k, cells, t.branch);
  }
  return sum;
}

/** All that a look at one channel needs, with room for what it fills. */
export function lookedAt(
  observed: DeviationSet,
  slopes: Slopes,
  channel: Observation,
  cells: number,
  hypothesis: Hypothesis,
  columns: Float64Array,
): Looked {
  const n = channel.at.length;
  // Shapes lie over the typical cell's charge, whatever the channel's own gap is.
  shapesOf(observed).forEach((shape, j) => {
    for (let i = 0; i < n; i++) columns[(SHAPE + j) * n + i] = shape[channel.at[i]!]!;
  });
  return {
    observed,
    places: placesOf(observed),
    sampled: sampledCurve(observed.curve, observed.negative),
    waves: wavesOf(observed),
    typical: typicalOf(observed, slopes),
    slopes,
    channel,
    cells,
    hypothesis,
    columns,
    residualV: new Float64Array(n),
    shapeV: new Float64Array(n),
  };
}
