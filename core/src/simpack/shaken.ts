import { factsOf } from '../pack';
import { caseOf, type SimCase, type World } from './cases';
import type { SimFault } from './fault';
import { discernible, type Cause, type Column } from './discern';
import {
  branchVolts,
  trueCurve,
  channelVolts,
  course,
  type Bend,
  type Leg,
  type SimChannel,
  type SimPack,
} from './simulate';
import type { Random } from './random';

/** A wave of random length beside a rest curve; `sizeV` is one standard deviation. */
const bend = (random: Random, sizeV: number): Bend => ({
  perSoc: Math.exp(random.uniform(Math.log(4), Math.log(60))),
  sizeV: random.normal(sizeV, 2),
  phase: random.uniform(0, 6.28),
});

/**
 * Every error of a pack at random: how far healthy channels differ in each thing, how many waves of what length lie
 * beside the curve, whether channels have curves of their own (that of a string of cells averages out), boards with gain, a warm end, a current sensor with
 * offset and gain, other time constants, more or less noise, late and missing readings. Bounds from memory.
 */
function shake(sim: SimPack, random: Random): void {
  const times = (): number => Math.exp(random.uniform(Math.log(0.5), Math.log(2)));
  const by = {
    capacity: times(),
    soc: times(),
    resistance: times(),
    leak: times(),
    offset: times(),
  };
  const shapeV = random.uniform(0, 0.001);
  const gain = random.uniform(0, 0.0008);
  const warmEnd = random.uniform(0, 0.08);
  const { cells } = sim.pack.channels[0]!;
  const many = sim.channels.length - 1;
  const { healthy } = factsOf(sim.pack.profile.chemistry);
  sim.differs = {
    socFraction: healthy.socFraction * by.soc,
    capacity: healthy.capacity * by.capacity,
    resistance: healthy.resistance * by.resistance,
    leakPerDay: healthy.leakPerDay * by.leak,
    offsetV: healthy.offsetV * by.offset,
    gain: gain / Math.sqrt(cells),
    shapeV: shapeV / Math.sqrt(cells),
  };
  sim.channels = sim.channels.map((c, i): SimChannel => {
    const warm = 1 - warmEnd * (i / many - 0.5);
    return {
      capacityRatio: 1 + (c.capacityRatio - 1) * by.capacity,
      deltaSoc: c.deltaSoc * by.soc,
      ohmicRatio: (1 + (c.ohmicRatio - 1) * by.resistance) * warm,
      slowRatio: (1 + (c.slowRatio - 1) * by.resistance) * warm,
      leakPerDay: c.leakPerDay * by.leak,
      offsetV: c.offsetV * by.offset,
      gain: random.normal(gain) / Math.sqrt(cells),
      bends: [bend(random, shapeV), bend(random, shapeV / 2)].map((b) => ({
        ...b,
        sizeV: b.sizeV / Math.sqrt(cells),
      })),
    };
  });
  sim.bends = Array.from({ length: random.integer(1, 3) }, () => bend(random, random.uniform(0.0005, 0.003)));
  sim.curveShiftSoc *= random.uniform(0, 2);
  sim.slow = [
    { ohm: sim.slow[0]!.ohm * random.uniform(0.6, 1.4), tauS: random.uniform(4, 90) },
    { ohm: sim.slow[1]!.ohm * random.uniform(0.6, 1.4), tauS: random.uniform(120, 2000) },
  ];
  sim.noiseV *= times();
  sim.currentOffsetA = random.normal(0.15);
  sim.currentGain = random.normal(0.008);
  sim.late = random.uniform() < 0.3 ? 0.004 : 0;
  sim.missing = random.uniform() < 0.3 ? 0.006 : 0;
}

/** What a channel would show along a course, by the true model. */
function shownBy(sim: SimPack, legs: readonly Leg[], channel: number): (c: SimChannel) => Float64Array {
  const curve = trueCurve(sim.pack);
  const { timeS, currentA } = course(legs);
  const slowV = new Float64Array(timeS.length);
  const drawnAh = new Float64Array(timeS.length);
  for (const part of sim.slow) {
    let x = 0;
    for (let k = 1; k < timeS.length; k++) {
      const decay = Math.exp(-(timeS[k]! - timeS[k - 1]!) / part.tauS);
      x = x * decay + currentA[k]! * (1 - decay);
      slowV[k]! += part.ohm * x;
    }
  }
  for (let k = 1; k < timeS.length; k++)
    drawnAh[k] = drawnAh[k - 1]! + (currentA[k]! * (timeS[k]! - timeS[k - 1]!)) / 3600;
  return (c) => {
    const channels = sim.channels.slice();
    channels[channel] = c;
    const one = { ...sim, channels };
    const branch = branchVolts(sim, c, timeS, drawnAh);
    return Float64Array.from(timeS, (t, k) =>
      channelVolts(one, curve, channel, drawnAh[k]!, t, currentA[k]!, slowV[k]!, branch?.[k]),
    );
  };
}

const minus = (a: Float64Array, b: Float64Array, unit = 1): Float64Array =>
  a.map((v, k) => (v - b[k]!) / unit);

/** What the healthy channels of this very pack differ by, seen in one of them. */
function healthyColumns(c: SimChannel, v: (c: SimChannel) => Float64Array, sim: SimPack): Column[] {
  const { healthy: usual } = factsOf(sim.pack.profile.chemistry);
  const healthy = { ...usual, ...sim.differs };
  // Of a pack without any there is next to nothing of it, and a column stays a column.
  const some = (sd: number): number => Math.max(sd, 1e-6);
  const base = v(c);
  const by = (part: Partial<SimChannel>, unit: number): Float64Array =>
    minus(v({ ...c, ...part }), base, unit);
  return [
    { sd: healthy.socFraction, v: by({ deltaSoc: c.deltaSoc - 0.003 }, 0.003) },
    { sd: healthy.capacity, v: by({ capacityRatio: c.capacityRatio - 0.005 }, 0.005) },
    {
      sd: healthy.resistance,
      v: by({ ohmicRatio: c.ohmicRatio + 0.05, slowRatio: c.slowRatio + 0.05 }, 0.05),
    },
    { sd: healthy.slow, v: by({ slowRatio: c.slowRatio + 0.05 }, 0.05) },
    { sd: healthy.leakPerDay, v: by({ leakPerDay: c.leakPerDay + 0.001 }, 0.001) },
    { sd: healthy.offsetV, v: new Float64Array(base.length).fill(1) },
    { sd: some(sim.differs!.gain), v: base },
    ...[0, 1.57].map((phase) => ({
      sd: some(healthy.shapeV),
      v: by({ bends: [...(c.bends ?? []), { perSoc: 15, sizeV: 1e-3, phase }] }, 1e-3),
    })),
  ];
}

const SHARES = [-0.06, -0.03, 0, 0.03, 0.06, 0.1, 0.15, 0.2];
const LOST = [0, 0.06, 0.12, 0.18, 0.25, 0.33, 0.42];
const TIMES = [1, 1.4, 1.9, 2.6, 3.6];
const DAILY = [0, 0.004, 0.009, 0.016, 0.03];

/** What a channel would show for every cause at several sizes, by the true model. */
function causesOf(c: SimChannel, v: (c: SimChannel) => Float64Array, sim: SimPack): Cause[] {
  const base = v(c);
  const shown = <T>(sizes: readonly T[], change: (size: T) => Partial<SimChannel>): Float64Array[] =>
    sizes.map((s) => minus(v({ ...c, ...change(s) }), base));
  const lost = (share: number, level: number): Partial<SimChannel> => ({
    capacityRatio: c.capacityRatio * (1 - share),
    deltaSoc: c.deltaSoc - level * (1 / (1 - share) - 1) * (1 - sim.startSoc),
  });
  return [
    { of: 'imbalance', shownV: shown(SHARES, (s) => ({ deltaSoc: c.deltaSoc - s })) },
    { of: 'low-capacity', shownV: shown(LOST, (s) => lost(s, 0)) },
    { of: 'low-capacity', shownV: shown(LOST, (s) => lost(s, 1)) },
    { of: 'high-resistance', shownV: shown(TIMES, (t) => ({ ohmicRatio: c.ohmicRatio * t })) },
    {
      of: 'high-resistance',
      shownV: shown(TIMES, (t) => ({ ohmicRatio: c.ohmicRatio * t, slowRatio: c.slowRatio * t })),
    },
    { of: 'self-discharge', shownV: shown(DAILY, (d) => ({ leakPerDay: c.leakPerDay + d })) },
    { of: 'sense-fault', shownV: [new Float64Array(base.length), new Float64Array(base.length).fill(0.02)] },
  ];
}

/** Whether a cause can be told, from the true channel and the record, by no fit of the diagnosis. */
function tells(
  sim: SimPack,
  legs: readonly Leg[],
  fault: SimFault,
  before: SimPack,
): { detect: number; separate: number } {
  const at = fault.channelIndex;
  const v = shownBy(sim, legs, at);
  const was = before.channels[at]!;
  const { cells } = sim.pack.channels[at]!;
  return discernible(
    minus(v(sim.channels[at]!), v(was)),
    healthyColumns(was, v, sim),
    causesOf(was, v, sim),
    fault.verdict,
    // What readings are good to, noise and all that no column holds.
    Math.hypot(sim.noiseV, cells > 1 ? 0.004 : 0.001),
  );
}

const SHAKEN: World = {
  salt: 0x77a3,
  shake,
  tells,
  more: { drive: ['tap-load'], full: ['tap-load'], polled: ['tap-load'] },
  leastDetect: 30,
};
/** A random case of the world in which every error term is another one, and none the one the diagnosis supposes. */
export const shakenCase = (seed: number): SimCase | null => caseOf(SHAKEN, seed);
