import { indexAt, meanBetween, timeSpan, type ScanRecord, type Series } from './record';

/** A stretch of a record in which the pack was left alone, drawn from, or charged. */
export interface Segment {
  kind: 'rest' | 'discharge' | 'charge';
  fromS: number;
  toS: number;
  /** Mean current, A, positive on discharge. */
  meanCurrentA: number;
  /** Charge drawn (positive) or put in, A·h. */
  chargeAh: number;
  /** Between joined records: judged, not recorded. */
  assumed?: true;
  /** Changes of current that tell resistance: this many steps of a tenth of the widest current and more. */
  steps: number;
}

/** A rest this long is standing: self-discharge shows in it, s. */
export const STANDING_S = 12 * 3600;

/** Charge drawn between two moments by trapezoid, A·h, positive on discharge. */
export function chargeBetweenAh(current: Series, fromS: number, toS: number): number {
  let sum = 0;
  const { timeS, value } = current;
  for (let i = Math.max(1, indexAt(timeS, fromS)); i < timeS.length && timeS[i - 1]! < toS; i++) {
    const start = timeS[i - 1]!;
    const span = timeS[i]! - start;
    const a = Math.max(start, fromS);
    const b = Math.min(timeS[i]!, toS);
    if (b <= a) continue;
    // Mean of the current at both ends of the part that counts, linear in between.
    const middle = ((a + b) / 2 - start) / span;
    sum += (value[i - 1]! + middle * (value[i]! - value[i - 1]!)) * (b - a);
  }
  return sum / 3600;
}

/**
 * Cuts a record into rests, discharges and charges. Current below `restA` counts as rest; a stretch shorter than
 * `shortestS` joins its neighbour, so a red light in a drive is not a rest. Joined records are cut each by itself:
 * one row taken at rest stays a rest, whatever was drawn before the next.
 */
export function findSegments(record: ScanRecord, restA = 0.8, shortestS = 180): Segment[] {
  const { fromS, toS } = timeSpan(record);
  if (!record.currentA || record.currentA.timeS.length < 2)
    return [{ kind: 'rest', fromS, toS, meanCurrentA: 0, chargeAh: 0, steps: 0 }];
  const current = record.currentA;
  const gaps = record.assumed ?? [];
  if (gaps.length === 0) return segmentsWithin(current, restA, shortestS);
  const edges = [-Infinity, ...gaps.flatMap((g) => [g.fromS, g.toS]), Infinity];
  const segments: Segment[] = [];
  for (let k = 0; k < edges.length; k += 2) {
    const part = between(current, edges[k]!, edges[k + 1]!);
    if (part.timeS.length > 0) segments.push(...segmentsWithin(part, restA, shortestS));
    const gap = gaps[k / 2];
    if (!gap) continue;
    const chargeAh = chargeBetweenAh(current, gap.fromS, gap.toS);
    const kind = Math.abs(chargeAh) < 1e-9 ? 'rest' : chargeAh > 0 ? 'discharge' : 'charge';
    segments.push({
      kind,
      fromS: gap.fromS,
      toS: gap.toS,
      meanCurrentA: (chargeAh * 3600) / (gap.toS - gap.fromS),
      chargeAh,
      steps: 0,
      assumed: true,
    });
  }
  return segments;
}

/** The readings of a series from one moment to another, both included. */
function between({ timeS, value }: Series, fromS: number, toS: number): Series {
  const keep = Array.from(timeS.keys()).filter((i) => timeS[i]! >= fromS && timeS[i]! <= toS);
  return {
    timeS: Float64Array.from(keep, (i) => timeS[i]!),
    value: Float64Array.from(keep, (i) => value[i]!),
  };
}

function segmentsWithin(current: Series, restA: number, shortestS: number): Segment[] {
  const { timeS, value } = current;
  const runs: { rest: boolean; fromS: number; toS: number }[] = [];
  for (let i = 0; i < timeS.length; i++) {
    const rest = Math.abs(value[i]!) < restA;
    const last = runs[runs.length - 1];
    if (last && last.rest === rest) last.toS = timeS[i]!;
    else runs.push({ rest, fromS: last ? last.toS : timeS[i]!, toS: timeS[i]! });
  }
  // A rest shorter than asked for belongs to the drive around it, unless it is all there is.
  const kept: typeof runs = [];
  for (const run of runs) {
    const rest =
      run.rest &&
      (run.toS - run.fromS >= shortestS ||
        runs.length === 1 ||
        (run === runs[0] && run.toS - run.fromS >= shortestS / 3));
    const last = kept[kept.length - 1];
    if (last && last.rest === rest) last.toS = run.toS;
    else kept.push({ ...run, rest });
  }
  let widest = 0;
  for (const v of value) if (Math.abs(v) > widest) widest = Math.abs(v);
  const step = Math.max(3, 0.1 * widest);
  return kept.map((run) => {
    let steps = 0;
    for (let i = Math.max(1, indexAt(timeS, run.fromS)); i < timeS.length && timeS[i]! <= run.toS; i++)
      if (Math.abs(value[i]! - value[i - 1]!) >= step) steps++;
    const chargeAh = chargeBetweenAh(current, run.fromS, run.toS);
    const meanCurrentA = meanBetween(current, run.fromS, run.toS);
    return {
      kind: run.rest ? 'rest' : chargeAh >= 0 ? 'discharge' : 'charge',
      fromS: run.fromS,
      toS: run.toS,
      meanCurrentA,
      chargeAh,
      steps,
    };
  });
}

/** Voltages of all channels at the end of a rest, where they have settled most. */
export interface RestPoint {
  timeS: number;
  restedS: number;
  voltageV: number[];
  temperatureC: number | null;
  /** Charge drawn since the start of the record, A·h. */
  drawnAh: number;
}

/** One point per rest: the mean over its last quarter, at most five minutes. */
export function restPoints(record: ScanRecord, segments: Segment[] = findSegments(record)): RestPoint[] {
  const start = timeSpan(record).fromS;
  return segments
    .filter((s) => s.kind === 'rest' && !s.assumed)
    .map((s) => {
      const from = Math.max(s.fromS, s.toS - Math.min(300, Math.max(20, (s.toS - s.fromS) / 4)));
      const temperatureC = record.temperatureC ? meanBetween(record.temperatureC, from, s.toS) : null;
      return {
        timeS: s.toS,
        restedS: s.toS - s.fromS,
        voltageV: record.voltageV.map((v) => meanBetween(v, from, s.toS)),
        temperatureC,
        drawnAh: record.currentA ? chargeBetweenAh(record.currentA, start, s.toS) : 0,
      };
    });
}
