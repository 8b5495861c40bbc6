import { factsOf, type OcvCurve, type Pack } from '../../pack';
import { branchOf, tableAbove, type Branch, type BranchCourse } from './hysteresis';
import { negativeAt, type NegativeElectrode } from './halfCells';
import { heldRatio } from './retainedCapacity';
import { minimise } from '../../numerics/levenbergMarquardt';
import { accumulateColumns, covarianceOf, varianceOf } from '../../numerics/linearAlgebra';
import { median } from '../../numerics/robustStatistics';

/** The rest curve that is fitted: a table, and the negative electrode behind it where one is known. */
export interface RestCurve {
  table: OcvCurve;
  negative: NegativeElectrode | null;
  /** Under load the surface of both electrodes is ahead by as much: of a flat curve only one shows. */
  together?: boolean;
}

/** What the typical cell went through, on a grid of moments. */
interface Course {
  days: Float64Array;
  drawnAh: Float64Array;
  currentA: Float64Array;
  /** The current through two lags, A. */
  slow: [Float64Array, Float64Array];
  /** The current through the lag of a sphere's surface, A. */
  diffusing: Float64Array;
  typicalV: Float64Array;
  weights: Float64Array;
  /** Where its voltage comes from, of a cell that remembers. */
  branch: BranchCourse | null;
}

export interface TypicalFit {
  theta: Float64Array;
  info: Float64Array;
  cost: number;
  /** What the cell holds from full to empty, as a share of the table's charge. */
  held: number;
  capacityAh: number;
  capacitySdAh: number;
}

/** Where each parameter of the typical cell stands: charge is that of the positive electrode, in the table's own measure. */
export const AT = {
  soc: 0,
  perAh: 1,
  ohmic: 2,
  slow1: 3,
  slow2: 4,
  leak: 5,
  slip: 6,
  stretch: 7,
  positiveLag: 8,
  negativeLag: 9,
  /** From here on how the table lies beside the cell's curve: as a whole, then in waves. */
  level: 10,
} as const;

/** Most moments used to fit the typical cell; more say little that is new. */
const FIT_MOMENTS = 700;
const FIT_STEPS = 25;
/** The table departs from the real curve by some mV over whole stretches, so many samples are not many facts. */
const FACTS = 60;
const FACT_V = 0.004;
/**
 * How far ageing has moved the electrodes of a pack beside its table: the table may be its own or a new cell's. Mean and standard deviation, from
 * memory.
 */
const AGED = { slip: 0.03, slipSd: 0.08, stretchSd: 0.03 };
/** How far the surface of an electrode is ahead of its mean, share of charge at a current that empties it in an hour; one standard deviation, from memory. */
const LAG_H = { positive: 0.1, negative: 0.03, flat: 0.03 };
/** How a table lies beside the rest curve of the cell it stands for, V: as a whole (it was taken under some current), and in waves. From memory. */
const TABLE_V = { level: 0.005, sloped: 0.003, flat: 0.001 };
const WAVES_PER_SOC = [5, 11, 23, 45];
/** What is supposed of a load beside its resistances. */
export interface LoadModel {
  /** Whether the surface of a particle may be ahead of its mean. */
  diffuses: boolean;
  /** What the model may be off by, as a share of what the load drops. From memory. */
  off: number;
}
/** By diffusion, or by volts alone: those say less of where on its curve a loaded cell is. */
export const DIFFUSING: LoadModel = { diffuses: true, off: 0.05 };
export const VOLTS_ONLY: LoadModel = { diffuses: false, off: 0.25 };
/** What is known not to be there, one standard deviation. */
const NONE = 1e-7;

/** How a table lies beside the curve: its level, then the sine and cosine of each wave. */
const BENDS = 1 + 2 * WAVES_PER_SOC.length;
/**
 * Of a cell that remembers where its voltage comes from: half the gap between its branches, that times where it stood at the start, and how far
 * the full end of the table lies above the branch of the rest, halved; V.
 */
export const BRANCH = {
  half: AT.level + BENDS,
  start: AT.level + BENDS + 1,
  top: AT.level + BENDS + 2,
} as const;
/**
 * How a table of such a cell lies beside it, V: a workshop takes it on the way down, so that all but its full end is the lower branch, and a typical one lies
 * midway and has no such end. As a whole, and its end as a share of half the gap, mean and standard deviation. From memory.
 */
const BRANCH_TABLE = { levelV: 0.008, top: 0.6, topSd: 0.6 };

interface Prior {
  mean: number[];
  sd: number[];
}

/** What is known of a pack's typical cell beforehand. Resistance is near new or up to twice it, from memory; the rest is in the facts of the chemistry. */
function priorOf(
  { table, negative, together }: RestCurve,
  pack: Pack,
  start: { soc: number; sd: number },
  nominalOhm: number,
  loosened: number,
  { diffuses }: LoadModel,
): Prior {
  const rated = pack.profile.ratedCapacityAh;
  const { expectedHealth, leak, flat, conditioning, hysteresis } = factsOf(pack.profile.chemistry);
  const usuallyHeld = negative ? heldRatio({ curve: table, negative }, 0, AGED.slip, 0) : 1;
  const known = (sd: number): number => (negative ? sd : NONE);
  const waveSd = flat ? TABLE_V.flat : TABLE_V.sloped;
  const rows: [mean: number, sd: number][] = [
    [start.soc, start.sd],
    [usuallyHeld / (expectedHealth.value * rated), (loosened * expectedHealth.sd) / rated],
    [nominalOhm * 1.1, loosened * nominalOhm * 0.6],
    [nominalOhm * 0.4, loosened * nominalOhm * 0.5],
    [nominalOhm * 0.3, loosened * nominalOhm * 0.5],
    [leak.perDay, leak.perDaySd],
    [negative ? AGED.slip : 0, known(AGED.slipSd)],
    [0, known(AGED.stretchSd)],
    // Where no electrodes are known, all that is slow is volts.
    [0, !diffuses ? NONE : flat ? LAG_H.flat : known(LAG_H.positive)],
    [0, together ? NONE : known(LAG_H.negative)],
    ...Array.from({ length: BENDS }, (_, j): [number, number] => [
      0,
      conditioning ? (hysteresis && j === 0 ? BRANCH_TABLE.levelV : NONE) : j === 0 ? TABLE_V.level : waveSd,
    ]),
  ];
  if (hysteresis) {
    const { value, sd } = hysteresis.halfV;
    // It may have stood anywhere between the two.
    rows.push([value, sd], [0, value], [BRANCH_TABLE.top * value, BRANCH_TABLE.topSd * value]);
  }
  return { mean: rows.map(([mean]) => mean), sd: rows.map(([, sd]) => sd) };
}

/**
 * Fits start SOC, capacity, resistances and leakage of the typical cell to its voltage, how far its electrodes have aged beside the table and how the
 * table lies beside the cell (Levenberg–Marquardt with normal priors).
 * @param load what is supposed of a load beside its resistances
 * @param loosened how much wider than usual the priors of capacity and resistance are; wide enough, the record speaks for them alone
 * @param from where to begin: what is usual, if nothing is known better
 */
export function fitTypical(
  rest: RestCurve,
  pack: Pack,
  course: Course,
  start: { soc: number; sd: number },
  load: LoadModel,
  loosened = 1,
  from?: Float64Array,
): TypicalFit {
  const rated = pack.profile.ratedCapacityAh;
  const nominalOhm =
    pack.profile.nominalGroupResistanceMilliohm / 1000 / median(pack.channels.map((c) => c.cells));
  const { mean, sd } = priorOf(rest, pack, start, nominalOhm, loosened, load);
  const { currentA, slow, typicalV, weights } = course;
  const stride = Math.max(1, Math.ceil(typicalV.length / FIT_MOMENTS));
  const used: number[] = [];
  for (let k = 0; k < typicalV.length; k += stride) if (weights[k]! > 0) used.push(k);
  const total = used.reduce((t, k) => t + weights[k]!, 0);
  const scale = Math.min(1, FACTS / Math.max(1, total)) / FACT_V ** 2;
  // Under load a reading says as much less as the model of the load may be off; one of a nickel cell is not known that well at rest either.
  const off = factsOf(pack.profile.chemistry).conditioning ? 0 : load.off;
  const count = Float64Array.from(used, (k) => {
    const dropV =
      1.5 * nominalOhm * (Math.abs(currentA[k]!) + (Math.abs(slow[0][k]!) + Math.abs(slow[1][k]!)) / 2);
    return weights[k]! / (1 + ((off * dropV) / FACT_V) ** 2);
  });
  const rows = used.length;
  const columns = new Float64Array(rows * mean.length);
  const error = new Float64Array(rows);
  const theta = Float64Array.from(from ?? mean);
  let here = theta;
  const { cost, info } = minimise(
    {
      cost: (t) => {
        here = t.slice();
        let sum = 0;
        for (let j = 0; j < mean.length; j++) sum += ((mean[j]! - t[j]!) / sd[j]!) ** 2;
        for (let i = 0; i < rows; i++) {
          const e = typicalV[used[i]!]! - voltageAt(rest, course, used[i]!, t, columns, rows, i);
          error[i] = e;
          sum += scale * count[i]! * e * e;
        }
        return sum;
      },
      normal: (_t, matrix, rhs) => {
        matrix.fill(0);
        rhs.fill(0);
        for (let j = 0; j < mean.length; j++) {
          matrix[j * (mean.length + 1)] = 1 / sd[j]! ** 2;
          rhs[j] = (mean[j]! - here[j]!) / sd[j]! ** 2;
        }
        accumulateColumns(matrix, rhs, columns, error, count, scale);
      },
    },
    theta,
    { steps: FIT_STEPS, damping: 1e-3 },
  );
  theta[AT.perAh] = Math.min(Math.max(theta[AT.perAh]!, 0.6 / rated), 2.5 / rated);
  theta[AT.leak] = Math.max(0, theta[AT.leak]!);
  return { theta, info, cost, ...heldBy(rest, theta, info) };
}

/** The branch that a fitted cell is on; neither gap nor table's end goes the other way. */
export const branchFitted = (
  theta: Float64Array,
  turns: number,
  { drawnAh, days, capacityAh }: { drawnAh: Float64Array; days: Float64Array; capacityAh: number },
): Branch =>
  branchOf(
    {
      halfV: Math.max(0, theta[BRANCH.half]!),
      startV: theta[BRANCH.start]!,
      topV: Math.max(0, theta[BRANCH.top]!),
    },
    turns,
    drawnAh,
    days,
    theta[AT.leak]!,
    capacityAh,
  );

/** Voltage of the typical cell at moment `k`, V, and as row `i` of `columns` how it changes with each parameter. */
function voltageAt(
  { table, negative, together }: RestCurve,
  { days, drawnAh, currentA, slow, diffusing, branch }: Course,
  k: number,
  t: Float64Array,
  columns: Float64Array,
  rows: number,
  i: number,
): number {
  const drawn = drawnAh[k]!;
  const day = days[k]!;
  const current = currentA[k]!;
  const slow1 = slow[0][k]!;
  const slow2 = slow[1][k]!;
  const ahead = diffusing[k]!;
  const perAh = t[AT.perAh]!;
  const soc = t[AT.soc]! - drawn * perAh - day * t[AT.leak]!;
  // The surface of either electrode is ahead of its mean while current flows.
  const onPositive = soc - t[AT.positiveLag]! * ahead * perAh;
  const onNegative = together ? onPositive : soc - t[AT.negativeLag]! * slow1 * perAh;
  const slope = table.slopeAt(onPositive);
  // Straight on beyond the ends of the table: a start that is far off has to find its way back.
  const inside = Math.min(1, Math.max(0, onPositive));
  let v = table.voltageAt(inside) + slope * (onPositive - inside);
  let positive = slope;
  let behind = 0;
  if (negative) {
    const slip = t[AT.slip]!;
    const stretch = t[AT.stretch]!;
    const here = negativeAt(negative, onPositive);
    const there = negativeAt(negative, onNegative - slip - stretch * (1 - onNegative));
    v += here.v - there.v;
    positive += here.along;
    behind = there.along * (1 + stretch);
    columns[AT.slip * rows + i] = there.along;
    columns[AT.stretch * rows + i] = there.along * (1 - onNegative);
  }
  columns[AT.level * rows + i] = 1;
  v += t[AT.level]!;
  for (let w = 0; w < WAVES_PER_SOC.length; w++) {
    const perSoc = WAVES_PER_SOC[w]!;
    const sin = Math.sin(perSoc * onPositive);
    const cos = Math.cos(perSoc * onPositive);
    const at = AT.level + 1 + 2 * w;
    columns[at * rows + i] = sin;
    columns[(at + 1) * rows + i] = cos;
    v += t[at]! * sin + t[at + 1]! * cos;
    positive += perSoc * (t[at]! * cos - t[at + 1]! * sin);
  }
  if (branch) {
    const above = tableAbove(onPositive, branch.turns);
    const half = t[BRANCH.half]!;
    const top = t[BRANCH.top]!;
    columns[BRANCH.half * rows + i] = 1 + branch.driven[k]!;
    columns[BRANCH.start * rows + i] = branch.free[k]!;
    columns[BRANCH.top * rows + i] = -above.v;
    v += half * (1 + branch.driven[k]!) + t[BRANCH.start]! * branch.free[k]! - top * above.v;
    positive -= top * above.along;
  }
  const along = positive - behind;
  columns[AT.soc * rows + i] = along;
  columns[AT.perAh * rows + i] =
    behind * (drawn + (together ? t[AT.positiveLag]! * ahead : t[AT.negativeLag]! * slow1)) -
    positive * (drawn + t[AT.positiveLag]! * ahead);
  columns[AT.ohmic * rows + i] = -current;
  columns[AT.slow1 * rows + i] = -slow1;
  columns[AT.slow2 * rows + i] = -slow2;
  columns[AT.leak * rows + i] = -along * day;
  columns[AT.positiveLag * rows + i] = -(together ? along : positive) * ahead * perAh;
  columns[AT.negativeLag * rows + i] = behind * slow1 * perAh;
  return v - current * t[AT.ohmic]! - slow1 * t[AT.slow1]! - slow2 * t[AT.slow2]!;
}

/**
 * What a capacity is off by for each volt that the half cells lie beside the table: of packs of particles with a graphite that is none of those
 * known.
 */
export const OFF_BY_MISFIT = 20;
const STEP = 0.004;

/** What the cell of a fit holds from full to empty, and the standard deviation of that. */
function heldBy(
  { table, negative }: RestCurve,
  theta: Float64Array,
  info: Float64Array,
): Pick<TypicalFit, 'held' | 'capacityAh' | 'capacitySdAh'> {
  const perAh = theta[AT.perAh]!;
  const at = (slip: number, stretch: number): number =>
    heldRatio({ curve: table, negative }, 0, slip, stretch);
  const [slip, stretch] = [theta[AT.slip]!, theta[AT.stretch]!];
  const held = at(slip, stretch);
  const by = [
    -held / perAh ** 2,
    (at(slip + STEP, stretch) - at(slip - STEP, stretch)) / (2 * STEP * perAh),
    (at(slip, stretch + STEP) - at(slip, stretch - STEP)) / (2 * STEP * perAh),
  ];
  const variance = varianceOf(by, covarianceOf(info, [AT.perAh, AT.slip, AT.stretch]));
  const capacityAh = held / perAh;
  return {
    held,
    capacityAh,
    capacitySdAh: Math.hypot(Math.sqrt(variance), capacityAh * OFF_BY_MISFIT * (negative?.misfitV ?? 0)),
  };
}
