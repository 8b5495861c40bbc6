import { defaultOcvTable, factsOf, normalisePack, ocvCurve, type Chemistry, type Pack } from '../pack';
import type { ScanRecord } from '../scan';
import type { Seat, Verdict } from '../diagnosis/verdict';
import { median } from '../numerics/robustStatistics';
import type { SimFault } from './fault';
import { Random } from './random';
import { separation } from './separation';
import { driveLegs, healthyPack, simulatePolled, simulateRecord, type Leg, type SimPack } from './simulate';

/** What was recorded. */
export const RECORD_CLASSES = ['rest-snapshot', 'two-rests', 'drive', 'long-rest', 'full', 'polled'] as const;
export type RecordClass = (typeof RECORD_CLASSES)[number];

export interface SimCase {
  pack: Pack;
  record: ScanRecord;
  recordClass: RecordClass;
  faults: SimFault[];
  /** What the typical channel really holds, A·h, where the world says it. */
  typicalCapacityAh?: number;
}

/** Seeds of worlds begin elsewhere, so that one seed is another pack in each. */
export interface World {
  salt: number;
  /** Changes a healthy pack's errors before anything goes wrong with it. */
  shake?: (sim: SimPack, random: Random) => void;
  /** How plainly a fault stands out, and how far the best wrong cause is from showing the same. */
  tells: (
    sim: SimPack,
    legs: readonly Leg[],
    fault: SimFault,
    before: SimPack,
  ) => { detect: number; separate: number };
  /** Faults that this world has beside the usual ones, by kind of record. */
  more?: Partial<Record<RecordClass, Kind[]>>;
  /** A fault that stands out less is not counted. */
  leastDetect: number;
}

type Kind =
  | 'imbalance'
  | 'low-capacity'
  | 'joint'
  | 'cell'
  | 'self-discharge'
  | 'offset'
  | 'tap'
  | 'tap-load'
  | 'stuck'
  | 'dead';

function randomPack(random: Random): Pack {
  const chemistry = random.pick<Chemistry>(['nmc', 'nmc', 'nca', 'lmo', 'lfp', 'lfp', 'nimh']);
  // Strings of several cells a channel, as hybrids have them.
  const nimh = factsOf(chemistry).conditioning;
  const count = nimh ? random.integer(10, 20) : random.pick([12, 14, 16, 24, 24, 48, 96]);
  const cells = nimh ? random.pick([6, 12]) : 1;
  const ratedCapacityAh = nimh ? 6 : random.pick([10, 26, 40, 75, 94, 120]);
  const per = nimh ? 1 : random.pick([2, 3, 4].filter((k) => count % k === 0));
  const ids = Array.from({ length: count }, (_, i) => `ch${String(i + 1).padStart(3, '0')}`);
  return normalisePack({
    name: 'random pack',
    chemistry,
    ratedCapacityAh,
    channels: ids.map((id) => ({ id, cells })),
    modules: Array.from({ length: count / per }, (_, m) => ({
      id: `M${m + 1}`,
      channels: ids.slice(m * per, (m + 1) * per),
    })),
    nominalGroupResistanceMilliohm:
      ((nimh ? 2 * cells * 6 : 62) / ratedCapacityAh) * random.uniform(0.85, 1.15),
    ocv: defaultOcvTable(chemistry),
  });
}

/** A schedule of a class, and the SOC it starts from. */
function schedule(recordClass: RecordClass, sim: SimPack, random: Random): Leg[] {
  const c = sim.capacityAh;
  const nimh = factsOf(sim.pack.profile.chemistry).conditioning;
  switch (recordClass) {
    case 'rest-snapshot':
      sim.startSoc = random.uniform(0.25, 0.95);
      return [{ durationS: 5 * random.integer(3, 8), currentA: 0, sampleS: 5 }];
    case 'two-rests': {
      sim.startSoc = random.uniform(0.86, 0.98);
      const sampleS = random.pick([40, 60, 120]);
      const drive = driveLegs(
        random,
        c * random.uniform(0.3, 0.7),
        c * (sim.startSoc - random.uniform(0.1, 0.3)),
        sampleS,
      );
      return [
        { durationS: 4 * sampleS, currentA: 0, sampleS },
        ...drive,
        { durationS: Math.max(1200, 6 * sampleS), currentA: 0, sampleS },
      ];
    }
    case 'drive':
      sim.startSoc = random.uniform(0.5, 0.9);
      return nimh
        ? driveLegs(random, c * 3, c * 0.12, 1)
        : driveLegs(random, c * random.uniform(0.4, 0.9), c * random.uniform(0.06, 0.12), 1);
    case 'long-rest':
      sim.startSoc = random.uniform(0.35, 0.9);
      return Array.from({ length: random.integer(18, 28) }, () => ({
        durationS: 86400 / 4,
        currentA: 0,
        sampleS: 86400 / 4,
      }));
    case 'full': {
      sim.startSoc = random.uniform(0.9, 0.99);
      const drive = driveLegs(random, c * random.uniform(0.5, 0.9), c * random.uniform(0.25, 0.6), 10);
      return [
        { durationS: 600, currentA: 0, sampleS: 10 },
        ...drive,
        { durationS: 1200, currentA: 0, sampleS: 10 },
        { durationS: 1800, currentA: -c / 3, sampleS: 10 },
      ];
    }
    case 'polled':
      sim.startSoc = random.uniform(0.4, 0.85);
      return driveLegs(random, c * random.uniform(0.5, 0.9), c * random.uniform(0.06, 0.1), 3);
  }
}

const KINDS: Record<RecordClass, Kind[]> = {
  'rest-snapshot': ['imbalance', 'low-capacity', 'offset', 'tap', 'dead'],
  'two-rests': ['imbalance', 'low-capacity', 'offset', 'tap', 'dead'],
  drive: ['joint', 'cell', 'stuck', 'imbalance', 'offset', 'tap', 'dead'],
  'long-rest': ['self-discharge', 'self-discharge', 'imbalance', 'offset'],
  full: ['imbalance', 'low-capacity', 'joint', 'cell', 'offset', 'tap', 'stuck'],
  polled: ['joint', 'cell', 'offset', 'imbalance'],
};

/** Puts a fault into a channel (and its neighbour, for a tap wire). */
function inject(sim: SimPack, kind: Kind, at: number, random: Random): SimFault[] {
  const c = sim.channels[at]!;
  const { cells } = sim.pack.channels[at]!;
  const nimh = cells > 1;
  const one = (verdict: Verdict, seat?: Seat): SimFault[] => [
    { channelIndex: at, verdict, determinable: true, seat },
  ];
  switch (kind) {
    case 'imbalance':
      c.deltaSoc += (random.uniform() < 0.75 ? -1 : 1) * random.uniform(0.025, 0.1) * (nimh ? 2 : 1);
      if (sim.startSoc + c.deltaSoc > 0.995) c.deltaSoc = 0.995 - sim.startSoc;
      return one('imbalance');
    case 'low-capacity': {
      const ratio = random.uniform(nimh ? 0.6 : 0.75, nimh ? 0.8 : 0.93);
      c.capacityRatio = ratio;
      c.deltaSoc -= (1 / ratio - 1) * (1 - sim.startSoc);
      return one('low-capacity');
    }
    case 'joint':
      c.ohmicRatio *= random.uniform(1.3, 3.5);
      return one('high-resistance', 'joint');
    case 'cell': {
      const ratio = random.uniform(1.25, 2);
      c.ohmicRatio *= ratio;
      c.slowRatio *= ratio;
      return one('high-resistance', 'cell');
    }
    case 'self-discharge':
      c.leakPerDay += random.uniform(0.003, 0.012) * (nimh ? 4 : 1);
      return one('self-discharge');
    case 'offset':
      c.offsetV += (random.uniform() < 0.5 ? -1 : 1) * random.uniform(0.012, 0.05) * (nimh ? 6 : 1);
      return one('sense-fault');
    case 'tap': {
      const offset = (random.uniform() < 0.5 ? -1 : 1) * random.uniform(0.02, 0.06) * (nimh ? 6 : 1);
      c.offsetV += offset;
      sim.channels[at + 1]!.offsetV -= offset;
      return [...one('sense-fault'), { channelIndex: at + 1, verdict: 'sense-fault', determinable: true }];
    }
    case 'tap-load': {
      // The wire between two channels hangs on a bar that carries the current: one reads its drop, the other lacks it.
      const drop = (random.uniform() < 0.5 ? -1 : 1) * sim.ohmicOhm * cells * random.uniform(0.5, 1.5);
      c.tapOhm = drop;
      sim.channels[at + 1]!.tapOhm = -drop;
      return [...one('sense-fault'), { channelIndex: at + 1, verdict: 'sense-fault', determinable: true }];
    }
    case 'stuck':
      c.stuck = true;
      return one('sense-fault');
    case 'dead':
      c.fixedV = random.pick([0.02, 0.15 * cells, -0.3, ocvCurve(sim.pack.profile.ocv).minV * cells * 0.55]);
      return one('dead');
  }
}

/** How large a fault is against the typical channel, in the unit of its verdict; undefined where no one figure says it. */
function sizeOf(sim: SimPack, { verdict, channelIndex }: SimFault): number | undefined {
  const middle = (of: (c: SimPack['channels'][number]) => number): number => median(sim.channels.map(of));
  const c = sim.channels[channelIndex]!;
  switch (verdict) {
    case 'imbalance':
      return 100 * (c.deltaSoc - middle((x) => x.deltaSoc));
    case 'low-capacity':
      return c.capacityRatio / middle((x) => x.capacityRatio);
    case 'high-resistance':
      return c.ohmicRatio / middle((x) => x.ohmicRatio);
    case 'self-discharge':
      return ((c.leakPerDay - middle((x) => x.leakPerDay)) * sim.capacityAh * 1000) / 24;
    case 'sense-fault':
      return c.stuck || c.tapOhm ? undefined : 1000 * (c.offsetV - middle((x) => x.offsetV));
    default:
      return undefined;
  }
}

/** Whether every live channel stays between empty and full, as the vehicle would see to. */
function staysInside(sim: SimPack, legs: readonly Leg[]): boolean {
  let drawn = 0;
  let least = 0;
  let most = 0;
  let days = 0;
  for (const leg of legs) {
    drawn += (leg.currentA * leg.durationS) / 3600;
    days += leg.durationS / 86400;
    least = Math.min(least, drawn);
    most = Math.max(most, drawn);
  }
  return sim.channels.every((c) => {
    const start = sim.startSoc + c.deltaSoc;
    const capacity = sim.capacityAh * c.capacityRatio;
    return (
      c.fixedV !== undefined ||
      (start - most / capacity - (sim.baseLeakPerDay + c.leakPerDay) * days > 0.02 &&
        start - least / capacity < 1.005)
    );
  });
}

/** How the voltage of a pack that remembers does so; near full it comes from a charge. Order of magnitude, from memory. */
function hysteresisOf(recordClass: RecordClass, seed: number): NonNullable<SimPack['hysteresis']> {
  const random = new Random(seed ^ 0x7e57);
  const near = recordClass === 'two-rests' || recordClass === 'full';
  return {
    halfV: random.uniform(0.01, 0.025),
    turns: random.uniform(8, 25),
    start: near ? random.uniform(0.5, 1) : random.uniform(-1, 1),
  };
}

/** The world that shares its terms with the diagnosis. */
const OWN: World = { salt: 0, tells: separation, leastDetect: 18 };

/** A random pack with a random record and up to two faults; null if the fault is neither plain nor plainly not. */
export const randomCase = (seed: number): SimCase | null => caseOf(OWN, seed);

/** A random case of a world. */
export function caseOf(world: World, seed: number): SimCase | null {
  const random = new Random(seed ^ world.salt);
  const pack = randomPack(random);
  const sim = healthyPack(pack, random);
  world.shake?.(sim, random);
  const recordClass = random.pick(RECORD_CLASSES);
  const legs = schedule(recordClass, sim, random);
  if (factsOf(pack.profile.chemistry).hysteresis) sim.hysteresis = hysteresisOf(recordClass, seed);
  const faults: SimFault[] = [];
  const count = random.uniform() < 0.15 ? 0 : recordClass === 'full' && random.uniform() < 0.3 ? 2 : 1;
  for (let f = 0; f < count; f++) {
    const kind = random.pick([...KINDS[recordClass], ...(world.more?.[recordClass] ?? [])]);
    const at = random.integer(0, pack.channels.length - 2);
    if (faults.some((x) => Math.abs(x.channelIndex - at) <= 2)) continue;
    const before: SimPack = { ...sim, channels: sim.channels.map((c) => ({ ...c })) };
    const made = inject(sim, kind, at, random);
    if (!['tap-load', 'stuck', 'dead'].includes(kind)) {
      const told = made.map((fault) => world.tells(sim, legs, fault, before));
      // Both channels of a tap wire stand out together, and nothing else is opposite in two neighbours.
      if (told.reduce((sum, t) => sum + t.detect, 0) < world.leastDetect) return null;
      if (kind !== 'tap') {
        const { separate } = told[0]!;
        if (separate > 4 && separate < 18) return null;
        made[0]!.determinable = separate >= 18;
      }
    }
    faults.push(...made);
  }
  for (const fault of faults) fault.size = sizeOf(sim, fault);
  if (!staysInside(sim, legs)) return null;
  const record =
    recordClass === 'polled'
      ? simulatePolled(sim, legs, random)
      : simulateRecord(sim, legs, random, random.uniform(12, 30));
  return { pack, record, recordClass, faults };
}
