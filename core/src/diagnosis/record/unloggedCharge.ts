import { factsOf, ocvCurve, type OcvCurve, type Pack } from '../../pack';
import { joinRecords, type ScanRecord, type Series } from '../../scan';
import { median } from '../../numerics/robustStatistics';

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

/**
 * Where rows are apart and the current is not the same on both sides, what flowed between is anybody's guess: a line from one current to the other
 * stands, as long as it may be off by less than this share of the rated charge, or leaves the cells a resistance that cells have (in times of the
 * nominal one). From memory.
 */
const GUESSED = { most: 0.05, least: 0.4, times: 5 };
/** What a cell drops some minutes into a load, in times of its nominal resistance: new to twice that, with its slow part. From memory. */
const LOADED_TIMES = 1.8;

/** A stretch between two rows that nobody logged, and what the volts on both sides say of it. */
interface Leap {
  at: number;
  fromSoc: number;
  toSoc: number;
  /** It rests on both sides. */
  rests: boolean;
}

/** Volts per cell of the middle channel at a row, worked out where they are asked for. */
function middleV(record: ScanRecord, pack: Pack): (row: number) => number {
  const row = new Float64Array(pack.channels.length);
  const known = new Map<number, number>();
  return (k) => {
    let v = known.get(k);
    if (v === undefined) {
      let n = 0;
      pack.channels.forEach((c, i) => {
        const of = record.voltageV[i]!.value[k]!;
        if (!Number.isNaN(of)) row[n++] = of / c.cells;
      });
      v = n > 0 ? median(row.subarray(0, n)) : NaN;
      known.set(k, v);
    }
    return v;
  };
}

/** Whether every channel was read in both rows and moved by less than this, V a cell: then the middle one did too. */
const stood = (record: ScanRecord, pack: Pack, k: number, leastV: number): boolean =>
  pack.channels.every(
    (c, i) => Math.abs(record.voltageV[i]!.value[k]! - record.voltageV[i]!.value[k - 1]!) < leastV * c.cells,
  );

/**
 * What was drawn between two rows far apart of which one is under load, by their volts with the load's drop off them. Null where a line between
 * the currents may stand, or where the curve is flat: volts under load tell nothing of charge there.
 */
function guessed(
  pack: Pack,
  curve: OcvCurve,
  volts: readonly [number, number],
  currentsA: readonly [number, number],
  gapS: number,
): Omit<Leap, 'at'> | null {
  const { ratedCapacityAh, nominalGroupResistanceMilliohm, chemistry } = pack.profile;
  if (factsOf(chemistry).flat) return null;
  const share = (amps: number): number => (amps * gapS) / 3600 / ratedCapacityAh;
  const [a, b] = currentsA;
  const stepA = a - b;
  if (Math.abs(share(stepA)) / 2 < GUESSED.most) return null;
  const nominalOhm = nominalGroupResistanceMilliohm / 1000 / median(pack.channels.map((c) => c.cells));
  const socAt = (i: 0 | 1, times: number = LOADED_TIMES): number =>
    curve.socAt(volts[i] + currentsA[i] * times * nominalOhm);
  const fromSoc = socAt(0);
  // What the step of current would have dropped, had a line between the currents flowed.
  const restV = curve.voltageAt(fromSoc - share((a + b) / 2)) - curve.voltageAt(fromSoc);
  const times = (volts[1] - volts[0] - restV) / stepA / nominalOhm;
  if (times >= GUESSED.least && times <= GUESSED.times) return null;
  // As far as the resistance is open, no more flowed than either current takes in that time.
  const ends = [GUESSED.least, GUESSED.times].map((of) => fromSoc - socAt(1, of)).sort((x, y) => x - y);
  const least = Math.max(ends[0]!, share(Math.min(a, b, 0)));
  const most = Math.min(ends[1]!, share(Math.max(a, b, 0)));
  const byVolts = fromSoc - socAt(1);
  const drawn = least <= most ? Math.min(most, Math.max(least, byVolts)) : byVolts;
  return { fromSoc, toSoc: fromSoc - drawn, rests: false };
}

/**
 * Rows before which the pack was driven or charged without a record: it rests on both sides, at two states of charge
 * that its own voltages tell apart, or it is under load on one and the volts contradict a line between the two currents. Where no current was
 * logged at all a step of voltage may be a load: only a stretch without rows counts then.
 */
function leapsOf(record: ScanRecord, pack: Pack, curve: OcvCurve): Leap[] {
  const { timeS } = record.voltageV[0]!;
  const n = timeS.length;
  if (n < 2) return [];
  const volts = middleV(record, pack);
  const gaps = Array.from({ length: n - 1 }, (_, k) => timeS[k + 1]! - timeS[k]!);
  const usualS = median(gaps);
  const restA = Math.max(SENSOR_A, REST_SHARE * pack.profile.ratedCapacityAh);
  const rests = (k: number): boolean => Math.abs(record.currentA?.value[k] ?? 0) <= restA;
  const perDay = factsOf(pack.profile.chemistry).leak.perDay;
  const found: Leap[] = [];
  let loadedS = -Infinity;
  for (let k = 1; k < n; k++) {
    if (!rests(k - 1)) loadedS = timeS[k - 1]!;
    const settling = timeS[k - 1]! - loadedS < SETTLED.s;
    const loaded = !rests(k - 1) || !rests(k);
    const apart = gaps[k - 1]! >= APART.s && (n <= 3 || gaps[k - 1]! >= APART.times * usualS);
    if (loaded ? !apart : settling || stood(record, pack, k, SAME.v)) continue;
    const [a, b] = [volts(k - 1), volts(k)];
    if (Number.isNaN(a) || Number.isNaN(b)) continue;
    if (loaded) {
      const amps = [k - 1, k].map((i) => record.currentA!.value[i]!) as [number, number];
      const by = !amps.some(Number.isNaN) ? guessed(pack, curve, [a, b], amps, gaps[k - 1]!) : null;
      if (by) found.push({ at: k, ...by });
      continue;
    }
    const moved = Math.abs(b - a);
    const fresh = loadedS === -Infinity;
    if (moved < (fresh ? SAME.v : SETTLED.v)) continue;
    const [fromSoc, toSoc] = [curve.socAt(a), curve.socAt(b)];
    const days = gaps[k - 1]! / 86400;
    const calm = k < 2 || Math.abs(a - volts(k - 2)) < JUMP.calmV;
    const least = apart ? { soc: SAME.soc, v: SAME.v } : { soc: JUMP.soc, v: JUMP.v };
    if (!apart && (!calm || !record.currentA)) continue;
    if (moved >= least.v && Math.abs(fromSoc - toSoc) >= least.soc + SAME.leaks * perDay * days)
      found.push({ at: k, fromSoc, toSoc, rests: true });
  }
  return found;
}

/** Records in which no leap was found, by the pack they were looked through for. */
const whole = new WeakMap<ScanRecord, Pack>();

/**
 * A record in which the pack was driven or charged unlogged, with that stretch marked as judged: the
 * pack's own voltages tell how much was drawn. Any other record as it is.
 */
export function withChargeGaps(record: ScanRecord, pack: Pack): ScanRecord {
  if (record.assumed || !record.simultaneous || whole.get(record) === pack) return record;
  const curve = ocvCurve(pack.profile.ocv);
  const leaps = leapsOf(record, pack, curve);
  if (leaps.length === 0) {
    whole.set(record, pack);
    return record;
  }
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
        ({ fromSoc, toSoc, rests }) =>
          `Between two ${rests ? 'rests' : 'rows far apart, one under load,'} about ${Math.round(100 * Math.abs(fromSoc - toSoc))} % of charge was ${fromSoc > toSoc ? 'drawn' : 'put in'} without a record, judged by the voltages of the typical channel.`,
      ),
    ],
  };
}
