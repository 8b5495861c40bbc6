import { normalisePack, type Chemistry, type Pack } from '../pack';
import type { ScanRecord, Series } from '../scan';
import type { Verdict } from '../spread';
import type { RecordClass, SimCase, SimFault } from './cases';
import { discernible } from './discern';
import { aged, capacityOf, beadGraphiteV, inNegativeAt, newCell, restV, type ParticleCell } from './particle';
import { causesOf, healthyColumns, volts, type Course, type PhysicsChannel } from './physicsCauses';
import { median } from '../spread/statistics';
import { Random } from './random';
import { driveLegs, quantise, type Leg } from './simulate';

type Kind =
  'imbalance' | 'low-capacity' | 'joint' | 'cell' | 'self-discharge' | 'offset' | 'tap' | 'stuck' | 'dead';
const KINDS: Record<string, Kind[]> = {
  'two-rests': ['imbalance', 'low-capacity', 'offset', 'tap', 'dead'],
  drive: ['joint', 'cell', 'stuck', 'imbalance', 'offset', 'tap', 'dead'],
  'long-rest': ['self-discharge', 'self-discharge', 'imbalance', 'offset'],
  full: ['imbalance', 'low-capacity', 'joint', 'cell', 'offset', 'tap', 'stuck'],
};

/** A channel that holds more of what the others hold than this is left where it is. Common practice, no source. */
const HARMLESS_LOSS = 0.95;
/** Charge apart, as a share of capacity, up to which nobody would do anything. Common practice, no source. */
const HARMLESS_SHARE = 0.02;

/** What readings are good to, noise and all that no column holds, V. */
const READ_V = 0.0015;
/** A fault that stands out less is not counted. */
const LEAST_DETECT = 30;

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

/** Charge below full at the start as a share of capacity, and what is driven. */
function schedule(kind: RecordClass, c: number, random: Random): { below: number; legs: Leg[] } {
  switch (kind) {
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
        legs: driveLegs(random, c * random.uniform(0.4, 0.9), c * random.uniform(0.06, 0.12), 1),
      };
    case 'long-rest':
      return {
        below: random.uniform(0.15, 0.6),
        legs: [{ durationS: 86400 * random.integer(5, 7), currentA: 0, sampleS: 21600 }],
      };
    default:
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

/** The rest curve as a workshop has it: discharged in twenty hours, a point every few per cent, to a millivolt. */
function shopTable(cell: ParticleCell, stepPercent: number): [number, number][] {
  const capacity = capacityOf(cell);
  const full = inNegativeAt(cell, cell.fullV);
  const sag = (capacity / 20) * cell.ohmicOhm + 0.004;
  const table: [number, number][] = [];
  for (let percent = 0; percent <= 100; percent += stepPercent) {
    const v = restV(cell, full - capacity * (1 - percent / 100)) - sag;
    table.push([percent / 100, Math.round(v * 1000) / 1000]);
  }
  return table;
}

const packOf = (chemistry: 'nmc' | 'lfp', ratedAh: number, count: number, ocv: [number, number][]): Pack => {
  const ids = Array.from({ length: count }, (_, i) => `ch${String(i + 1).padStart(3, '0')}`);
  const per = count % 4 === 0 ? 4 : 3;
  return normalisePack({
    name: 'pack of particles',
    chemistry,
    ratedCapacityAh: ratedAh,
    channels: ids.map((id) => ({ id, cells: 1 })),
    modules: Array.from({ length: count / per }, (_, m) => ({
      id: `M${m + 1}`,
      channels: ids.slice(m * per, (m + 1) * per),
    })),
    nominalGroupResistanceMilliohm: 70 / ratedAh,
    ocv,
  });
};

/** Changes one channel for a fault, in the physics of it. */
function spoil(c: PhysicsChannel, kind: Kind, random: Random): Verdict {
  const capacity = capacityOf(c.cell);
  const side = random.uniform() < 0.5 ? -1 : 1;
  switch (kind) {
    case 'imbalance':
      c.belowFullAh += capacity * (random.uniform() < 0.75 ? 1 : -0.3) * random.uniform(0.025, 0.1);
      c.belowFullAh = Math.max(0.002 * capacity, c.belowFullAh);
      return 'imbalance';
    case 'low-capacity': {
      // Lost lithium and lost material in a proportion of its own: the curve changes with it.
      const loss = random.uniform(0.08, 0.28);
      const share = random.uniform();
      c.cell = aged(c.cell, loss * share, loss * (1 - share), loss * (1 - share) * random.uniform(0, 1));
      return 'low-capacity';
    }
    case 'joint':
      c.cell = { ...c.cell, ohmicOhm: c.cell.ohmicOhm * random.uniform(1.8, 5) };
      return 'high-resistance';
    case 'cell': {
      const by = random.uniform(1.4, 2.4);
      c.cell = { ...c.cell, ohmicOhm: c.cell.ohmicOhm * by, exchangeA: c.cell.exchangeA / by };
      return 'high-resistance';
    }
    case 'self-discharge':
      c.leakA += (capacity * random.uniform(0.003, 0.012)) / 24;
      return 'self-discharge';
    case 'offset':
    case 'tap':
      c.offsetV += side * random.uniform(0.015, 0.05);
      return 'sense-fault';
    case 'stuck':
      c.stuck = true;
      return 'sense-fault';
    case 'dead':
      c.fixedV = random.pick([0.02, 0.15, -0.3, 1.2]);
      return 'dead';
  }
}

/** Reads the channels as boards do: offset, gain, noise, steps of a millivolt, some late, some missing. */
function readAll(
  channels: readonly PhysicsChannel[],
  course: Course,
  truth: readonly Float64Array[],
  random: Random,
): Pick<ScanRecord, 'voltageV' | 'currentA'> {
  const noiseV = random.uniform(0.0004, 0.0012);
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
          return quantise(v + (c.stuck ? 0 : random.normal(noiseV)), 0.001);
        }),
      ),
    ),
    currentA: series(
      Float64Array.from(
        course.currentA,
        (i) => Math.round((i + currentOffsetA + random.normal(0.1)) * 10) / 10,
      ),
    ),
  };
}

/**
 * A random case of the physics world: null where the fault is neither plain nor plainly not, or the pack would leave
 * its range. Healthy cells differ in lost lithium and lost material, by place in temperature, by module in age; whether
 * a cause can be told is decided from the true cells and the record, never by the diagnosis.
 * @param wanted looked at before anything is worked out: null at once where it is false
 */
export function physicsCase(
  seed: number,
  negativeV?: (stoichiometry: number) => number,
  wanted: (recordClass: RecordClass, chemistry: Chemistry) => boolean = () => true,
): SimCase | null {
  const random = new Random(seed ^ 0x5eed);
  const chemistry = random.pick(['nmc', 'nmc', 'lfp'] as const);
  const ratedAh = random.pick([26, 40, 60, 94, 120]);
  const count = random.pick([12, 16, 24, 24, 48, 96]);
  const fresh = newCell(chemistry, ratedAh, negativeV);
  const loss = {
    lithium: random.uniform(0.02, 0.15),
    negative: random.uniform(0, 0.1),
    positive: random.uniform(0, 0.08),
  };
  const typical = aged(fresh, loss.lithium, loss.negative, loss.positive);
  const recordClass = random.pick(['two-rests', 'drive', 'long-rest', 'full'] as const);
  if (!wanted(recordClass, chemistry)) return null;
  const capacity = capacityOf(typical);
  const { below, legs } = schedule(recordClass, capacity, random);
  const course = courseOf(legs);
  const warmC = random.uniform(10, 32);
  const gradientC = random.uniform(0, 4);
  const module = Array.from({ length: count }, () => random.normal());
  const channels = module.map((_, i): PhysicsChannel => {
    const shared = module[Math.floor(i / 4)]!;
    const cell = aged(
      fresh,
      loss.lithium + 0.002 * shared + random.normal(0.004),
      Math.max(0, loss.negative + 0.003 * shared + random.normal(0.005)),
      Math.max(0, loss.positive + random.normal(0.005)),
    );
    return {
      cell: {
        ...cell,
        ohmicOhm: cell.ohmicOhm * Math.exp(0.02 * shared + random.normal(0.03)),
        exchangeA: cell.exchangeA * Math.exp(random.normal(0.04)),
      },
      belowFullAh: capacity * (below + random.normal(0.003)),
      temperatureC: warmC + gradientC * (i / count - 0.5),
      leakA: (capacity * Math.abs(random.normal(5e-5))) / 24,
      offsetV: random.normal(random.uniform(0.0005, 0.0015)),
      gain: random.normal(0.0005),
      stuck: false,
      fixedV: null,
    };
  });
  for (const c of channels) c.belowFullAh = Math.max(0.001 * capacity, c.belowFullAh);
  const middle = (of: (c: PhysicsChannel) => number): number => median(channels.map(of));
  const faults: SimFault[] = [];
  if (random.uniform() > 0.25) {
    const kind = random.pick(KINDS[recordClass]!);
    const at = random.integer(0, count - 2);
    const c = channels[at]!;
    const healthy = { ...c };
    const verdict = spoil(c, kind, random);
    const seat = kind === 'joint' || kind === 'cell' ? kind : undefined;
    faults.push({ channelIndex: at, verdict, determinable: true, seat });
    if (kind === 'tap') {
      const offsetV = c.offsetV - healthy.offsetV;
      // Both channels of a tap wire stand out together, and nothing else is opposite in two neighbours.
      const together = [healthy, channels[at + 1]!].reduce((sum, channel) => {
        const shown = new Float64Array(course.timeS.length).fill(offsetV);
        return sum + discernible(shown, healthyColumns(channel, course), [], verdict, READ_V).detect;
      }, 0);
      if (together < LEAST_DETECT) return null;
      channels[at + 1]!.offsetV -= offsetV;
      faults.push({ channelIndex: at + 1, verdict, determinable: true });
    } else if (kind !== 'stuck' && kind !== 'dead') {
      const [own, other] = [volts(c, course), volts(healthy, course)];
      const shown = own.map((v, k) => v - other[k]! + c.offsetV - healthy.offsetV);
      const { detect, separate } = discernible(
        shown,
        healthyColumns(healthy, course),
        causesOf(healthy, course),
        verdict,
        READ_V,
      );
      if (detect < LEAST_DETECT || (separate > 4 && separate < 18)) return null;
      // What lies by less from the others, or from what it was, does no harm and is no fault.
      const holds = capacityOf(c.cell);
      const usual = [capacityOf(healthy.cell), middle((x) => capacityOf(x.cell))];
      if (kind === 'low-capacity' && usual.some((u) => holds > HARMLESS_LOSS * u)) return null;
      const level = [healthy.belowFullAh, middle((x) => x.belowFullAh)];
      if (kind === 'imbalance' && level.some((l) => Math.abs(c.belowFullAh - l) < HARMLESS_SHARE * capacity))
        return null;
      faults[0]!.determinable = separate >= 18;
    }
  }
  const truth = channels.map((c) =>
    c.fixedV === null ? volts(c, course) : new Float64Array(course.timeS.length).fill(c.fixedV),
  );
  // The vehicle would have stopped before a cell leaves its range.
  if (
    truth.some(
      (v, i) =>
        channels[i]!.fixedV === null && v.some((x) => x < fresh.emptyV + 0.2 || x > fresh.fullV + 0.08),
    )
  )
    return null;
  const usualV = median(truth.map((v) => median(v)));
  for (const fault of faults) {
    const c = channels[fault.channelIndex]!;
    if (fault.verdict === 'imbalance')
      fault.size = (100 * (middle((x) => x.belowFullAh) - c.belowFullAh)) / capacity;
    if (fault.verdict === 'low-capacity') fault.size = capacityOf(c.cell) / middle((x) => capacityOf(x.cell));
    if (fault.verdict === 'self-discharge') fault.size = 1000 * (c.leakA - middle((x) => x.leakA));
    if (fault.verdict === 'sense-fault' && !c.stuck)
      // What its board adds at the voltages of this record, by offset and by gain.
      fault.size = 1000 * (c.offsetV + c.gain * usualV - middle((x) => x.offsetV + x.gain * usualV));
  }
  const pack = packOf(
    chemistry,
    ratedAh,
    count,
    shopTable(random.uniform() < 0.5 ? fresh : typical, random.pick([2, 5])),
  );
  return {
    pack,
    record: {
      channelIds: pack.channels.map((c) => c.id),
      ...readAll(channels, course, truth, random),
      temperatureC: {
        timeS: course.timeS,
        value: new Float64Array(course.timeS.length).fill(Math.round(warmC)),
      },
      reportedSocFraction: null,
      simultaneous: true,
      notices: [],
    },
    recordClass,
    faults,
    typicalCapacityAh: middle((c) => capacityOf(c.cell)),
  };
}

/** The same world with a graphite that is none of those the diagnosis knows. */
export const beadGraphiteCase = (seed: number): SimCase | null => physicsCase(seed, beadGraphiteV);
