/** Readings of one signal, each with its own time. Both arrays have the same length; times do not fall. */
export interface Series {
  timeS: Float64Array;
  value: Float64Array;
}

/** What a scan recorded, in our units: V per channel, A positive on discharge, °C, SOC as a fraction. */
export interface ScanRecord {
  channelIds: string[];
  /** One series per channel, in the order of `channelIds`. NaN where a reading is missing. */
  voltageV: Series[];
  currentA: Series | null;
  temperatureC: Series | null;
  /** Every temperature sensor on its own, where the record holds more than one. */
  sensors?: { name: string; series: Series }[] | undefined;
  reportedSocFraction: Series | null;
  /** The whole pack as the vehicle measures it, V: not the sum of the channels, and so a check of it. */
  packVoltageV?: Series | undefined;
  /** The vehicle's own figure of its insulation, Ω. */
  insulationOhm?: Series | undefined;
  /** True if all channels of a row were read at the same moment. */
  simultaneous: boolean;
  /** Seconds since 1970 at the record's time zero, where the file tells. */
  startEpochS?: number | undefined;
  /** Its rows stand for several readings each: what lasted for one reading alone is not in it. */
  thinned?: true | undefined;
  /** Stretches between joined records: their current was judged, not recorded. */
  assumed?: { fromS: number; toS: number }[] | undefined;
  /** What the reader had to assume, in plain words. */
  notices: string[];
}

/** Last reading at or before a time; NaN before the first. */
export function valueAt(series: Series, timeS: number): number {
  const i = indexAt(series.timeS, timeS);
  return i < 0 ? NaN : series.value[i]!;
}

/** Index of the last time at or before `timeS`; -1 before the first. */
export function indexAt(times: Float64Array, timeS: number): number {
  let low = 0;
  let high = times.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (times[mid]! <= timeS) low = mid + 1;
    else high = mid;
  }
  return low - 1;
}

/** Mean of the readings within [fromS, toS], NaN if there are none. */
export function meanBetween(series: Series, fromS: number, toS: number): number {
  let sum = 0;
  let count = 0;
  for (
    let i = indexAt(series.timeS, fromS - 1e-9) + 1;
    i < series.timeS.length && series.timeS[i]! <= toS;
    i++
  ) {
    const v = series.value[i]!;
    if (!Number.isNaN(v)) {
      sum += v;
      count++;
    }
  }
  return count === 0 ? NaN : sum / count;
}

/** First and last time of a record over all its channels. */
export function timeSpan(record: ScanRecord): { fromS: number; toS: number } {
  let fromS = Infinity;
  let toS = -Infinity;
  for (const s of record.voltageV) {
    if (s.timeS.length === 0) continue;
    fromS = Math.min(fromS, s.timeS[0]!);
    toS = Math.max(toS, s.timeS[s.timeS.length - 1]!);
  }
  return { fromS, toS };
}
