import type { Pack } from '../../pack';
import { indexAt, meanBetween, valueAt, type ScanRecord } from '../../scan';

/** The strongest pull of a record, from the last quiet moment before it to its end, and how far each channel sagged by then. */
export interface FullLoad {
  /** Quietest before it, s; and when the sag was read. */
  fromS: number;
  atS: number;
  /** At the moment of the sag, A; discharge is positive. */
  currentA: number;
  temperatureC: number | null;
  /** What flowed on the way there and before it, to be simulated: times from `fromS` on, s, those before it below nothing. */
  course: { timeS: number[]; currentA: number[] };
  /** Volts of the typical channel at that quietest moment. */
  quietV: number;
  /** Fall of each channel, V; null where it was not read at both moments. */
  sagV: (number | null)[];
}

/** A pull is one from this share of the rating an hour on, C. Common practice, no source. */
const LEAST_C = 0.3;
/** Quiet is less than this share of the least pull; and no longer ago than this, s. From memory. */
const QUIET = 0.1;
const QUIET_AGO_S = 90;
/** A pull that lasted less says more of the reading than of the cell, s. From memory. */
const LEAST_S = 2;
/** What flowed so long before still moves the voltage, s. From memory. */
const HISTORY_S = 1800;
const MOST_COURSE = 120;

/** A stretch of the current with no more than so many points: means of what is put together, the charge kept. */
function thinned(
  current: NonNullable<ScanRecord['currentA']>,
  from: number,
  to: number,
): { t: number; a: number }[] {
  const stride = Math.ceil((to - from) / MOST_COURSE);
  const out: { t: number; a: number }[] = [];
  for (let i = from; i < to; i += stride) {
    const end = Math.min(to, i + stride);
    let [t, a, n] = [0, 0, 0];
    for (let k = i; k < end; k++) {
      const value = current.value[k]!;
      if (Number.isNaN(value)) continue;
      t += current.timeS[k]!;
      a += value;
      n++;
    }
    if (n > 0) out.push({ t: t / n, a: a / n });
  }
  // The last of a stretch stands as it is: a sag is read at its own current.
  const last = to - 1;
  if (out.length > 0 && stride > 1)
    out[out.length - 1] = { t: current.timeS[last]!, a: current.value[last]! };
  return out;
}

/**
 * Where the current rose most within the time that a sag is read over: from the quietest moment before it. In a drive that never stands
 * still that is the moment of least current, not none at all.
 */
function strongestPull(record: ScanRecord, leastA: number): { quiet: number; at: number } | null {
  const current = record.currentA!;
  const judged = (t: number): boolean => (record.assumed ?? []).some((a) => t >= a.fromS && t <= a.toS);
  // What is as good as none is alike: then the newest such moment counts.
  const size = (k: number): number => {
    const a = Math.abs(current.value[k]!);
    return a <= QUIET * leastA ? 0 : a;
  };
  let best: { quiet: number; at: number; rise: number } | null = null;
  // Moments that may be the quietest of the window, quieter and older first.
  let window: number[] = [];
  let entering = 0;
  for (let k = 0; k < current.timeS.length; k++) {
    const t = current.timeS[k]!;
    if (judged(t) || Number.isNaN(current.value[k]!)) continue;
    // The first reading of a pull may have caught its beginning only.
    for (; entering < k && t - current.timeS[entering]! >= LEAST_S; entering++) {
      if (judged(current.timeS[entering]!) || Number.isNaN(current.value[entering]!)) continue;
      while (window.length > 0 && size(window.at(-1)!) >= size(entering)) window.pop();
      window.push(entering);
    }
    window = window.filter((j) => t - current.timeS[j]! <= QUIET_AGO_S);
    const quiet = window[0];
    if (quiet === undefined) continue;
    const rise = current.value[k]! - size(quiet);
    if (rise >= leastA && (!best || rise > best.rise)) best = { quiet, at: k, rise };
  }
  return best;
}

/** The strongest pull of a record; null where it holds no current, or none that strong. */
export function fullLoadOf(record: ScanRecord, pack: Pack): FullLoad | null {
  const current = record.currentA;
  if (!current || current.timeS.length < 3) return null;
  const best = strongestPull(record, LEAST_C * pack.profile.ratedCapacityAh);
  if (!best) return null;
  const [fromS, atS] = [current.timeS[best.quiet]!, current.timeS[best.at]!];
  const span = atS - fromS;
  const read = (s: ScanRecord['voltageV'][number], t: number): number | null => {
    const i = indexAt(s.timeS, t + 1e-9);
    // Readings come one after another: one from the other side of the change says nothing.
    return i >= 0 && t - s.timeS[i]! <= 0.3 * span && !Number.isNaN(s.value[i]!) ? s.value[i]! : null;
  };
  const sagV = record.voltageV.map((s) => {
    const [before, under] = [read(s, fromS), read(s, atS)];
    return before === null || under === null ? null : before - under;
  });
  const quietV = record.voltageV.map((s) => read(s, fromS)).filter((v): v is number => v !== null);
  if (quietV.length === 0) return null;
  const first = Math.max(0, indexAt(current.timeS, fromS - HISTORY_S));
  const course = [...thinned(current, first, best.quiet), ...thinned(current, best.quiet, best.at + 1)];
  const warm = record.temperatureC ? valueAt(record.temperatureC, atS) : NaN;
  const around =
    record.temperatureC && Number.isNaN(warm)
      ? meanBetween(record.temperatureC, fromS - 600, atS + 600)
      : warm;
  return {
    fromS,
    atS,
    currentA: current.value[best.at]!,
    temperatureC: Number.isNaN(around) ? null : around,
    course: { timeS: course.map((p) => p.t - fromS), currentA: course.map((p) => p.a) },
    quietV: quietV.sort((a, b) => a - b)[Math.floor(quietV.length / 2)]!,
    sagV,
  };
}
