import type { Pack } from '../../pack';
import { indexAt, timeSpan, type ScanRecord } from '../../scan';
import { median } from '../../numerics/robustStatistics';

/** Deviation of every channel from the pack's median through a record, in bins of time. */
export interface DeviationMap {
  /** Middle of each bin, seconds from the record's start. */
  timeS: number[];
  /** Pack current in each bin, A; null where none was recorded. */
  currentA: (number | null)[];
  /** Per channel and bin, mV of the whole channel; null where a channel was not read. */
  deviationMv: (number | null)[][];
}

/**
 * Reduces a record to at most `bins` columns. In each, the reading furthest from the median is kept, so that a short
 * dip under load stays visible. Of long records the rows looked at are means, and not every one is.
 */
export function deviationMap(record: ScanRecord, pack: Pack, bins = 160): DeviationMap {
  const { fromS, toS } = timeSpan(record);
  const span = Math.max(1e-9, toS - fromS);
  const most = Math.min(bins, Math.max(1, ...record.voltageV.map((s) => s.timeS.length)));
  const edge = (b: number): number => fromS + (span * b) / most;
  const binOf = (t: number): number => Math.min(most - 1, Math.floor(((t - fromS) / span) * most));
  const deviationMv: (number | null)[][] = pack.channels.map(() => new Array<number | null>(most).fill(null));
  const furthest = (c: number, b: number, mv: number): void => {
    const before = deviationMv[c]![b]!;
    if (before === null || Math.abs(mv) > Math.abs(before)) deviationMv[c]![b] = Math.round(mv * 10) / 10;
  };
  if (record.simultaneous) {
    const time = record.voltageV[0]!.timeS;
    const stride = Math.max(1, Math.floor(time.length / (most * 24)));
    const row = new Float64Array(pack.channels.length);
    for (let k = 0; k < time.length; k += stride) {
      let n = 0;
      pack.channels.forEach((channel, c) => {
        const v = record.voltageV[c]!.value[k]! / channel.cells;
        if (!Number.isNaN(v)) row[n++] = v;
      });
      const middle = median(row.subarray(0, n));
      const b = binOf(time[k]!);
      pack.channels.forEach((channel, c) => {
        const v = record.voltageV[c]!.value[k]!;
        if (!Number.isNaN(v)) furthest(c, b, (v - middle * channel.cells) * 1000);
      });
    }
  } else {
    // Read one after another: compare what each channel gave within the same bin on average.
    const mean = pack.channels.map((channel, c) => {
      const sum = new Float64Array(most);
      const count = new Float64Array(most);
      const s = record.voltageV[c]!;
      for (let i = 0; i < s.timeS.length; i++)
        if (!Number.isNaN(s.value[i]!)) {
          sum[binOf(s.timeS[i]!)]! += s.value[i]! / channel.cells;
          count[binOf(s.timeS[i]!)]!++;
        }
      return Float64Array.from(sum, (v, b) => v / count[b]!);
    });
    for (let b = 0; b < most; b++) {
      const known = mean.map((m) => m[b]!).filter((v) => !Number.isNaN(v));
      if (known.length === 0) continue;
      const middle = median(known);
      pack.channels.forEach((channel, c) => {
        const v = mean[c]![b]!;
        if (!Number.isNaN(v)) furthest(c, b, (v - middle) * channel.cells * 1000);
      });
    }
  }
  const current = record.currentA;
  return {
    timeS: Array.from({ length: most }, (_, b) => (edge(b) + edge(b + 1)) / 2 - fromS),
    currentA: Array.from({ length: most }, (_, b) => {
      if (!current) return null;
      const i = indexAt(current.timeS, (edge(b) + edge(b + 1)) / 2);
      const v = current.value[Math.max(0, i)];
      return v === undefined || Number.isNaN(v) ? null : Math.round(v * 10) / 10;
    }),
    deviationMv,
  };
}
