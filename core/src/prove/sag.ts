import { factsOf, ocvCurve, type Measured, type Pack } from '../pack';
import { median, type FullLoad } from '../diagnosis';

/** A sag under load beside what the simulation expects of it, mV. */
export interface SagSeen {
  /** `typical`, or the module that was replaced. */
  of: string;
  seenMv: number;
  expectedMv: { low: number; high: number };
  /** Null where it lies within what is expected. */
  off: 'more' | 'less' | null;
}
export interface SagCheck {
  currentA: number;
  lastedS: number;
  rows: SagSeen[];
  says: string;
}

/**
 * The slow part of a cell's resistance beside what a record or a bench tells of it, which already holds what is quicker than its
 * readings: shares with their time constants, s, and how far both may be off (two standard deviations). From memory, for lithium cells.
 */
const SLOW = [
  { share: 0.15, off: 0.2, tauS: 25 },
  { share: 0.15, off: 0.2, tauS: 500 },
];
/** A resistance told by changes of current over seconds is no constant: how far it may be off at another pull. From memory. */
const MODEL_OFF = 0.15;
/** How far a module's own bench figure may be off (two standard deviations). Common practice, no source. */
const BENCH_OFF = 0.15;
/** What a worn pack may lack of its rating where nobody measured it: the voltage that goes with the charge is as unsure. From memory. */
const NOT_MEASURED_OFF = 0.5;
/** Change of resistance with temperature, a kelvin. From memory. */
const PER_K = 0.02;
/** What a sag is read to beside all else, V: two readings of 1 mV of noise and of the resolution. */
const READ_V = 0.003;

/** Current through a lag at each moment, exact for current that is linear between readings. */
function lagged(timeS: readonly number[], a: readonly number[], tauS: number): number[] {
  const out = [0];
  for (let k = 1; k < timeS.length; k++) {
    const dt = Math.max(1e-9, timeS[k]! - timeS[k - 1]!);
    const decay = Math.exp(-dt / tauS);
    const slope = (a[k]! - a[k - 1]!) / dt;
    out.push(out[k - 1]! * decay + a[k - 1]! * (1 - decay) + slope * (dt - tauS * (1 - decay)));
  }
  return out;
}

/**
 * The fall of one channel over a pull as a circuit gives it: its rest voltage by the charge that flowed, its quick resistance, and two
 * slow ones. V.
 */
export function simulatedSag(
  load: Pick<FullLoad, 'course' | 'quietV'>,
  ohm: number,
  capacityAh: number,
  pack: Pack,
): { value: number; restV: number; slowOff: number } {
  const { timeS, currentA } = load.course;
  const cells = median(pack.channels.map((c) => c.cells));
  const curve = ocvCurve(pack.profile.ocv);
  // Quiet is where the pull begins; what flowed before it still relaxes while it lasts.
  const begin = Math.max(
    0,
    timeS.findIndex((t) => t >= 0),
  );
  let ah = 0;
  for (let k = begin + 1; k < timeS.length; k++)
    ah += ((currentA[k]! + currentA[k - 1]!) / 2) * ((timeS[k]! - timeS[k - 1]!) / 3600);
  // Where it was not quite quiet, what that current took is put back.
  const soc = curve.socAt((load.quietV + ohm * currentA[begin]!) / cells);
  const rest = cells * (curve.voltageAt(soc) - curve.voltageAt(Math.max(0, soc - ah / capacityAh)));
  const quick = ohm * (currentA.at(-1)! - currentA[begin]!);
  const slow = SLOW.map((s) => {
    const x = lagged(timeS, currentA, s.tauS);
    return { v: s.share * ohm * (x.at(-1)! - x[begin]!), off: s.off / s.share };
  });
  return {
    value: rest + quick + slow.reduce((sum, s) => sum + s.v, 0),
    restV: rest,
    slowOff: Math.hypot(...slow.map((s) => s.v * s.off)),
  };
}

/**
 * Sag under the strongest pull after the repair: the typical channel against its resistance before, and each new module against its
 * own bench figure, where those were measured. Null where the record holds no pull, or nothing to hold it against.
 *
 * @param capacity of the typical channel; not measured, the rating is taken and its error with it
 * @param typicalMilliohm of a channel, from the record before
 * @param newcomers what went in: its channels, and the resistance of a group that the bench measured, mΩ
 */
export function sagUnderLoad(
  load: FullLoad | null | undefined,
  typicalMilliohm: Measured,
  beforeC: number | null,
  capacity: Measured,
  newcomers: readonly {
    module: string;
    channelIndices: readonly number[];
    resistanceMilliohm: number | null;
    temperatureC: number | null;
  }[],
  pack: Pack,
): SagCheck | null {
  if (!load) return null;
  // A voltage that remembers where it comes from may move by as much as its two branches are apart while charge flows.
  const { hysteresis } = factsOf(pack.profile.chemistry);
  const branchesV = hysteresis ? 2 * hysteresis.halfV.value * median(pack.channels.map((c) => c.cells)) : 0;
  const capacityAh = capacity.measured ? capacity.value : pack.profile.ratedCapacityAh;
  const capacityOff = capacity.measured
    ? (capacity.high - capacity.low) / 2 / capacity.value
    : NOT_MEASURED_OFF;
  const fresh = new Set(newcomers.flatMap((n) => n.channelIndices));
  const sags = (which: (i: number) => boolean): number[] =>
    load.sagV.flatMap((v, i) => (v !== null && which(i) ? [v] : []));
  const expect = (
    of: string,
    seen: readonly number[],
    milliohm: number,
    off: number,
    thenC: number | null,
  ): SagSeen[] => {
    if (seen.length === 0) return [];
    const { value, restV, slowOff } = simulatedSag(load, milliohm / 1000, capacityAh, pack);
    // Where neither temperature is known they may be as far apart as a workshop and a winter's day.
    const apartK = thenC !== null && load.temperatureC !== null ? Math.abs(thenC - load.temperatureC) : 10;
    const within = Math.hypot(
      value * off,
      slowOff,
      restV * capacityOff,
      branchesV,
      value * PER_K * apartK,
      READ_V,
    );
    const at = median(seen);
    const [low, high] = [Math.max(0, value - within), value + within];
    return [
      {
        of,
        seenMv: 1000 * at,
        expectedMv: { low: 1000 * low, high: 1000 * high },
        off: at > high ? 'more' : at < low ? 'less' : null,
      },
    ];
  };
  const rows = [
    ...(typicalMilliohm.measured
      ? expect(
          'typical',
          sags((i) => !fresh.has(i)),
          typicalMilliohm.value,
          Math.hypot(MODEL_OFF, (typicalMilliohm.high - typicalMilliohm.low) / 2 / typicalMilliohm.value),
          beforeC,
        )
      : []),
    ...newcomers.flatMap((n) =>
      n.resistanceMilliohm === null
        ? []
        : expect(
            n.module,
            sags((i) => n.channelIndices.includes(i)),
            n.resistanceMilliohm,
            BENCH_OFF,
            n.temperatureC,
          ),
    ),
  ];
  if (rows.length === 0) return null;
  const more = rows.filter((r) => r.off === 'more' && r.of !== 'typical');
  const all = rows.find((r) => r.of === 'typical')?.off ?? null;
  const says =
    more.length > 0
      ? `${more.map((r) => r.of).join(', ')} ${more.length === 1 ? 'sags' : 'sag'} more than ${more.length === 1 ? 'its' : 'their'} bench figure makes: look at the joints first.`
      : all === 'more'
        ? 'The pack as a whole sags more than before the repair: colder, or a joint of the string.'
        : all === 'less'
          ? 'The pack as a whole sags less than before the repair: warmer, or its joints were cleaned.'
          : rows.some((r) => r.off === 'less')
            ? 'What went in sags less than its bench figure makes: measured colder, or with its leads.'
            : 'It sags as its resistances make it.';
  return { currentA: load.currentA, lastedS: load.atS - load.fromS, rows, says };
}
