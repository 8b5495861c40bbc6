import { factsOf, type OcvCurve, type Pack } from '../pack';
import { indexAt, type ScanRecord, type Series } from '../scan';
import { accumulate, solveSpd, spdInverseDiagonal } from './linear';
import { median } from './statistics';

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

/** Current through a first-order lag, exact for current that is linear between the samples. */
function lag(timeS: Float64Array, currentA: Float64Array, tauS: number): Float64Array {
  const out = new Float64Array(timeS.length);
  for (let k = 1; k < timeS.length; k++) {
    const dt = timeS[k]! - timeS[k - 1]!;
    if (dt <= 0) {
      out[k] = out[k - 1]!;
      continue;
    }
    const x = dt / tauS;
    const decay = Math.exp(-x);
    const slope = (currentA[k]! - currentA[k - 1]!) / dt;
    out[k] = out[k - 1]! * decay + currentA[k - 1]! * (1 - decay) + slope * (dt - tauS * (1 - decay));
  }
  return out;
}

/** A sample further from the last than this tells nothing of the current in between. */
const SPARSE_S = 900;

/**
 * Charge drawn, A·h. Current within the sensor's zero error counts as nothing: summed over days it would drain a
 * pack on paper. Where samples are sparse, more is needed to count.
 */
function cumulativeAh(timeS: Float64Array, currentA: Float64Array, zeroA: number): Float64Array {
  const out = new Float64Array(timeS.length);
  for (let k = 1; k < timeS.length; k++) {
    const dt = timeS[k]! - timeS[k - 1]!;
    const least = dt > SPARSE_S ? 2.5 * zeroA : zeroA;
    const counted = (i: number): number => (Math.abs(i) < least ? 0 : i);
    out[k] = out[k - 1]! + ((counted(currentA[k]!) + counted(currentA[k - 1]!)) / 2) * (dt / 3600);
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

/** A series without its missing readings. */
function known(s: Series): Series {
  if (!s.value.some((v) => Number.isNaN(v))) return s;
  const keep = Array.from(s.value.keys()).filter((i) => !Number.isNaN(s.value[i]!));
  return {
    timeS: Float64Array.from(keep, (i) => s.timeS[i]!),
    value: Float64Array.from(keep, (i) => s.value[i]!),
  };
}

interface Fit {
  s0: number;
  perCapacity: number;
  perCapacitySd: number;
  r: [number, number, number];
  rSd: number;
  leakPerDay: number;
  cost: number;
}

/** Most moments used to fit the typical cell; more say little that is new. */
const FIT_MOMENTS = 700;

/** Fits start SOC, capacity, resistances and leakage of the typical cell to its voltage by Gauss-Newton with priors. */
function fitTypical(
  curve: OcvCurve,
  pack: Pack,
  days: Float64Array,
  drawnAh: Float64Array,
  terms: Float64Array[],
  typicalV: Float64Array,
  startSoc: number,
  startSocSd: number,
  weights: Float64Array,
  /** How much wider than usual the priors of capacity and resistance are; wide enough, the record speaks alone. */
  loosened = 1,
): Fit {
  const rated = pack.profile.ratedCapacityAh;
  const cells = median(pack.channels.map((c) => c.cells));
  const nominalOhm = pack.profile.nominalGroupResistanceMilliohm / 1000 / cells;
  const { expectedHealth, leak } = factsOf(pack.profile.chemistry);
  // Priors from memory: resistance is near new or up to twice it; the rest is in the record of the chemistry.
  const priorMean = [
    startSoc,
    1 / (expectedHealth.value * rated),
    nominalOhm * 1.1,
    nominalOhm * 0.4,
    nominalOhm * 0.3,
    leak.perDay,
  ];
  const priorSd = [
    startSocSd,
    (loosened * expectedHealth.sd) / rated,
    loosened * nominalOhm * 0.6,
    loosened * nominalOhm * 0.5,
    loosened * nominalOhm * 0.5,
    leak.perDaySd,
  ];
  const N = priorMean.length;
  const theta = priorMean.slice();
  const stride = Math.max(1, Math.ceil(typicalV.length / FIT_MOMENTS));
  let total = 0;
  for (let k = 0; k < typicalV.length; k += stride) total += weights[k]!;
  // The table departs from the real curve by some mV over whole stretches, so many samples are not many facts.
  const scale = Math.min(1, 60 / Math.max(1, total)) / 0.004 ** 2;
  let cost = Infinity;
  let sd = priorSd[1]!;
  let rSd = priorSd[2]!;
  const row = new Float64Array(N);
  for (let pass = 0; pass < 8; pass++) {
    const info = new Float64Array(N * N);
    const rhs = new Float64Array(N);
    let sum = 0;
    for (let j = 0; j < N; j++) {
      info[j * (N + 1)] = 1 / priorSd[j]! ** 2;
      rhs[j] = (priorMean[j]! - theta[j]!) / priorSd[j]! ** 2;
      sum += ((priorMean[j]! - theta[j]!) / priorSd[j]!) ** 2;
    }
    for (let k = 0; k < typicalV.length; k += stride) {
      const w = weights[k]! * scale;
      if (w === 0) continue;
      const soc = theta[0]! - drawnAh[k]! * theta[1]! - days[k]! * theta[5]!;
      const slope = curve.slopeAt(soc);
      // Straight on beyond the ends of the table: a start that is far off has to find its way back.
      const inside = Math.min(1, Math.max(0, soc));
      const model =
        curve.voltageAt(inside) +
        slope * (soc - inside) -
        terms[0]![k]! * theta[2]! -
        terms[1]![k]! * theta[3]! -
        terms[2]![k]! * theta[4]!;
      const error = typicalV[k]! - model;
      sum += w * error * error;
      row[0] = slope;
      row[1] = -slope * drawnAh[k]!;
      row[2] = -terms[0]![k]!;
      row[3] = -terms[1]![k]!;
      row[4] = -terms[2]![k]!;
      row[5] = -slope * days[k]!;
      accumulate(info, rhs, row, error, w);
    }
    cost = sum;
    const x = solveSpd(info, rhs);
    const variance = spdInverseDiagonal(info);
    sd = Math.sqrt(variance[1]!);
    rSd = Math.sqrt(variance[2]!);
    x.forEach((d, j) => (theta[j]! += d));
    theta[1] = Math.min(Math.max(theta[1]!, 0.6 / rated), 2.5 / rated);
    theta[5] = Math.max(0, theta[5]!);
    if (Math.abs(x[0]!) < 1e-6 && Math.abs(x[1]! * rated) < 1e-6) break;
  }
  return {
    s0: theta[0]!,
    perCapacity: theta[1]!,
    perCapacitySd: sd,
    r: [theta[2]!, theta[3]!, theta[4]!],
    rSd,
    leakPerDay: theta[5]!,
    cost,
  };
}

/** Pairs of time constants that are tried, s: charge transfer and diffusion. */
const TAUS: [number, number][] = [
  [8, 120],
  [20, 300],
  [40, 600],
  [15, 1200],
];

/** How far the table may lie beside the real curve at either end of a span, share of charge: aged packs, C/20 tables. From memory. */
const TABLE_SOC_SD = 0.012;
/** Gain error of a current sensor, one standard deviation. From memory. */
const CURRENT_GAIN_SD = 0.01;
const LOOSE = 30;

/**
 * Capacity and resistance of the typical cell with nothing but the readings behind them: the longest stretch whose
 * current was recorded, fitted with priors so wide that they say nothing. Errors of the table and of the current
 * sensor are in the standard deviation.
 */
function recordAlone(
  record: ScanRecord,
  pack: Pack,
  curve: OcvCurve,
  course: {
    timeS: Float64Array;
    currentA: Float64Array;
    drawnAh: Float64Array;
    days: Float64Array;
    typicalV: Float64Array;
    weights: Float64Array;
    slow: [Float64Array, Float64Array];
  },
): Alone | null {
  const { timeS, currentA, drawnAh, days, typicalV, slow } = course;
  const cuts = (record.assumed ?? []).map((a) => a.fromS);
  const partOf = (t: number): number => cuts.filter((c) => t > c).length;
  const spans = new Map<number, { low: number; high: number; lowA: number; highA: number }>();
  const inGap = (t: number): boolean => (record.assumed ?? []).some((a) => t > a.fromS && t < a.toS);
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
  const fit = fitTypical(
    curve,
    pack,
    later,
    shifted,
    [currentA, ...slow],
    typicalV,
    curve.socAt(typicalV[first]!),
    0.5,
    weights,
    LOOSE,
  );
  const capacityAh = 1 / fit.perCapacity;
  const spanFraction = (span.high - span.low) * fit.perCapacity;
  const capacitySdAh = Math.hypot(
    fit.perCapacitySd * capacityAh ** 2,
    capacityAh * CURRENT_GAIN_SD,
    spanFraction > 0 ? (capacityAh * TABLE_SOC_SD * Math.SQRT2) / spanFraction : Infinity,
  );
  return {
    capacityAh,
    capacitySdAh,
    resistanceOhm: fit.r[0],
    resistanceSdOhm: fit.rSd,
    spanFraction,
    currentSpanA: span.highA - span.lowA,
  };
}

/**
 * Follows the typical cell through the record.
 * @param typicalV volts per cell of the typical channel at each moment (NaN where not known).
 */
export function followTypical(
  record: ScanRecord,
  pack: Pack,
  curve: OcvCurve,
  timeS: Float64Array,
  typicalV: Float64Array,
): Trajectory {
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
  const drawnAh = cumulativeAh(timeS, currentA, zeroA);
  const days = timeS.map((t) => (t - timeS[0]!) / 86400);
  const weights = Float64Array.from(typicalV, (v, k) => (Number.isNaN(v) || unsteady[k] ? 0 : 1));
  const reported = record.reportedSocFraction?.value.find((v) => !Number.isNaN(v));
  const first = typicalV.find((v) => !Number.isNaN(v)) ?? factsOf(pack.profile.chemistry).cell.nominalV;
  const resting = Math.abs(currentA[0] ?? 0) < 0.02 * pack.profile.ratedCapacityAh;
  const startSoc = reported ?? curve.socAt(first);
  const startSd = reported === undefined ? (resting ? 0.1 : 0.3) : 0.05;
  let best: { fit: Fit; tau: [number, number]; slow: [Float64Array, Float64Array] } | null = null;
  for (const tau of TAUS) {
    const slow: [Float64Array, Float64Array] = [lag(timeS, currentA, tau[0]), lag(timeS, currentA, tau[1])];
    const fit = fitTypical(
      curve,
      pack,
      days,
      drawnAh,
      [currentA, ...slow],
      typicalV,
      startSoc,
      startSd,
      weights,
    );
    if (!best || fit.cost < best.fit.cost) best = { fit, tau, slow };
  }
  const { fit, tau, slow } = best!;
  const alone =
    current && recordAlone(record, pack, curve, { timeS, currentA, drawnAh, days, typicalV, weights, slow });
  return {
    timeS,
    currentA,
    slow1A: slow[0],
    slow2A: slow[1],
    drawnAh,
    typicalV,
    socFraction: Float64Array.from(
      drawnAh,
      (q, k) => fit.s0 - q * fit.perCapacity - days[k]! * fit.leakPerDay,
    ),
    ohmicV: Float64Array.from(currentA, (i) => i * fit.r[0]),
    slowV: Float64Array.from(slow[0], (i, k) => i * fit.r[1] + slow[1][k]! * fit.r[2]),
    capacityAh: 1 / fit.perCapacity,
    capacitySdAh: fit.perCapacitySd / fit.perCapacity ** 2,
    alone,
    resistanceOhm: fit.r[0],
    tau1S: tau[0],
    tau2S: tau[1],
    unsteady,
  };
}
