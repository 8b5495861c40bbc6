import { indexAt, type ScanRecord, type Series } from './record';

/** A record with the moment it began and the charge its typical channel held at both ends. */
export interface Part {
  record: ScanRecord;
  /** Seconds on a common clock at the record's own time zero; where nobody knows it, what stands for its order alone. */
  startS: number;
  /** False where nobody knows when it was recorded: how long the pack stood before and after it is not known then. */
  startKnown?: boolean;
  startSocFraction: number;
  endSocFraction: number;
}

/** Rows of a joined record; each is a mean of neighbouring rows where there were more. */
const MOST_ROWS = 2300;
/** A change of charge below this between two records is taken as standing, not driving. */
const STOOD_SOC = 0.015;

/** Means of runs of rows, so that a joined record stays small and evenly weighed. */
function thin(record: ScanRecord, most: number): ScanRecord {
  const length = record.voltageV[0]!.timeS.length;
  const run = Math.ceil(length / most);
  if (!record.simultaneous || run <= 1) return record;
  const count = Math.ceil(length / run);
  const mean = (values: Float64Array): Float64Array => {
    const out = new Float64Array(count);
    for (let k = 0; k < count; k++) {
      const to = Math.min(length, (k + 1) * run);
      let known = 0;
      for (let i = k * run; i < to; i++)
        if (!Number.isNaN(values[i]!)) {
          out[k]! += values[i]!;
          known++;
        }
      out[k] = out[k]! / known;
    }
    return out;
  };
  const timeS = mean(record.voltageV[0]!.timeS);
  const series = (s: Series): Series => ({ timeS, value: mean(s.value) });
  return {
    ...record,
    thinned: true,
    voltageV: record.voltageV.map(series),
    currentA: record.currentA && series(record.currentA),
    temperatureC: record.temperatureC && series(record.temperatureC),
    sensors: undefined,
    reportedSocFraction: record.reportedSocFraction && series(record.reportedSocFraction),
    ...(record.packVoltageV && { packVoltageV: series(record.packVoltageV) }),
  };
}

/** Current that changes by no more than this within a round of polling leaves its readings comparable. */
const STEADY_A = 1;
const STEADY_SHARE = 0.04;

/**
 * A polled record as rows: at each moment of the current, and where the current stayed steady through a whole round,
 * the newest reading of every channel. Rows without readings keep the charge that was drawn.
 */
function asTogether(record: ScanRecord): ScanRecord {
  if (record.simultaneous) return record;
  const rounds = record.voltageV.reduce((a, b) => (b.timeS.length < a.timeS.length ? b : a)).timeS;
  const times = record.currentA ? record.currentA.timeS : rounds;
  const roundS = rounds.length > 1 ? (rounds[rounds.length - 1]! - rounds[0]!) / (rounds.length - 1) : 0;
  const size = record.currentA
    ? STEADY_SHARE * Math.max(...record.currentA.value.map((v) => Math.abs(v)))
    : STEADY_A;
  const steady = Array.from(times, (t, k) => {
    if (!record.currentA) return true;
    const now = record.currentA.value[k]!;
    for (let j = k; j >= 0 && times[j]! >= t - roundS; j--)
      if (Math.abs(record.currentA.value[j]! - now) > Math.max(STEADY_A, size)) return false;
    return true;
  });
  const newest = (s: Series): Series => ({
    timeS: times,
    value: Float64Array.from(times, (t, k) => {
      const i = steady[k] ? indexAt(s.timeS, t) : -1;
      return i >= 0 && s.timeS[i]! >= t - 2 * roundS ? s.value[i]! : NaN;
    }),
  });
  return {
    ...record,
    simultaneous: true,
    voltageV: record.voltageV.map(newest),
    currentA: record.currentA && { timeS: times, value: record.currentA.value },
    temperatureC: record.temperatureC && newest(record.temperatureC),
    reportedSocFraction: record.reportedSocFraction && newest(record.reportedSocFraction),
    ...(record.packVoltageV && { packVoltageV: newest(record.packVoltageV) }),
  };
}

/**
 * Puts several records of one pack on one time line. What was drawn between two of them is not recorded: it is
 * taken from the charge the typical channel held at the end of one and the start of the next, and said so.
 * Parts are sorted by their start; a part that begins before the one before has ended, or at a time that nobody knows, is moved to just
 * after it.
 */
export function joinRecords(parts: readonly Part[], typicalCapacityAh: number): ScanRecord {
  const mixed = parts.some((p) => p.record.simultaneous);
  const sorted = parts
    .map((p) => (mixed ? { ...p, record: asTogether(p.record) } : p))
    .sort((a, b) => a.startS - b.startS);
  const together = mixed;
  const notices = [`Joined from ${sorted.length} records.`];
  const assumed: { fromS: number; toS: number }[] = [];
  const channels = sorted[0]!.record.channelIds.length;
  type Points = { t: number[]; v: number[] };
  const points = (): Points => ({ t: [], v: [] });
  const voltage = Array.from({ length: channels }, points);
  const current = points();
  const temperature = points();
  const soc = points();
  const packVolts = points();
  const add = (to: Points, s: Series | null, shift: number): void => {
    if (s)
      for (let i = 0; i < s.timeS.length; i++) {
        to.t.push(s.timeS[i]! + shift);
        to.v.push(s.value[i]!);
      }
  };
  const fill = (to: Points, times: number[], value: number): void => {
    for (const t of times) {
      to.t.push(t);
      to.v.push(value);
    }
  };
  let endS = -Infinity;
  let thinned = false;
  let before: Part | null = null;
  const zero = sorted[0]!.startS;
  for (const part of sorted) {
    const record = thin(part.record, Math.floor(MOST_ROWS / sorted.length));
    thinned ||= record.thinned === true;
    const first = Math.min(...record.voltageV.map((s) => s.timeS[0] ?? Infinity));
    let shift = part.startS - zero;
    if (before) {
      const timed = part.startKnown !== false && before.startKnown !== false;
      shift = timed ? Math.max(shift, endS + 60 - first) : endS + 60 - first;
      const gapS = first + shift - endS;
      const socDrawn = before.endSocFraction - part.startSocFraction;
      const drawnAh = Math.abs(socDrawn) < STOOD_SOC ? 0 : socDrawn * typicalCapacityAh;
      const edge = Math.min(5, gapS / 4);
      const edges = [endS + edge, first + shift - edge];
      const gapA = (drawnAh * 3600) / (gapS - edge);
      assumed.push({ fromS: endS, toS: first + shift });
      fill(current, edges, gapA);
      if (together) {
        for (const v of voltage) fill(v, edges, NaN);
        fill(temperature, edges, NaN);
        fill(soc, edges, NaN);
        fill(packVolts, edges, NaN);
      }
      notices.push(
        !timed
          ? `When one of the records was made is not known: they are taken in the order they came in${drawnAh === 0 ? '' : `, and the ${Math.abs(socDrawn * 100).toFixed(0)} % of charge between them may have been drawn or put in`}. Say when under Scan.`
          : drawnAh === 0
            ? `Between the records the pack stood ${(gapS / 3600).toFixed(1)} h.`
            : `Between the records about ${Math.abs(socDrawn * 100).toFixed(0)} % of charge ${drawnAh > 0 ? 'was drawn' : 'was put in'} unrecorded, judged by the typical channel.`,
      );
    }
    const length = record.voltageV[0]!.timeS.length;
    const rows = together ? record.voltageV[0]!.timeS : null;
    const orElse = (s: Series | null, value: number): Series | null =>
      s ?? (rows && { timeS: rows, value: new Float64Array(length).fill(value) });
    record.voltageV.forEach((s, c) => add(voltage[c]!, s, shift));
    // A record without current was taken at rest.
    const still = record.voltageV[0]!.timeS;
    add(current, record.currentA ?? { timeS: still, value: new Float64Array(still.length) }, shift);
    add(temperature, orElse(record.temperatureC, NaN), shift);
    add(soc, orElse(record.reportedSocFraction, NaN), shift);
    add(packVolts, orElse(record.packVoltageV ?? null, NaN), shift);
    endS = Math.max(...record.voltageV.map((s) => s.timeS[s.timeS.length - 1] ?? -Infinity)) + shift;
    before = part;
  }
  const shared = together ? Float64Array.from(current.t) : null;
  const series = (p: Points): Series => ({
    timeS: shared ?? Float64Array.from(p.t),
    value: Float64Array.from(p.v),
  });
  const orNull = (p: Points): Series | null => (p.v.some((v) => !Number.isNaN(v)) ? series(p) : null);
  const packVoltageV = orNull(packVolts);
  return {
    channelIds: sorted[0]!.record.channelIds,
    voltageV: voltage.map(series),
    currentA: series(current),
    temperatureC: orNull(temperature),
    reportedSocFraction: orNull(soc),
    ...(packVoltageV && { packVoltageV }),
    simultaneous: together,
    assumed,
    ...(thinned ? { thinned } : {}),
    notices,
  };
}
