import type { Chemistry, Pack } from '../pack';
import type { ScanRecord, Series } from '../scan';
import type { Verdict } from '../diagnosis';
import { median } from '../numerics/robustStatistics';
import { RECORD_CLASSES, type RecordClass, type SimCase } from './cases';
import type { SimFault } from './fault';
import { discernible } from './discern';
import { beadGraphiteV } from './particle';
import { lithiumBatch, nickelBatch, type Batch } from './physicsBatch';
import { causesOf, healthyColumns, seen, volts, type PhysicsChannel } from './physicsCauses';
import type { Course } from './physicsCell';
import { Random } from './random';
import { driveLegs, polledMoments, polledRecord, quantise, rampedA, type Leg } from './simulate';

type Kind =
  'imbalance' | 'low-capacity' | 'joint' | 'cell' | 'self-discharge' | 'offset' | 'tap' | 'stuck' | 'dead';
const KINDS: Record<RecordClass, Kind[]> = {
  'rest-snapshot': ['imbalance', 'low-capacity', 'offset', 'tap', 'dead'],
  'two-rests': ['imbalance', 'low-capacity', 'offset', 'tap', 'dead'],
  drive: ['joint', 'cell', 'stuck', 'imbalance', 'offset', 'tap', 'dead'],
  'long-rest': ['self-discharge', 'self-discharge', 'imbalance', 'offset'],
  full: ['imbalance', 'low-capacity', 'joint', 'cell', 'offset', 'tap', 'stuck'],
  polled: ['joint', 'cell', 'offset', 'imbalance'],
};

/** A fault that stands out less is not counted. */
const LEAST_DETECT = 30;
/** Rows of a course that is read one signal after another, s apart: a step of the current takes two seconds. */
const FINE_S = 0.5;
/** From one signal to the next, s. */
const POLL_S = 0.058;

function courseOf(legs: readonly Leg[]): Course {
  const timeS = [0];
  const currentA = [0];
  for (const leg of legs)
    for (let k = 0; k < Math.round(leg.durationS / leg.sampleS); k++) {
      timeS.push(timeS[timeS.length - 1]! + leg.sampleS);
      currentA.push(leg.currentA);
    }
  return { timeS: Float64Array.from(timeS), currentA: Float64Array.from(currentA) };
}

/** One that is read one signal after another, a reading of each channel every so often. */
function polledCourse(legs: readonly Leg[], channels: number): Course {
  const durationS = legs.reduce((sum, leg) => sum + leg.durationS, 0);
  const timeS = Array.from({ length: Math.floor(durationS / FINE_S) + 1 }, (_, k) => k * FINE_S);
  const every = Math.max(1, Math.round(((channels + 3) * POLL_S) / FINE_S));
  return {
    timeS: Float64Array.from(timeS),
    currentA: Float64Array.from(rampedA(legs, timeS, 0)),
    read: Int32Array.from({ length: Math.floor((timeS.length - 1) / every) }, (_, r) => (r + 1) * every),
  };
}

/** Charge below full at the start as a share of capacity, and what is driven. */
function schedule(
  kind: RecordClass,
  { capacityAh: c, rate }: Batch,
  random: Random,
): { below: number; legs: Leg[] } {
  switch (kind) {
    case 'rest-snapshot':
      return {
        below: random.uniform(0.05, 0.7),
        legs: [{ durationS: 5 * random.integer(3, 8), currentA: 0, sampleS: 5 }],
      };
    case 'two-rests': {
      const below = random.uniform(0.03, 0.12);
      const drive = driveLegs(random, c * random.uniform(0.3, 0.7), c * random.uniform(0.5, 0.7), 60);
      return {
        below,
        legs: [
          { durationS: 240, currentA: 0, sampleS: 60 },
          ...drive,
          { durationS: 5400, currentA: 0, sampleS: 60 },
        ],
      };
    }
    case 'drive':
      return {
        below: random.uniform(0.15, 0.5),
        legs: driveLegs(random, rate * c * random.uniform(0.4, 0.9), c * random.uniform(0.06, 0.12), 1),
      };
    case 'long-rest':
      return {
        below: random.uniform(0.15, 0.6),
        legs: [{ durationS: 86400 * random.integer(5, 7), currentA: 0, sampleS: 21600 }],
      };
    case 'polled':
      return {
        below: random.uniform(0.15, 0.5),
        legs: driveLegs(random, rate * c * random.uniform(0.5, 0.9), c * random.uniform(0.06, 0.1), 3),
      };
    case 'full':
      return {
        below: random.uniform(0.03, 0.1),
        legs: [
          { durationS: 600, currentA: 0, sampleS: 10 },
          ...driveLegs(random, c * random.uniform(0.5, 0.9), c * random.uniform(0.25, 0.6), 10),
          { durationS: 1200, currentA: 0, sampleS: 10 },
          { durationS: 1800, currentA: -c / 3, sampleS: 10 },
        ],
      };
  }
}

/** Changes one channel for a fault, in the physics of it. */
function spoil(c: PhysicsChannel, kind: Kind, { sizes }: Batch, random: Random): Verdict {
  const capacity = c.cell.capacityAh;
  const side = random.uniform() < 0.5 ? -1 : 1;
  switch (kind) {
    case 'imbalance':
      c.belowFullAh += capacity * (random.uniform() < 0.75 ? 1 : -0.3) * random.uniform(...sizes.missing);
      c.belowFullAh = Math.max(0.002 * capacity, c.belowFullAh);
      return 'imbalance';
    case 'low-capacity':
      c.cell = c.cell.worn(random.uniform(...sizes.lost), random.uniform(), random.uniform(0, 1));
      return 'low-capacity';
    case 'joint':
      c.cell = c.cell.resisting(random.uniform(1.8, 5), 1);
      return 'high-resistance';
    case 'cell': {
      const by = random.uniform(1.4, 2.4);
      c.cell = c.cell.resisting(by, by);
      return 'high-resistance';
    }
    case 'self-discharge':
      c.leakA += (capacity * random.uniform(...sizes.leak)) / 24;
      return 'self-discharge';
    case 'offset':
    case 'tap':
      c.offsetV += side * random.uniform(...sizes.offsetV);
      return 'sense-fault';
    case 'stuck':
      c.stuck = true;
      return 'sense-fault';
    case 'dead':
      c.fixedV = random.pick(sizes.deadV);
      return 'dead';
  }
}

type Readings = Pick<ScanRecord, 'voltageV' | 'currentA'>;
/** What the current sensor makes of a current, A. */
const readCurrent = (currentA: number, offsetA: number, random: Random): number =>
  Math.round((currentA + offsetA + random.normal(0.1)) * 10) / 10;

/** Reads the channels as boards do: offset, gain, noise, steps, some late, some missing. */
function readAll(
  channels: readonly PhysicsChannel[],
  course: Course,
  truth: readonly Float64Array[],
  batch: Batch,
  random: Random,
): Readings {
  const noiseV = random.uniform(...batch.noiseV);
  const late = random.uniform() < 0.3 ? 0.004 : 0;
  const missing = random.uniform() < 0.3 ? 0.006 : 0;
  const currentOffsetA = random.normal(0.002) * Math.max(...course.currentA.map(Math.abs));
  const { timeS } = course;
  const series = (value: Float64Array): Series => ({ timeS, value });
  return {
    voltageV: channels.map((c, i) =>
      series(
        Float64Array.from(timeS, (_, k) => {
          if (random.uniform() < missing) return NaN;
          const at = c.stuck ? 0 : random.uniform() < late ? Math.max(0, k - 1) : k;
          const v = truth[i]![at]! * (1 + c.gain) + c.offsetV;
          return quantise(v + (c.stuck ? 0 : random.normal(noiseV)), batch.stepV);
        }),
      ),
    ),
    currentA: series(Float64Array.from(course.currentA, (i) => readCurrent(i, currentOffsetA, random))),
  };
}

/** The same, one signal after another: each between the rows that are nearest in time. */
function pollAll(
  channels: readonly PhysicsChannel[],
  { timeS, currentA }: Course,
  truth: readonly Float64Array[],
  batch: Batch,
  pack: Pack,
  random: Random,
): ScanRecord {
  const noiseV = random.uniform(...batch.noiseV);
  const currentOffsetA = random.normal(0.002) * Math.max(...currentA.map(Math.abs));
  const moments = polledMoments(timeS[timeS.length - 1]!, POLL_S, random);
  const between = (of: Float64Array, k: number): number => {
    const at = moments[k]! / FINE_S;
    const low = Math.min(of.length - 2, Math.floor(at));
    return of[low]! + (of[low + 1]! - of[low]!) * (at - low);
  };
  return polledRecord(pack, moments, {
    currentA: (k) => readCurrent(between(currentA, k), currentOffsetA, random),
    socFraction: null,
    channelV: (i, k) => {
      const c = channels[i]!;
      return quantise(between(truth[i]!, k) * (1 + c.gain) + c.offsetV + random.normal(noiseV), batch.stepV);
    },
  });
}

/**
 * A pack of a batch with a record of a kind: null where the fault is neither plain nor plainly not, or the pack would leave
 * its range. Healthy cells differ in what they lost, by place in temperature, by module in age; whether a cause can be
 * told is decided from the true cells and the record, never by the diagnosis.
 */
function caseFrom(batch: Batch, recordClass: RecordClass, random: Random): SimCase | null {
  const { capacityAh: capacity, count, bounds } = batch;
  const { below, legs } = schedule(recordClass, batch, random);
  const course = recordClass === 'polled' ? polledCourse(legs, count) : courseOf(legs);
  const warmC = random.uniform(10, 32);
  const gradientC = random.uniform(0, 4);
  const module = Array.from({ length: count }, () => random.normal());
  const channels = module.map((_, i): PhysicsChannel => ({
    cell: batch.one(module[Math.floor(i / 4)]!, random),
    belowFullAh: capacity * (below + random.normal(batch.charge)),
    temperatureC: warmC + gradientC * (i / count - 0.5),
    leakA: (capacity * Math.abs(random.normal(batch.leakPerDay))) / 24,
    offsetV: random.normal(random.uniform(...batch.offsetV)),
    gain: random.normal(0.0005),
    stuck: false,
    fixedV: null,
  }));
  for (const c of channels) c.belowFullAh = Math.max(0.001 * capacity, c.belowFullAh);
  const middle = (of: (c: PhysicsChannel) => number): number => median(channels.map(of));
  const faults: SimFault[] = [];
  if (random.uniform() > 0.25) {
    const kind = random.pick(KINDS[recordClass]);
    const at = random.integer(0, count - 2);
    const c = channels[at]!;
    const healthy = { ...c };
    const verdict = spoil(c, kind, batch, random);
    const seat = kind === 'joint' || kind === 'cell' ? kind : undefined;
    faults.push({ channelIndex: at, verdict, determinable: true, seat });
    if (kind === 'tap') {
      const offsetV = c.offsetV - healthy.offsetV;
      // Both channels of a tap wire stand out together, and nothing else is opposite in two neighbours.
      const together = [healthy, channels[at + 1]!].reduce((sum, channel) => {
        const shown = seen(channel, course).fill(offsetV);
        return (
          sum + discernible(shown, healthyColumns(channel, course, bounds), [], verdict, batch.readV).detect
        );
      }, 0);
      if (together < LEAST_DETECT) return null;
      channels[at + 1]!.offsetV -= offsetV;
      faults.push({ channelIndex: at + 1, verdict, determinable: true });
    } else if (kind !== 'stuck' && kind !== 'dead') {
      const [own, other] = [seen(c, course), seen(healthy, course)];
      const shown = own.map((v, k) => v - other[k]! + c.offsetV - healthy.offsetV);
      const { detect, separate } = discernible(
        shown,
        healthyColumns(healthy, course, bounds),
        causesOf(healthy, course, bounds),
        verdict,
        batch.readV,
      );
      if (detect < LEAST_DETECT || (separate > 4 && separate < 18)) return null;
      // What lies by less from the others, or from what it was, does no harm and is no fault.
      const holds = c.cell.capacityAh;
      const usual = [healthy.cell.capacityAh, middle((x) => x.cell.capacityAh)];
      const { loss, share } = batch.harmless;
      if (kind === 'low-capacity' && usual.some((u) => holds > loss * u)) return null;
      const level = [healthy.belowFullAh, middle((x) => x.belowFullAh)];
      if (kind === 'imbalance' && level.some((l) => Math.abs(c.belowFullAh - l) < share * capacity))
        return null;
      faults[0]!.determinable = separate >= 18;
    }
  }
  const truth = channels.map((c) =>
    c.fixedV === null ? volts(c, course) : new Float64Array(course.timeS.length).fill(c.fixedV),
  );
  // The vehicle would have stopped before a cell leaves its range.
  if (
    truth.some((v, i) => channels[i]!.fixedV === null && v.some((x) => x < batch.leastV || x > batch.mostV))
  )
    return null;
  const usualV = median(truth.map((v) => median(v)));
  for (const fault of faults) {
    const c = channels[fault.channelIndex]!;
    if (fault.verdict === 'imbalance')
      fault.size = (100 * (middle((x) => x.belowFullAh) - c.belowFullAh)) / capacity;
    if (fault.verdict === 'low-capacity') fault.size = c.cell.capacityAh / middle((x) => x.cell.capacityAh);
    if (fault.verdict === 'self-discharge') fault.size = 1000 * (c.leakA - middle((x) => x.leakA));
    if (fault.verdict === 'sense-fault' && !c.stuck)
      // What its board adds at the voltages of this record, by offset and by gain.
      fault.size = 1000 * (c.offsetV + c.gain * usualV - middle((x) => x.offsetV + x.gain * usualV));
  }
  const pack = batch.pack(random);
  const record: ScanRecord =
    recordClass === 'polled'
      ? pollAll(channels, course, truth, batch, pack, random)
      : {
          channelIds: pack.channels.map((c) => c.id),
          ...readAll(channels, course, truth, batch, random),
          temperatureC: {
            timeS: course.timeS,
            value: new Float64Array(course.timeS.length).fill(Math.round(warmC)),
          },
          reportedSocFraction: null,
          simultaneous: true,
          notices: [],
        };
  return { pack, record, recordClass, faults, typicalCapacityAh: middle((c) => c.cell.capacityAh) };
}

/**
 * A random case of lithium particle cells, of four kinds of record.
 * @param wanted looked at before anything is worked out: null at once where it is false
 */
export function physicsCase(
  seed: number,
  negativeV?: (stoichiometry: number) => number,
  wanted: (recordClass: RecordClass, chemistry: Chemistry) => boolean = () => true,
): SimCase | null {
  const random = new Random(seed ^ 0x5eed);
  const batch = lithiumBatch(random, negativeV);
  const recordClass = random.pick(['two-rests', 'drive', 'long-rest', 'full'] as const);
  return wanted(recordClass, batch.chemistry) ? caseFrom(batch, recordClass, random) : null;
}

/** The same with a graphite that is none of those the diagnosis knows. */
export const beadGraphiteCase = (seed: number): SimCase | null => physicsCase(seed, beadGraphiteV);

/** A random case of nickel–metal hydride particle cells, whose voltage remembers where it comes from, of any kind of record. */
export function nickelCase(
  seed: number,
  wanted: (recordClass: RecordClass) => boolean = () => true,
): SimCase | null {
  const random = new Random(seed ^ 0x41c4);
  const recordClass = random.pick(RECORD_CLASSES);
  if (!wanted(recordClass)) return null;
  // Near full it comes from a charge; anywhere else it may come from either, or from between.
  const branch =
    recordClass === 'two-rests' || recordClass === 'full' ? random.uniform(0.5, 1) : random.uniform(-1, 1);
  return caseFrom(nickelBatch(random, branch), recordClass, random);
}

/** Any kind of record of any particle pack: a quarter nickel, the rest lithium, with a graphite that is known or another. */
export function particleCase(seed: number, negativeV?: (stoichiometry: number) => number): SimCase | null {
  const random = new Random(seed ^ 0x9a17);
  if (!negativeV && random.uniform() < 0.25) return nickelCase(seed);
  const batch = lithiumBatch(random, negativeV);
  return caseFrom(batch, random.pick(RECORD_CLASSES), random);
}

/** The same of lithium with a graphite that is none of those the diagnosis knows. */
export const beadParticleCase = (seed: number): SimCase | null => particleCase(seed, beadGraphiteV);
