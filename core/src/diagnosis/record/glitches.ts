import { factsOf, type Pack } from '../../pack';
import { indexAt, type ScanRecord, type Series } from '../../scan';
import { median } from '../../numerics/robustStatistics';

/** A reading that leaped by itself while the pack stood still. */
export interface Glitches {
  channelIndex: number;
  count: number;
  mostMv: number;
}

/** The typical channel stands still when it moves less than this between two readings, V a cell. From memory. */
const STILL_V = 0.0015;
/** A leap is at least this, V a channel, and so many steps of the reading. From memory. */
const LEAST_V = 0.01;
const LEAST_STEPS = 4;
/** Between readings further apart than this nothing is told of a leap. */
const MOST_GAP_S = 120;
/** Fewer moments of standing still than this were not enough to look. */
const LEAST_MOMENTS = 10;

/**
 * Readings that leap while the pack stands still, as a loose sense wire or a failing board makes them; what moves with all channels, or
 * with the current, is none.
 *
 * @returns null where the record holds too little of standing still, its channels were not read in rounds, or its rows are means of
 * several readings, in which a leap goes under
 */
export function glitchesOf(record: ScanRecord, pack: Pack): Glitches[] | null {
  if (record.thinned) return null;
  const series = record.voltageV;
  const length = series[0]?.timeS.length ?? 0;
  if (series.length !== pack.channels.length || series.some((s) => s.timeS.length !== length)) return null;
  const cells = pack.channels.map((c) => c.cells);
  const leastV = Math.max(LEAST_V, LEAST_STEPS * factsOf(pack.profile.chemistry).sensorStepV);
  const found = new Map<number, Glitches>();
  let moments = 0;
  const { timeS } = series[0]!;
  for (let k = 1; k < length; k++) {
    if (timeS[k]! - timeS[k - 1]! > MOST_GAP_S || !quiet(record, timeS[k - 1]!, timeS[k]!, pack)) continue;
    if (moments >= LEAST_MOMENTS && !mayLeap(series, cells, k, leastV)) continue;
    const movedV = series.map((s, i) => (s.value[k]! - s.value[k - 1]!) / cells[i]!);
    const read = movedV.filter((v) => !Number.isNaN(v));
    const typical = median(read);
    if (read.length === 0 || Math.abs(typical) >= STILL_V) continue;
    moments++;
    movedV.forEach((v, i) => {
      const leapV = Math.abs(v - typical) * cells[i]!;
      if (!(leapV >= leastV)) return;
      const own = found.get(i) ?? { channelIndex: i, count: 0, mostMv: 0 };
      found.set(i, { channelIndex: i, count: own.count + 1, mostMv: Math.max(own.mostMv, 1000 * leapV) });
    });
  }
  return moments < LEAST_MOMENTS ? null : [...found.values()].sort((a, b) => b.mostMv - a.mostMv);
}

/** Whether a channel moved by as much as a leap less what the typical channel may move. */
function mayLeap(series: readonly Series[], cells: readonly number[], k: number, leastV: number): boolean {
  for (let i = 0; i < series.length; i++) {
    const { value } = series[i]!;
    if (Math.abs(value[k]! - value[k - 1]!) >= leastV - STILL_V * cells[i]!) return true;
  }
  return false;
}

/** Current below this share of the rating, A per A·h, is none. From memory. */
const NO_CURRENT = 0.02;
/** What flowed before this long, s, has settled as far as a leap goes. From memory. */
const SETTLE_S = 60;
/** Whether nothing flowed from a while before the first moment to the second. */
function quiet(record: ScanRecord, fromS: number, toS: number, pack: Pack): boolean {
  const { currentA } = record;
  if (!currentA) return true;
  const least = NO_CURRENT * pack.profile.ratedCapacityAh;
  for (let k = Math.max(0, indexAt(currentA.timeS, fromS - SETTLE_S)); k < currentA.timeS.length; k++) {
    if (currentA.timeS[k]! > toS) break;
    if (Math.abs(currentA.value[k]!) > least) return false;
  }
  return true;
}
