import { limitValue, type Pack } from '../pack';

/** The vehicle's own figure at a moment. */
export interface VehicleReading {
  /** ISO 8601. */
  at: string;
  ohm: number;
  pole?: 'positive' | 'negative' | undefined;
  /** After rain or washing. */
  wetted: boolean;
}

/** Where the vehicle's own figure is going. */
export interface VehicleTrend {
  /** Ratio of the figure after thirty days to that of today. */
  perMonth: { value: number; low: number; high: number };
  /** When it falls to the limit that stops the vehicle, ISO 8601: earliest, likeliest, latest; null where it does not fall so far. */
  stopsAt: { early: string; value: string | null; late: string | null } | null;
  stopOhm: number;
  /** Readings that it was taken from. */
  count: number;
  says: string;
}

const DAY_MS = 86_400_000;
/** Further ahead than this nothing is said, days. */
const AHEAD_DAYS = 730;
/** Fewer readings than this have no trend. */
const ENOUGH = 4;
/** Moments nearer to each other than this are one, days. */
const APART_DAYS = 2;

/**
 * Fits the logarithm of the vehicle's own figure with a straight line: a leak that grows does so by a share of itself. Only dry readings of one
 * pole are taken together; rain is another state. The interval is that of the line and of a new reading beside it, two-sided 90 %.
 * @returns null where there are too few readings, or all are of one moment
 */
export function vehicleTrend(readings: readonly VehicleReading[], pack: Pack): VehicleTrend | null {
  const dry = readings.filter((r) => !r.wetted && r.ohm > 0).sort((a, b) => a.at.localeCompare(b.at));
  const newest = dry.at(-1);
  const of = dry.filter((r) => r.pole === newest?.pole);
  if (!newest || of.length < ENOUGH) return null;
  const now = Date.parse(newest.at);
  const x = of.map((r) => (Date.parse(r.at) - now) / DAY_MS);
  if (x.at(-1)! - x[0]! < APART_DAYS) return null;
  const y = of.map((r) => Math.log(r.ohm));
  const n = x.length;
  const meanX = x.reduce((a, b) => a + b, 0) / n;
  const meanY = y.reduce((a, b) => a + b, 0) / n;
  const sxx = x.reduce((a, b) => a + (b - meanX) ** 2, 0);
  const slope = x.reduce((a, b, i) => a + (b - meanX) * (y[i]! - meanY), 0) / sxx;
  const left = y.reduce((a, b, i) => a + (b - meanY - slope * (x[i]! - meanX)) ** 2, 0);
  const sd = Math.sqrt(left / (n - 2));
  const t = studentT95(n - 2);
  const error = (t * sd) / Math.sqrt(sxx);
  const stopOhm = limitValue(pack.profile, 'vehicleStopOhm');
  /** The line, or its lower or upper end for one more reading, so many days ahead. */
  const line = (day: number, side: -1 | 0 | 1): number =>
    meanY + slope * (day - meanX) + side * t * sd * Math.sqrt(1 + 1 / n + (day - meanX) ** 2 / sxx);
  const dayOf = (side: -1 | 0 | 1): string | null => {
    for (let day = 0; day <= AHEAD_DAYS; day++)
      if (line(day, side) <= Math.log(stopOhm)) return new Date(now + day * DAY_MS).toISOString();
    return null;
  };
  const [early, value, late] = [dayOf(-1), dayOf(0), dayOf(1)];
  const falls = slope + error < 0;
  const perMonth = [slope, slope - error, slope + error].map((s) => Math.exp(30 * s));
  return {
    perMonth: { value: perMonth[0]!, low: perMonth[1]!, high: perMonth[2]! },
    stopsAt: falls && early ? { early, value, late } : null,
    stopOhm,
    count: n,
    says: falls
      ? `Falls by ${Math.round(100 * (1 - perMonth[0]!))} % a month (${Math.round(100 * Math.max(0, 1 - perMonth[2]!))} to ${Math.round(100 * (1 - perMonth[1]!))} %).`
      : slope - error > 0
        ? 'Rises.'
        : 'Neither falls nor rises beyond its scatter.',
  };
}

/** Student's t for a two-sided 90 % (one-sided 95 %), by degrees of freedom: handbook table, from memory. */
const T95 = [
  6.314, 2.92, 2.353, 2.132, 2.015, 1.943, 1.895, 1.86, 1.833, 1.812, 1.796, 1.782, 1.771, 1.761, 1.753,
  1.746, 1.74, 1.734, 1.729, 1.725,
];
const studentT95 = (degrees: number): number => T95[degrees - 1] ?? 1.645 + 1.6 / degrees;
