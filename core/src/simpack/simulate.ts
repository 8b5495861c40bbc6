import { factsOf, ocvCurve, type OcvCurve, type Pack, type Scatter } from '../pack';
import type { ScanRecord, Series } from '../scan';
import { branchCourse } from '../diagnosis/cell/hysteresis';
import { smoothTable } from '../diagnosis/cell/smoothOcvTable';
import { Random } from './random';

/** What one simulated channel really is, against the pack's typical one. */
export interface SimChannel {
  capacityRatio: number;
  deltaSoc: number;
  ohmicRatio: number;
  slowRatio: number;
  leakPerDay: number;
  offsetV: number;
  /** A dead cell: this voltage whatever happens. */
  fixedV?: number;
  /** The reading never moves from its first value. */
  stuck?: boolean;
  /** Its sense wire sits where current flows: what it adds for each ampere, Ω. */
  tapOhm?: number;
  /** What its board adds as a share of the reading. */
  gain?: number;
  /** How its own curve lies beside the others'. */
  bends?: Bend[];
}

/** A channel that is the typical one in everything. */
export const TYPICAL: SimChannel = {
  capacityRatio: 1,
  deltaSoc: 0,
  ohmicRatio: 1,
  slowRatio: 1,
  leakPerDay: 0,
  offsetV: 0,
};

/** A wave beside a rest curve. */
export interface Bend {
  perSoc: number;
  sizeV: number;
  phase: number;
}

/** A simulated pack: the truth behind the readings. */
export interface SimPack {
  pack: Pack;
  capacityAh: number;
  startSoc: number;
  /** Of one cell, Ω: at once, and two slow parts with their time constants. */
  ohmicOhm: number;
  slow: { ohm: number; tauS: number }[];
  channels: SimChannel[];
  /** The real curve beside its table: shifted in charge, and bent by some mV. */
  curveShiftSoc: number;
  bends: Bend[];
  baseLeakPerDay: number;
  noiseV: number;
  /** Where the rest voltage remembers: half the gap between its branches, V a cell, how soon it is crossed, and where it stands at the start, −1 to 1. */
  hysteresis?: { halfV: number; turns: number; start: number };
  /** What the current sensor adds, A, and as a share of the current. */
  currentOffsetA?: number;
  currentGain?: number;
  /** Readings that are the row before's, and that are missing, as shares. */
  late?: number;
  missing?: number;
  /** How far the healthy channels of this pack differ, one standard deviation, where that is not the usual. */
  differs?: Pick<Scatter, 'socFraction' | 'capacity' | 'resistance' | 'leakPerDay' | 'offsetV' | 'shapeV'> & {
    gain: number;
  };
}

/** One leg of a schedule: constant current, positive on discharge, read every `sampleS`. */
export interface Leg {
  durationS: number;
  currentA: number;
  sampleS: number;
}

/** A healthy pack with the scatter that healthy packs have. */
export function healthyPack(pack: Pack, random: Random, health = random.uniform(0.7, 1)): SimPack {
  const { healthy: scatter, leak, noiseV } = factsOf(pack.profile.chemistry);
  const cells = pack.channels[0]!.cells;
  const ohm = (pack.profile.nominalGroupResistanceMilliohm / 1000 / cells) * random.uniform(0.95, 1.3);
  return {
    pack,
    capacityAh: pack.profile.ratedCapacityAh * health,
    startSoc: random.uniform(0.5, 0.9),
    ohmicOhm: ohm * 0.65,
    slow: [
      { ohm: ohm * random.uniform(0.25, 0.45), tauS: random.uniform(10, 45) },
      { ohm: ohm * random.uniform(0.2, 0.4), tauS: random.uniform(200, 900) },
    ],
    channels: pack.channels.map(() => {
      const r = random.normal(scatter.resistance);
      return {
        capacityRatio: 1 + random.normal(scatter.capacity),
        deltaSoc: random.normal(scatter.socFraction),
        ohmicRatio: 1 + r,
        slowRatio: 1 + r,
        leakPerDay: random.normal(scatter.leakPerDay),
        offsetV: random.normal(scatter.offsetV),
      };
    }),
    curveShiftSoc: random.normal(0.007, 2),
    bends: [{ perSoc: 9, sizeV: random.normal(0.002, 2), phase: random.uniform(0, 6.28) }],
    baseLeakPerDay: leak.perDay,
    noiseV,
  };
}

/** Moments and current of a schedule. */
export function course(legs: readonly Leg[]): { timeS: number[]; currentA: number[] } {
  const timeS = [0];
  const currentA = [legs[0]!.currentA];
  let at = 0;
  for (const leg of legs) {
    const end = at + leg.durationS;
    for (let t = at + leg.sampleS; t <= end + 1e-6; t += leg.sampleS) {
      timeS.push(t);
      currentA.push(leg.currentA);
    }
    at = end;
  }
  return { timeS, currentA };
}

/** Moments of sequential polling, `gapS` apart on average. */
export function polledMoments(durationS: number, gapS: number, random: Random): number[] {
  const timeS: number[] = [];
  for (let t = gapS; t < durationS; t += gapS * random.uniform(0.85, 1.15)) timeS.push(t);
  return timeS;
}

/** Current at rising moments, A: steps take two seconds, as a foot does. */
export function rampedA(legs: readonly Leg[], timeS: readonly number[], fromA: number): number[] {
  let leg = 0;
  let start = 0;
  return timeS.map((t) => {
    while (leg + 1 < legs.length && start + legs[leg]!.durationS <= t) start += legs[leg++]!.durationS;
    const before = leg > 0 ? legs[leg - 1]!.currentA : fromA;
    const now = legs[leg]!.currentA;
    const into = t - start;
    return into < 2 ? before + ((now - before) * into) / 2 : now;
  });
}

/**
 * True voltage of one channel, V, before anybody reads it.
 * @param drawnAh charge drawn since the start; `slowV` the voltage across the slow parts of a typical cell; `branchV` what its branch adds, V a cell.
 */
export function channelVolts(
  sim: SimPack,
  curve: OcvCurve,
  channel: number,
  drawnAh: number,
  timeS: number,
  currentA: number,
  slowV: number,
  branchV = 0,
): number {
  const c = sim.channels[channel]!;
  const { cells } = sim.pack.channels[channel]!;
  if (c.fixedV !== undefined) return c.fixedV;
  const soc =
    sim.startSoc +
    c.deltaSoc -
    drawnAh / (sim.capacityAh * c.capacityRatio) -
    ((sim.baseLeakPerDay + c.leakPerDay) * timeS) / 86400;
  let bendV = 0;
  for (const b of sim.bends) bendV += b.sizeV * Math.sin(b.perSoc * soc + b.phase);
  if (c.bends) for (const b of c.bends) bendV += b.sizeV * Math.sin(b.perSoc * soc + b.phase);
  const cellV =
    curve.voltageAt(soc + sim.curveShiftSoc) +
    bendV +
    branchV +
    Math.min(0, soc) * 20 -
    currentA * sim.ohmicOhm * c.ohmicRatio -
    slowV * c.slowRatio;
  return cells * cellV * (1 + (c.gain ?? 0)) + c.offsetV + (c.tapOhm ?? 0) * currentA;
}

/** The true rest curve: of a table's points the smooth one where cells of a string lie apart a little. */
export const trueCurve = ({ profile }: Pack): OcvCurve =>
  ocvCurve(factsOf(profile.chemistry).hysteresis ? smoothTable(profile.ocv) : profile.ocv);

/** What the branch of one channel adds at each moment, V a cell: it goes by the charge that flows in its own cells. */
export function branchVolts(
  sim: SimPack,
  c: SimChannel,
  timeS: ArrayLike<number>,
  drawnAh: Float64Array,
): Float64Array | null {
  if (!sim.hysteresis) return null;
  const { halfV, turns, start } = sim.hysteresis;
  const capacityAh = sim.capacityAh * c.capacityRatio;
  const days = Float64Array.from(timeS, (t) => t / 86400);
  const leak = sim.baseLeakPerDay + c.leakPerDay;
  const { free, driven } = branchCourse(drawnAh, days, leak, capacityAh, turns);
  return driven.map((d, k) => halfV * (d + start * free[k]!));
}

/** True voltages of a simulated pack along a course. */
export function voltageModel(
  sim: SimPack,
  timeS: readonly number[],
  currentA: readonly number[],
): { volts: (channel: number, k: number) => number; drawnAh: Float64Array } {
  const curve = trueCurve(sim.pack);
  const rows = timeS.length;
  const lags = sim.slow.map((part) => {
    const out = new Float64Array(rows);
    for (let k = 1; k < rows; k++) {
      const decay = Math.exp(-(timeS[k]! - timeS[k - 1]!) / part.tauS);
      out[k] = out[k - 1]! * decay + currentA[k]! * (1 - decay);
    }
    return out;
  });
  const drawnAh = new Float64Array(rows);
  for (let k = 1; k < rows; k++)
    drawnAh[k] = drawnAh[k - 1]! + (currentA[k]! * (timeS[k]! - timeS[k - 1]!)) / 3600;
  const branches = sim.channels.map((c) => branchVolts(sim, c, timeS, drawnAh));
  const volts = (channel: number, k: number): number => {
    let slowV = 0;
    sim.slow.forEach((part, j) => (slowV += part.ohm * lags[j]![k]!));
    return channelVolts(
      sim,
      curve,
      channel,
      drawnAh[k]!,
      timeS[k]!,
      currentA[k]!,
      slowV,
      branches[channel]?.[k],
    );
  };
  return { volts, drawnAh };
}

const shownCurrent = (i: number, random: Random): number =>
  Math.round((i + random.normal(i === 0 ? 0.1 : 0.15)) * 10) / 10;

/**
 * Runs the schedule and reads every channel at every sample.
 * The record is what a vehicle would report: quantised, noisy, reported SOC a few per cent off.
 */
export function simulateRecord(
  sim: SimPack,
  legs: readonly Leg[],
  random: Random,
  temperatureC = 22,
): ScanRecord {
  const { pack } = sim;
  const stepV = factsOf(pack.profile.chemistry).sensorStepV;
  const { timeS, currentA } = course(legs);
  const time = Float64Array.from(timeS);
  const shown = Float64Array.from(currentA, (i) =>
    shownCurrent(i * (1 + (sim.currentGain ?? 0)) + (sim.currentOffsetA ?? 0), random),
  );
  const { volts, drawnAh } = voltageModel(sim, timeS, currentA);
  const voltageV = sim.channels.map((c, i): Series => ({
    timeS: time,
    value: Float64Array.from(time, (_, k) => {
      if (sim.missing && random.uniform() < sim.missing) return NaN;
      const at = sim.late && random.uniform() < sim.late ? Math.max(0, k - 1) : k;
      return quantise(c.stuck ? volts(i, 0) : volts(i, at) + random.normal(sim.noiseV), stepV);
    }),
  }));
  const socError = random.normal(0.02);
  return {
    channelIds: pack.channels.map((c) => c.id),
    voltageV,
    currentA: { timeS: time, value: shown },
    temperatureC: {
      timeS: time,
      value: Float64Array.from(time, (_, k) => Math.round((temperatureC + (3 * k) / time.length) * 2) / 2),
    },
    reportedSocFraction: {
      timeS: time,
      value: Float64Array.from(
        drawnAh,
        (q) => Math.round((sim.startSoc + socError - q / sim.capacityAh) * 200) / 200,
      ),
    },
    simultaneous: true,
    notices: [],
  };
}

export const quantise = (v: number, stepV: number): number => Math.round(v / stepV) * stepV;

/** The same, read one signal after another: current twice a round, every reading with its own time. */
export function simulatePolled(sim: SimPack, legs: readonly Leg[], random: Random, gapS = 0.058): ScanRecord {
  const stepV = factsOf(sim.pack.profile.chemistry).sensorStepV;
  const timeS = polledMoments(
    legs.reduce((sum, leg) => sum + leg.durationS, 0),
    gapS,
    random,
  );
  const currentA = rampedA(legs, timeS, legs[0]!.currentA);
  const { volts, drawnAh } = voltageModel(sim, timeS, currentA);
  const socError = random.normal(0.02);
  return polledRecord(sim.pack, timeS, {
    currentA: (k) => shownCurrent(currentA[k]!, random),
    socFraction: (k) => Math.round((sim.startSoc + socError - drawnAh[k]! / sim.capacityAh) * 200) / 200,
    channelV: (i, k) =>
      quantise(sim.channels[i]!.stuck ? volts(i, 0) : volts(i, k) + random.normal(sim.noiseV), stepV),
  });
}

/** A record that is read one signal after another, from what each signal reads at a moment. */
export function polledRecord(
  pack: Pack,
  timeS: readonly number[],
  read: {
    currentA: (k: number) => number;
    socFraction: ((k: number) => number) | null;
    channelV: (channel: number, k: number) => number;
  },
): ScanRecord {
  const n = pack.channels.length;
  const half = Math.ceil(n / 2);
  const lists = Array.from({ length: n + 2 }, () => ({ t: [] as number[], v: [] as number[] }));
  const [currentList, socList] = [lists[n]!, lists[n + 1]!];
  const round = [
    -1,
    ...Array.from({ length: half }, (_, i) => i),
    -1,
    ...Array.from({ length: n - half }, (_, i) => half + i),
    -2,
  ];
  timeS.forEach((t, k) => {
    const what = round[k % round.length]!;
    const put = (list: { t: number[]; v: number[] }, v: number): void => {
      list.t.push(t);
      list.v.push(v);
    };
    if (what === -1) put(currentList, read.currentA(k));
    else if (what !== -2) put(lists[what]!, read.channelV(what, k));
    else if (read.socFraction) put(socList, read.socFraction(k));
  });
  const series = (l: { t: number[]; v: number[] }): Series => ({
    timeS: Float64Array.from(l.t),
    value: Float64Array.from(l.v),
  });
  return {
    channelIds: pack.channels.map((c) => c.id),
    voltageV: lists.slice(0, n).map(series),
    currentA: series(currentList),
    temperatureC: null,
    reportedSocFraction: read.socFraction ? series(socList) : null,
    simultaneous: false,
    notices: [],
  };
}

/** A drive: legs of changing load with regeneration, about `meanA` on average, until `chargeAh` is drawn. */
export function driveLegs(random: Random, meanA: number, chargeAh: number, sampleS: number): Leg[] {
  const legs: Leg[] = [];
  let left = chargeAh;
  while (left > 0) {
    const durationS = sampleS * random.integer(2, 8);
    const kind = random.uniform();
    const currentA =
      kind < 0.12 ? 0.1 : kind < 0.28 ? -meanA * random.uniform(0.3, 0.9) : meanA * random.uniform(0.4, 2.4);
    legs.push({ durationS, currentA: Math.round(currentA * 10) / 10, sampleS });
    left -= (currentA * durationS) / 3600;
  }
  return legs;
}
