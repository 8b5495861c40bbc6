import { factsOf, ocvCurve, type OcvCurve, type Pack } from '../pack';
import { joinRecords, type ScanRecord, type Series } from '../scan';
import { median } from './statistics';

/** Rows further apart than this many usual ones, and than two minutes, leave room for a drive that was not logged. */
const APART = { times: 5, s: 120 };
/** After a load that was logged, what still settles is no drive: it has to have rested this long, and to have moved further. From memory. */
const SETTLED = { s: 600, v: 0.015 };
/** Rests at one charge differ by less: relaxation, self-discharge (a share a day, in times of the usual), and the table. From memory. */
const SAME = { soc: 0.05, v: 0.008, leaks: 5 };
/** Between rows a usual time apart only a jump that no relaxation makes counts. From memory. */
const JUMP = { soc: 0.15, v: 0.05, calmV: 0.005 };
/** Current below this, and below this share of the rated capacity an hour, is rest. */
const SENSOR_A = 0.8;
const REST_SHARE = 0.02;

/** Volts per cell of the middle channel at every row. */
function middleV(record: ScanRecord, pack: Pack): Float64Array {
  const row = new Float64Array(pack.channels.length);
  return Float64Array.from(record.voltageV[0]!.timeS, (_, k) => {
    let n = 0;
    pack.channels.forEach((c, i) => {
      const v = record.voltageV[i]!.value[k]!;
      if (!Number.isNaN(v)) row[n++] = v / c.cells;
    });
    return n > 0 ? median(row.subarray(0, n)) : NaN;
  });
}

/**
 * Rows before which the pack was driven or charged without a record: it rests on both sides, at two states of charge
 * that its own voltages tell apart. Where no current was logged at all a step of voltage may be a load: only a stretch
 * without rows counts then.
 */
function leapsOf(
  record: ScanRecord,
  pack: Pack,
  curve: OcvCurve,
): { at: number; fromSoc: number; toSoc: number }[] {
  const { timeS } = record.voltageV[0]!;
  const n = timeS.length;
  if (n < 2) return [];
  const volts = middleV(record, pack);
  const gaps = Array.from({ length: n - 1 }, (_, k) => timeS[k + 1]! - timeS[k]!);
  const usualS = median(gaps);
  const restA = Math.max(SENSOR_A, REST_SHARE * pack.profile.ratedCapacityAh);
  const rests = (k: number): boolean => Math.abs(record.currentA?.value[k] ?? 0) <= restA;
  const perDay = factsOf(pack.profile.chemistry).leak.perDay;
  const found: { at: number; fromSoc: number; toSoc: number }[] = [];
  let loadedS = -Infinity;
  for (let k = 1; k < n; k++) {
    if (!rests(k - 1)) loadedS = timeS[k - 1]!;
    const [a, b] = [volts[k - 1]!, volts[k]!];
    if (Number.isNaN(a) || Number.isNaN(b) || !rests(k - 1) || !rests(k)) continue;
    const moved = Math.abs(b - a);
    const settling = timeS[k - 1]! - loadedS < SETTLED.s;
    const fresh = loadedS === -Infinity;
    if (settling || moved < (fresh ? SAME.v : SETTLED.v)) continue;
    const [fromSoc, toSoc] = [curve.socAt(a), curve.socAt(b)];
    const days = gaps[k - 1]! / 86400;
    const apart = gaps[k - 1]! >= APART.s && (n <= 3 || gaps[k - 1]! >= APART.times * usualS);
    const calm = k < 2 || Math.abs(a - volts[k - 2]!) < JUMP.calmV;
    const least = apart ? { soc: SAME.soc, v: SAME.v } : { soc: JUMP.soc, v: JUMP.v };
    if (!apart && (!calm || !record.currentA)) continue;
    if (moved >= least.v && Math.abs(fromSoc - toSoc) >= least.soc + SAME.leaks * perDay * days)
      found.push({ at: k, fromSoc, toSoc });
  }
  return found;
}

/**
 * A record in which the pack was driven or charged unlogged between two rests, with that stretch marked as judged: the
 * pack's own voltages tell how much was drawn. Any other record as it is.
 */
export function withLeaps(record: ScanRecord, pack: Pack): ScanRecord {
  if (record.assumed || !record.simultaneous) return record;
  const curve = ocvCurve(pack.profile.ocv);
  const leaps = leapsOf(record, pack, curve);
  if (leaps.length === 0) return record;
  const { timeS } = record.voltageV[0]!;
  const edges = [0, ...leaps.map((l) => l.at), timeS.length];
  const cut = (s: Series, from: number, to: number): Series => ({
    timeS: s.timeS.subarray(from, to),
    value: s.value.subarray(from, to),
  });
  const cutOrNull = (s: Series | null, from: number, to: number): Series | null => s && cut(s, from, to);
  const joined = joinRecords(
    edges.slice(1).map((to, i) => {
      const from = edges[i]!;
      return {
        record: {
          ...record,
          voltageV: record.voltageV.map((s) => cut(s, from, to)),
          currentA: cutOrNull(record.currentA, from, to),
          temperatureC: cutOrNull(record.temperatureC, from, to),
          reportedSocFraction: cutOrNull(record.reportedSocFraction, from, to),
        },
        // The parts keep the record's own clock.
        startS: 0,
        startSocFraction: leaps[i - 1]?.toSoc ?? 0,
        endSocFraction: leaps[i]?.fromSoc ?? 0,
      };
    }),
    pack.profile.ratedCapacityAh * factsOf(pack.profile.chemistry).expectedHealth.value,
  );
  return {
    ...joined,
    startEpochS: record.startEpochS,
    sensors: record.sensors,
    notices: [
      ...record.notices,
      ...leaps.map(
        ({ fromSoc, toSoc }) =>
          `Between two rests about ${Math.round(100 * Math.abs(fromSoc - toSoc))} % of charge was ${fromSoc > toSoc ? 'drawn' : 'put in'} without a record, judged by the voltages of the typical channel.`,
      ),
    ],
  };
}
