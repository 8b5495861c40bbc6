import { factsOf, type Chemistry, type Pack } from '../../pack';
import { indexAt, type ScanRecord, type Series } from '../../scan';
import { branchCourse, type Branch } from './hysteresis';
import { lag, diffusionResponse } from './diffusion';
import { covarianceOf } from '../../numerics/linearAlgebra';
import { median } from '../../numerics/robustStatistics';
import {
  AT,
  branchFitted,
  DIFFUSING,
  fitTypical,
  type LoadModel,
  type RestCurve,
  type TypicalFit,
  VOLTS_ONLY,
} from './typicalCellFit';

/**
 * What the pack as a whole did: the course of its typical cell on a grid of moments. All voltages are per cell.
 * `slow1` and `slow2` are the current passed through first-order lags of `tau1S` and `tau2S`.
 */
export interface Trajectory {
  timeS: Float64Array;
  currentA: Float64Array;
  slow1A: Float64Array;
  slow2A: Float64Array;
  /** Charge drawn since the start, A·h. */
  drawnAh: Float64Array;
  /** Voltage of the typical cell as read, V. */
  typicalV: Float64Array;
  socFraction: Float64Array;
  /** Voltage dropped in the typical cell at once, V, and by the slow part, V. */
  ohmicV: Float64Array;
  slowV: Float64Array;
  /** Working capacity of the typical channel, A·h, and its standard deviation: the prior where nothing measures it. */
  capacityAh: number;
  capacitySdAh: number;
  /** What the record alone says, without any prior; null where it holds no current of its own. */
  alone: Alone | null;
  resistanceOhm: number;
  tau1S: number;
  tau2S: number;
  /** Grid moments whose current was changing too fast to be sure of. */
  unsteady: Uint8Array;
  /** How far ahead of the drawn charge the surface of either electrode is, A·h: the rest curve is met there. */
  positiveLagAh: Float64Array;
  negativeLagAh: Float64Array;
  /** How far the electrodes have moved beside the table, and what the cell holds of the table's charge; null where no electrode is known. */
  ageing: Ageing | null;
  /** What the table as a whole lies below the pack's own rest voltage, V a cell: it was taken under some current. */
  levelV: number;
  /** Which branch of its rest voltage it is on; null of a cell that does not remember. */
  branch: Branch | null;
}

/** How far a pack's electrodes have moved beside its table. */
export interface Ageing {
  /** Lithium lost, and how much sooner the negative electrode runs empty: shares of the table's charge. */
  slip: number;
  stretch: number;
  /** What the cell holds of the table's charge. */
  held: number;
}

/** Capacity and resistance from the record alone. */
export interface Alone {
  capacityAh: number;
  capacitySdAh: number;
  /** Ohmic resistance of one cell of the typical channel. */
  resistanceOhm: number;
  resistanceSdOhm: number;
  /** Span of charge that was counted, as a share of the capacity. */
  spanFraction: number;
  /** Widest change of current, A. */
  currentSpanA: number;
}

/** A sample further from the last than this tells nothing of the current in between. */
const SPARSE_S = 900;

/**
 * Charge drawn, A·h. Current within the sensor's zero error counts as nothing: summed over days it would drain a
 * pack on paper. Where samples are sparse, more is needed to count. What was judged between records counts as it is.
 */
function cumulativeAh(
  timeS: Float64Array,
  currentA: Float64Array,
  zeroA: number,
  judged: (t: number) => boolean,
): Float64Array {
  const out = new Float64Array(timeS.length);
  for (let k = 1; k < timeS.length; k++) {
    const dt = timeS[k]! - timeS[k - 1]!;
    const least = dt > SPARSE_S ? 2.5 * zeroA : zeroA;
    const counted = (at: number): number =>
      Math.abs(currentA[at]!) < least && !judged(timeS[at]!) ? 0 : currentA[at]!;
    out[k] = out[k - 1]! + ((counted(k) + counted(k - 1)) / 2) * (dt / 3600);
  }
  return out;
}

const interpolateAt = (timeS: Float64Array, value: Float64Array, t: number): number => {
  const i = indexAt(timeS, t);
  if (i < 0) return value[0]!;
  if (i >= timeS.length - 1) return value[timeS.length - 1]!;
  const span = timeS[i + 1]! - timeS[i]!;
  return span <= 0 ? value[i]! : value[i]! + ((t - timeS[i]!) / span) * (value[i + 1]! - value[i]!);
};

/** Whether a moment lies in a stretch between joined records. */
const judgedIn =
  (record: ScanRecord) =>
  (t: number): boolean =>
    (record.assumed ?? []).some((a) => t > a.fromS && t < a.toS);

/** A series without its missing readings. */
function known(s: Series): Series {
  if (!s.value.some((v) => Number.isNaN(v))) return s;
  const keep = Array.from(s.value.keys()).filter((i) => !Number.isNaN(s.value[i]!));
  return {
    timeS: Float64Array.from(keep, (i) => s.timeS[i]!),
    value: Float64Array.from(keep, (i) => s.value[i]!),
  };
}

/** Pairs of time constants that are tried, s: charge transfer and diffusion. */
const TAUS: [number, number][] = [
  [8, 120],
  [20, 300],
  [40, 600],
  [15, 1200],
];

/**
 * Chi-square by which diffusion has to explain the load of a pack with a flat curve better than volts alone do. Of packs of particles driven from near full most
 * show 0.3 to 17, of 52 packs of equivalent circuits 50 show less than 0.3.
 */
const DIFFUSION_SHOWS = 0.3;
/** Where else the lithium that is lost is looked for: the steps of an electrode may lie a whole step further. */
const SLIP_STARTS = [0.08, 0.16];
/**
 * How far the table may lie beside the real curve at either end of a span, share of charge: aged packs, C/20 tables. From memory. Of a flat curve
 * there are only its steps to go by, and they move with the lithium that is lost: as packs of particles have it.
 */
const TABLE_SOC_SD = { sloped: 0.012, flat: 0.03 };
/** A capacity known no better than this, as a share of itself (one sd), is not called measured. */
export const CAPACITY_TOLD_SD = 0.08;
const endSdOf = (chemistry: Chemistry): number =>
  factsOf(chemistry).flat ? TABLE_SOC_SD.flat : TABLE_SOC_SD.sloped;
/** The share of charge that has to be counted for a capacity to be called measured, by what the table may be off at either end; in tenths. */
export const chargeToCount = (chemistry: Chemistry): number =>
  Math.ceil((10 * Math.SQRT2 * endSdOf(chemistry)) / CAPACITY_TOLD_SD) / 10;
/** Gain error of a current sensor, one standard deviation. From memory. */
const CURRENT_GAIN_SD = 0.01;
const LOOSE = 30;

/** What a pack may be expected to hold, A·h. */
const usualAh = ({ profile }: Pack): number =>
  factsOf(profile.chemistry).expectedHealth.value * profile.ratedCapacityAh;

/**
 * Capacity and resistance of the typical cell with nothing but the readings behind them: the longest stretch whose
 * current was recorded, fitted with priors so wide that they say nothing. Errors of the table and of the current
 * sensor are in the standard deviation.
 */
function recordAlone(
  record: ScanRecord,
  pack: Pack,
  rest: RestCurve,
  course: {
    timeS: Float64Array;
    currentA: Float64Array;
    drawnAh: Float64Array;
    days: Float64Array;
    typicalV: Float64Array;
    weights: Float64Array;
    slow: [Float64Array, Float64Array];
    diffusing: Float64Array;
    turns: number | null;
    load: LoadModel;
    /** Where to begin: what the whole record was fitted with. */
    from: Float64Array;
  },
): Alone | null {
  const { timeS, currentA, drawnAh, days, typicalV, slow, diffusing, turns } = course;
  const cuts = (record.assumed ?? []).map((a) => a.fromS);
  const inGap = judgedIn(record);
  const partOf = (t: number): number => cuts.filter((c) => t > c).length;
  const spans = new Map<number, { low: number; high: number; lowA: number; highA: number }>();
  const known: number[] = [];
  for (let k = 0; k < timeS.length; k++) {
    if (course.weights[k] === 0 || inGap(timeS[k]!)) continue;
    known.push(k);
    const part = partOf(timeS[k]!);
    const s = spans.get(part) ?? { low: Infinity, high: -Infinity, lowA: Infinity, highA: -Infinity };
    s.low = Math.min(s.low, drawnAh[k]!);
    s.high = Math.max(s.high, drawnAh[k]!);
    s.lowA = Math.min(s.lowA, currentA[k]!);
    s.highA = Math.max(s.highA, currentA[k]!);
    spans.set(part, s);
  }
  const [widest] = [...spans].sort(([, a], [, b]) => b.high - b.low - (a.high - a.low));
  if (!widest) return null;
  const [part, span] = widest;
  const used = known.filter((k) => partOf(timeS[k]!) === part);
  const weights = new Float64Array(timeS.length);
  for (const k of used) weights[k] = course.weights[k]!;
  const first = used[0]!;
  const shifted = drawnAh.map((q) => q - drawnAh[first]!);
  const later = days.map((d) => d - days[first]!);
  const { leak } = factsOf(pack.profile.chemistry);
  // As the whole record was fitted, but for where the stretch begins.
  const begin = course.from.slice();
  begin[AT.soc]! -= drawnAh[first]! * begin[AT.perAh]!;
  const fit = fitTypical(
    rest,
    pack,
    {
      days: later,
      drawnAh: shifted,
      currentA,
      slow,
      diffusing,
      typicalV,
      weights,
      branch: turns === null ? null : branchCourse(shifted, later, leak.perDay, usualAh(pack), turns),
    },
    { soc: rest.table.socAt(typicalV[first]!), sd: 0.5 },
    course.load,
    LOOSE,
    begin,
  );
  const { capacityAh } = fit;
  const endSd = endSdOf(pack.profile.chemistry);
  const spanFraction = (span.high - span.low) / capacityAh;
  const capacitySdAh = Math.hypot(
    fit.capacitySdAh,
    capacityAh * CURRENT_GAIN_SD,
    spanFraction > 0 ? (capacityAh * endSd * Math.SQRT2) / spanFraction : Infinity,
  );
  return {
    capacityAh,
    capacitySdAh,
    resistanceOhm: fit.theta[AT.ohmic]!,
    resistanceSdOhm: Math.sqrt(covarianceOf(fit.info, [AT.ohmic])[0]!),
    spanFraction,
    currentSpanA: span.highA - span.lowA,
  };
}

/**
 * The steps of a flat curve show where they are only to a record that has moved past some of them: it has to draw this share of the rated capacity, and to leave
 * of how far they have moved less than so much in doubt, one standard deviation. From memory: half of what is in doubt beforehand.
 */
const STEPS_SPAN = 0.15;
const STEPS_TOLD_SD = 0.04;
export const spanOf = (x: Float64Array): number =>
  x.reduce((m, v) => Math.max(m, v), -Infinity) - x.reduce((m, v) => Math.min(m, v), Infinity);

/**
 * Follows the typical cell through the record.
 * @param plain what is gone by where a record tells nothing of the steps of a flat curve
 * @param typicalV volts per cell of the typical channel at each moment (NaN where not known).
 */
export function followTypical(
  record: ScanRecord,
  pack: Pack,
  given: RestCurve,
  plain: RestCurve,
  timeS: Float64Array,
  typicalV: Float64Array,
): Trajectory {
  const rated = pack.profile.ratedCapacityAh;
  const current = record.currentA && known(record.currentA);
  const currentA = new Float64Array(timeS.length);
  const unsteady = new Uint8Array(timeS.length);
  if (current && current.timeS.length > 0) {
    const typicalStep = median(Array.from(current.value, (v) => Math.abs(v)));
    for (let k = 0; k < timeS.length; k++) {
      const t = timeS[k]!;
      currentA[k] = interpolateAt(current.timeS, current.value, t);
      if (!record.simultaneous) {
        const i = indexAt(current.timeS, t);
        const before = current.value[Math.max(0, i)]!;
        const after = current.value[Math.min(current.value.length - 1, i + 1)]!;
        if (Math.abs(after - before) > Math.max(1, 0.04 * typicalStep)) unsteady[k] = 1;
      }
    }
  }
  const zeroA = Math.min(0.8, Math.max(0.4, 0.01 * pack.profile.ratedCapacityAh));
  const inGap = judgedIn(record);
  const drawnAh = cumulativeAh(timeS, currentA, zeroA, inGap);
  const days = timeS.map((t) => (t - timeS[0]!) / 86400);
  const weights = Float64Array.from(typicalV, (v, k) => (Number.isNaN(v) || unsteady[k] ? 0 : 1));
  const { hysteresis, leak } = factsOf(pack.profile.chemistry);
  const reported = record.reportedSocFraction?.value.find((v) => !Number.isNaN(v));
  const first = typicalV.find((v) => !Number.isNaN(v)) ?? factsOf(pack.profile.chemistry).cell.nominalV;
  const resting = Math.abs(currentA[0] ?? 0) < 0.02 * pack.profile.ratedCapacityAh;
  // At rest the volts tell the charge, and less of it where they remember where they come from.
  const startSoc = reported ?? given.table.socAt(first - (hysteresis?.halfV.value ?? 0));
  const startSd = reported === undefined ? (resting && !hysteresis ? 0.1 : 0.3) : 0.05;
  // When the charge between two records was drawn nobody wrote down, so it leaves no lag: a record begins settled.
  const flowedA = currentA.map((i, k) => (inGap(timeS[k]!) ? 0 : i));
  const lags = TAUS.map((tau) => ({
    tau,
    slow: [lag(timeS, flowedA, tau[0]), lag(timeS, flowedA, tau[1])] as [Float64Array, Float64Array],
    diffusing: diffusionResponse(timeS, flowedA, tau[1]),
  }));
  const branches = hysteresis
    ? hysteresis.turns.map((turns) => branchCourse(drawnAh, days, leak.perDay, usualAh(pack), turns))
    : [null];
  const ways = lags.flatMap((l) => branches.map((branch) => ({ ...l, branch })));
  const fitBy = (of: RestCurve, load: LoadModel) => {
    const tried = ways.map((l) => {
      const { slow, diffusing, branch } = l;
      const course = { days, drawnAh, currentA, slow, diffusing, typicalV, weights, branch };
      const from = (theta?: Float64Array): TypicalFit =>
        fitTypical(of, pack, course, { soc: startSoc, sd: startSd }, load, 1, theta);
      return { ...l, load, from, fit: from() };
    });
    return tried.reduce((a, b) => (b.fit.cost < a.fit.cost ? b : a));
  };
  const fitted = (of: RestCurve) => {
    let best = fitBy(of, DIFFUSING);
    // A flat curve has no slope that would tell where on it a loaded cell is: diffusion has to show by itself.
    if (
      factsOf(pack.profile.chemistry).flat &&
      fitBy(of, { ...DIFFUSING, diffuses: false }).fit.cost - best.fit.cost < DIFFUSION_SHOWS
    )
      best = fitBy(of, VOLTS_ONLY);
    let { fit } = best;
    if (of.negative)
      for (const slip of SLIP_STARTS) {
        const start = fit.theta.slice();
        start[AT.slip] = slip;
        const other = best.from(start);
        if (other.cost < fit.cost) fit = other;
      }
    return { ...best, fit, rest: of };
  };
  // Charge that was judged by the volts was judged by the table: it cannot show how far that is off.
  const counted = record.assumed?.length ? 0 : spanOf(drawnAh);
  let best = fitted(given.together && counted < STEPS_SPAN * rated ? plain : given);
  if (best.rest.together && !(Math.sqrt(covarianceOf(best.fit.info, [AT.slip])[0]!) < STEPS_TOLD_SD))
    best = fitted(plain);
  const { tau, slow, diffusing, branch, load, fit, rest } = best;
  const alone =
    current &&
    recordAlone(record, pack, rest, {
      timeS,
      currentA,
      drawnAh,
      days,
      typicalV,
      weights,
      slow,
      diffusing,
      turns: branch?.turns ?? null,
      load,
      from: fit.theta,
    });
  const { theta, held } = fit;
  return {
    timeS,
    currentA,
    slow1A: slow[0],
    slow2A: slow[1],
    drawnAh,
    typicalV,
    socFraction: Float64Array.from(drawnAh, (q, k) => {
      const ofTable = theta[AT.soc]! - q * theta[AT.perAh]! - days[k]! * theta[AT.leak]!;
      return 1 - (1 - ofTable) / held;
    }),
    ohmicV: Float64Array.from(currentA, (i) => i * theta[AT.ohmic]!),
    slowV: Float64Array.from(slow[0], (i, k) => i * theta[AT.slow1]! + slow[1][k]! * theta[AT.slow2]!),
    capacityAh: fit.capacityAh,
    capacitySdAh: fit.capacitySdAh,
    alone,
    resistanceOhm: theta[AT.ohmic]!,
    tau1S: tau[0],
    tau2S: tau[1],
    unsteady,
    positiveLagAh: diffusing.map((i) => i * theta[AT.positiveLag]!),
    negativeLagAh: slow[0].map((i) => i * theta[AT.negativeLag]!),
    levelV: theta[AT.level]!,
    branch: branch && branchFitted(theta, branch.turns, { drawnAh, days, capacityAh: fit.capacityAh }),
    ageing: rest.negative ? { slip: theta[AT.slip]!, stretch: theta[AT.stretch]!, held } : null,
  };
}
