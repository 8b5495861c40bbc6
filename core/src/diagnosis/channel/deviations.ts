import { factsOf, ocvCurve, type OcvCurve, type Pack } from '../../pack';
import { indexAt, type ScanRecord } from '../../scan';
import { accumulate, solveSpd } from '../../numerics/linearAlgebra';
import { lag } from '../cell/diffusion';
import { median } from '../../numerics/robustStatistics';
import { negativeBehind, negativeOfFlat, type NegativeElectrode } from '../cell/halfCells';
import { ownCurve } from '../cell/localOcvCorrection';
import { followTypical, type Trajectory } from '../cell/typicalCell';
import { smoothTable } from '../cell/smoothOcvTable';
import type { RestCurve } from '../cell/typicalCellFit';

/** One channel's readings against the typical cell, on the trajectory's grid. Volts per cell × cells = channel. */
export interface Observation {
  /** Indices into the trajectory's grid. */
  at: Int32Array;
  /** Reading minus the typical channel at that moment, V (whole channel). */
  deviationV: Float64Array;
  /** Readings averaged into each deviation. */
  count: Float64Array;
}

/** A reading past the empty end of the curve. */
export interface PastEmpty {
  /** Volts of the channel, and of the typical one at that moment. */
  voltageV: number;
  typicalV: number;
  /** Charge of the typical one. */
  socFraction: number;
}

/** How the curve of a pack lies beside its table: shift, then sine and cosine of each wave; mean and standard deviation. */
export interface Bends {
  mean: Float64Array;
  sd: Float64Array;
}

export interface DeviationSet {
  curve: OcvCurve;
  /** The negative electrode behind the curve; null where none is known. */
  negative: NegativeElectrode | null;
  /** The electrode that has the steps of a flat curve; absent where the curve is not flat. */
  steps?: NegativeElectrode | null;
  /** How the curve lies beside its table moves with the negative electrode and not the positive one: every step of a flat curve is that one's. */
  bendsBehind?: true;
  trajectory: Trajectory;
  channels: Observation[];
  /** By channel, the reading furthest past the empty end of the curve, where no fit sees it; null where none is. */
  leftOut: (PastEmpty | null)[];
  /** How the pack's own curve lies beside that curve, as far as its majority tells; what is usual where it was not asked. */
  bends?: Bends;
  /** How many raw readings one grid moment stands for (averaged). */
  readingsPerMoment: number;
}

const MOST_MOMENTS = 2400;

/** Wide records: rows in runs of `run`, averaged, with the median over the channels as the typical cell. */
function observeTogether(
  record: ScanRecord,
  pack: Pack,
  rest: RestCurve,
  plain: RestCurve,
  condemned: ReadonlySet<number>,
): DeviationSet {
  const time = record.voltageV[0]!.timeS;
  const run = Math.max(1, Math.ceil(time.length / MOST_MOMENTS));
  const count = Math.ceil(time.length / run);
  const timeS = new Float64Array(count);
  const meanCurrent = new Float64Array(count);
  const perCell = pack.channels.map(() => new Float64Array(count));
  for (let k = 0; k < count; k++) {
    const from = k * run;
    const to = Math.min(time.length, from + run);
    for (let i = from; i < to; i++) {
      timeS[k]! += time[i]! / (to - from);
      meanCurrent[k]! += (record.currentA?.value[i] ?? 0) / (to - from);
    }
  }
  pack.channels.forEach((channel, c) => {
    const { value } = record.voltageV[c]!;
    const own = perCell[c]!;
    for (let k = 0; k < count; k++) {
      const from = k * run;
      const to = Math.min(time.length, from + run);
      let sum = 0;
      for (let i = from; i < to; i++) sum += value[i]!;
      own[k] = sum / (to - from) / channel.cells;
    }
  });
  const typicalV = new Float64Array(count);
  const rowOf = new Float64Array(pack.channels.length);
  for (let k = 0; k < count; k++) {
    let n = 0;
    for (let c = 0; c < perCell.length; c++) {
      const v = perCell[c]![k]!;
      if (!Number.isNaN(v) && !condemned.has(c)) rowOf[n++] = v;
    }
    typicalV[k] = median(rowOf.subarray(0, n));
  }
  const averaged: ScanRecord =
    run === 1 ? record : { ...record, currentA: record.currentA && { timeS, value: meanCurrent } };
  const trajectory = followTypical(averaged, pack, rest, plain, timeS, typicalV);
  const beyond = beyondEmpty(rest.table, trajectory);
  const leftOut = pack.channels.map((): PastEmpty | null => null);
  const channels = pack.channels.map((channel, c) => {
    const at = new Int32Array(count);
    const deviationV = new Float64Array(count);
    const own = perCell[c]!;
    let n = 0;
    for (let k = 0; k < count; k++) {
      const v = own[k]!;
      if (Number.isNaN(v) || Number.isNaN(typicalV[k]!)) continue;
      if (beyond(v, k)) {
        leftOut[c] = furthest(leftOut[c]!, v, typicalV[k]!, trajectory.socFraction[k]!, channel.cells);
        continue;
      }
      at[n] = k;
      deviationV[n++] = (v - typicalV[k]!) * channel.cells;
    }
    return {
      at: at.subarray(0, n),
      deviationV: deviationV.subarray(0, n),
      count: new Float64Array(n).fill(1),
    };
  });
  return {
    curve: rest.table,
    negative: rest.negative,
    trajectory,
    channels,
    leftOut,
    readingsPerMoment: run,
  };
}

/** What is slow in a cell lies between these, s. */
const POLLED_LAGS_S = [3, 12, 45, 150, 600];
/** Fewer readings do not carry so many lags: of 600 small packs they accused 36 sound channels for 27 and told 217 faults right for 223, though they found 495 for 481. */
const MANY_READINGS = 400;

/**
 * Polled records: every reading has its own time. The typical cell between them is fitted to all channels
 * together: current, its lags and a smooth drift, each channel with its own level.
 */
function observePolled(
  record: ScanRecord,
  pack: Pack,
  rest: RestCurve,
  plain: RestCurve,
  condemned: ReadonlySet<number>,
): DeviationSet {
  const all: { t: number; c: number; v: number }[] = [];
  record.voltageV.forEach((s, c) => {
    if (condemned.has(c)) return;
    for (let i = 0; i < s.timeS.length; i++)
      if (!Number.isNaN(s.value[i]!))
        all.push({ t: s.timeS[i]!, c, v: s.value[i]! / pack.channels[c]!.cells });
  });
  all.sort((a, b) => a.t - b.t);
  // Level of each channel against its neighbours in time, so that the pooled readings form one course.
  const level = pack.channels.map((_, c) => {
    if (condemned.has(c)) return 0;
    const s = record.voltageV[c]!;
    const cells = pack.channels[c]!.cells;
    return median(Array.from(s.value, (v, i) => v / cells - nearestMedian(all, s.timeS[i]!)));
  });
  const timeS = Float64Array.from(all, (r) => r.t);
  const rough = Float64Array.from(all, (r) => r.v - level[r.c]!);
  const first = followTypical(record, pack, rest, plain, timeS, rough);
  const knots = Math.min(14, Math.max(2, Math.round(all.length / 400)));
  const span = Math.max(1e-9, timeS[timeS.length - 1]! - timeS[0]!);
  const flowing =
    all.length < MANY_READINGS
      ? [first.slow1A, first.slow2A]
      : [
          ...POLLED_LAGS_S.map((tau) => lag(timeS, first.currentA, tau)),
          first.currentA.map((i) => i * Math.abs(i)),
        ];
  const own = 1 + flowing.length;
  const size = own + knots + 1;
  const row = new Float64Array(size);
  const basis = (k: number): Float64Array => {
    row.fill(0);
    row[0] = first.currentA[k]!;
    flowing.forEach((of, j) => (row[1 + j] = of[k]!));
    const u = ((timeS[k]! - timeS[0]!) / span) * knots;
    const j = Math.min(knots - 1, Math.floor(u));
    row[own + j] = 1 - (u - j);
    row[own + 1 + j] = u - j;
    return row;
  };
  const typicalV = rough.slice();
  let keep = Uint8Array.from(first.unsteady, (u) => 1 - u);
  for (let pass = 0; pass < 3; pass++) {
    const info = new Float64Array(size * size);
    const rhs = new Float64Array(size);
    for (let j = 0; j < size; j++) info[j * size + j] = 1e-6;
    for (let k = 0; k < all.length; k++) if (keep[k]) accumulate(info, rhs, basis(k), rough[k]!, 1);
    const x = solveSpd(info, rhs);
    for (let k = 0; k < all.length; k++) typicalV[k] = basis(k).reduce((s, b, j) => s + b * x[j]!, 0);
    const sigma = 1.4826 * median(rough.map((v, k) => Math.abs(v - typicalV[k]!)));
    keep = Uint8Array.from(first.unsteady, (u, k) =>
      u || Math.abs(rough[k]! - typicalV[k]!) > 6 * sigma ? 0 : 1,
    );
  }
  const trajectory = followTypical(record, pack, rest, plain, timeS, typicalV);
  const at: number[][] = pack.channels.map(() => []);
  const deviation: number[][] = pack.channels.map(() => []);
  const beyond = beyondEmpty(rest.table, trajectory);
  const leftOut = pack.channels.map((): PastEmpty | null => null);
  all.forEach((r, k) => {
    if (first.unsteady[k]) return;
    if (beyond(r.v, k)) {
      const { cells } = pack.channels[r.c]!;
      leftOut[r.c] = furthest(leftOut[r.c]!, r.v, typicalV[k]!, trajectory.socFraction[k]!, cells);
      return;
    }
    at[r.c]!.push(k);
    deviation[r.c]!.push((r.v - typicalV[k]!) * pack.channels[r.c]!.cells);
  });
  // The pooled fit may sit a little off the median channel; take the shift out.
  const shift = median(
    deviation.flatMap((d, c) => (d.length > 0 ? [median(d) / pack.channels[c]!.cells] : [])),
  );
  return {
    curve: rest.table,
    negative: rest.negative,
    trajectory,
    channels: at.map((a, c) => ({
      at: Int32Array.from(a),
      count: new Float64Array(a.length).fill(1),
      deviationV: Float64Array.from(deviation[c]!, (d) => d - shift * pack.channels[c]!.cells),
    })),
    leftOut,
    readingsPerMoment: 1,
  };
}

/** Median of the readings nearest in time, over about two rounds of polling. */
function nearestMedian(all: { t: number; v: number }[], t: number): number {
  let low = 0;
  let high = all.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (all[mid]!.t < t) low = mid + 1;
    else high = mid;
  }
  const from = Math.max(0, low - 8);
  return median(all.slice(from, low + 9).map((r) => r.v));
}

/** Charge at which a curve ends for what it tells. */
export const EMPTY_END = 0.01;
/** How far below that a cell is past it, V. From memory. */
const PAST_EMPTY_V = 0.05;

/**
 * Whether a reading, V a cell, at a moment is past the empty end of the curve once the load's drop is off it. The curve says nothing of charge there, and a group that
 * far down is left out of the fit; under load a sound one may read as low.
 */
const beyondEmpty = (curve: OcvCurve, { ohmicV, slowV }: Trajectory): ((v: number, k: number) => boolean) => {
  const endV = curve.voltageAt(EMPTY_END) - PAST_EMPTY_V;
  return (v, k) => v + Math.max(0, ohmicV[k]! + slowV[k]!) < endV;
};

/** The reading further below the others, of volts a cell. */
const furthest = (
  before: PastEmpty | null,
  v: number,
  typicalV: number,
  socFraction: number,
  cells: number,
): PastEmpty =>
  before && before.typicalV - before.voltageV >= (typicalV - v) * cells
    ? before
    : { voltageV: v * cells, typicalV: typicalV * cells, socFraction };

/** Blocks of time and levels of current that long records are averaged into. */
const BLOCKS = 40;
const LEVELS = 5;
const CONDENSE_ABOVE = 400;

/**
 * Averages a long record into cells of similar time and current: what the channel model is linear in stays what it
 * was, loads keep their contrast, and fits cost the same however long the record is.
 */
function condense(full: DeviationSet): DeviationSet {
  const t = full.trajectory;
  const n = t.timeS.length;
  if (n <= CONDENSE_ABOVE) return full;
  const cellOf = new Int32Array(n).fill(-1);
  let cells = 0;
  for (let b = 0; b < BLOCKS; b++) {
    const from = Math.floor((b * n) / BLOCKS);
    const to = Math.floor(((b + 1) * n) / BLOCKS);
    let low = Infinity;
    let high = -Infinity;
    for (let k = from; k < to; k++) {
      low = Math.min(low, t.currentA[k]!);
      high = Math.max(high, t.currentA[k]!);
    }
    const ids = new Int32Array(LEVELS).fill(-1);
    for (let k = from; k < to; k++) {
      const level =
        high > low ? Math.min(LEVELS - 1, Math.floor(((t.currentA[k]! - low) / (high - low)) * LEVELS)) : 0;
      if (ids[level]! < 0) ids[level] = cells++;
      cellOf[k] = ids[level]!;
    }
  }
  const size = new Float64Array(cells);
  for (let k = 0; k < n; k++) size[cellOf[k]!]!++;
  const mean = (values: Float64Array): Float64Array => {
    const out = new Float64Array(cells);
    for (let k = 0; k < n; k++) out[cellOf[k]!]! += values[k]! / size[cellOf[k]!]!;
    return out;
  };
  const trajectory: Trajectory = {
    ...t,
    timeS: mean(t.timeS),
    currentA: mean(t.currentA),
    slow1A: mean(t.slow1A),
    slow2A: mean(t.slow2A),
    drawnAh: mean(t.drawnAh),
    typicalV: mean(t.typicalV),
    socFraction: mean(t.socFraction),
    ohmicV: mean(t.ohmicV),
    slowV: mean(t.slowV),
    positiveLagAh: mean(t.positiveLagAh),
    negativeLagAh: mean(t.negativeLagAh),
    branch: t.branch && {
      ...t.branch,
      addsV: mean(t.branch.addsV),
      byGainV: mean(t.branch.byGainV),
      byLeakV: mean(t.branch.byLeakV),
    },
    unsteady: new Uint8Array(cells),
  };
  const channels = full.channels.map((c): Observation => {
    const sum = new Float64Array(cells);
    const count = new Float64Array(cells);
    for (let i = 0; i < c.at.length; i++) {
      const cell = cellOf[c.at[i]!]!;
      sum[cell]! += c.deviationV[i]! * c.count[i]!;
      count[cell]! += c.count[i]!;
    }
    const used = Array.from({ length: cells }, (_, i) => i).filter((i) => count[i]! > 0);
    return {
      at: Int32Array.from(used),
      deviationV: Float64Array.from(used, (i) => sum[i]! / count[i]!),
      count: Float64Array.from(used, (i) => count[i]!),
    };
  });
  return { ...full, trajectory, channels };
}

/**
 * Brings every channel's readings against the typical cell of their own moment. Channels beyond their floor or
 * ceiling (`condemned`, by index) have no part in what is typical.
 */
export function observe(
  record: ScanRecord,
  pack: Pack,
  condemned: ReadonlySet<number> = new Set(),
): DeviationSet {
  const { chemistry, ocv } = pack.profile;
  const table = ocvCurve(ocv);
  const rest = { table, negative: negativeBehind(table, chemistry, ocv) };
  const { flat } = factsOf(chemistry);
  const full = (record.simultaneous ? observeTogether : observePolled)(
    record,
    pack,
    flat ? steppedCurve(ocv) : rest,
    rest,
    condemned,
  );
  if (!flat) return condense({ ...full, ...ownCurve(rest, full.trajectory) });
  // What is behind a flat curve is asked only once causes are weighed.
  const { curve, negative } = ownCurve(full.trajectory.ageing ? steppedCurve(ocv) : rest, full.trajectory);
  return condense({ ...full, curve, negative: null, steps: negative ?? negativeOfFlat(curve) });
}

/** A flat curve with the electrode that has its steps. */
function steppedCurve(ocv: readonly (readonly [number, number])[]): RestCurve {
  const table = ocvCurve(smoothTable(ocv));
  return { table, negative: negativeOfFlat(table), together: true };
}

/** Last grid moment at or before a time. */
export const momentAt = (trajectory: Trajectory, timeS: number): number =>
  Math.max(0, indexAt(trajectory.timeS, timeS));
