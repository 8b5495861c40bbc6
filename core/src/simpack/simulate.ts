import { CELL_LIMITS, ocvCurve, type Pack } from '../pack';
import type { ScanRecord, Series } from '../scan';
import { scatterOf } from '../spread';
import { Random } from './random';

/** What one simulated channel really is, against the pack's typical one. */
export interface SimChannel {
  capacityRatio: number;
  deltaSoc: number;
  ohmicRatio: number;
  slowRatio: number;
  leakPerDay: number;
  offsetV: number;
  /** Reading frozen at this voltage, or the cell replaced by a constant one (dead). */
  fixedV?: number;
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
  curveBendV: number;
  bendPhase: number;
  baseLeakPerDay: number;
  noiseV: number;
}

/** One leg of a schedule: constant current, positive on discharge, read every `sampleS`. */
export interface Leg {
  durationS: number;
  currentA: number;
  sampleS: number;
}

/** A healthy pack with the scatter that healthy packs have. */
export function healthyPack(pack: Pack, random: Random, health = random.uniform(0.7, 1)): SimPack {
  const scatter = scatterOf(pack.profile.chemistry);
  const nimh = pack.profile.chemistry === 'nimh';
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
        leakPerDay: random.normal(nimh ? 0.0012 : 0.00015),
        offsetV: random.normal(scatter.offsetV),
      };
    }),
    curveShiftSoc: random.normal(0.007, 2),
    curveBendV: random.normal(0.002, 2),
    bendPhase: random.uniform(0, 6.28),
    baseLeakPerDay: nimh ? 0.008 : 0.0005,
    noiseV: nimh ? 0.004 : 0.0007,
  };
}

/** Moments and current of a schedule; steps get a ramp of a second or two, as a driver's foot does. */
function course(legs: readonly Leg[]): { timeS: number[]; currentA: number[] } {
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
  const curve = ocvCurve(pack.profile.ocv);
  const stepV = CELL_LIMITS[pack.profile.chemistry].sensorStepV;
  const { timeS, currentA } = course(legs);
  const rows = timeS.length;
  const time = Float64Array.from(timeS);
  const shown = Float64Array.from(
    currentA,
    (i) => Math.round((i + (i === 0 ? random.normal(0.1) : random.normal(0.15))) * 10) / 10,
  );
  const bend = (s: number): number => sim.curveBendV * Math.sin(9 * s + sim.bendPhase);
  const lags = sim.slow.map((part) => {
    const out = new Float64Array(rows);
    for (let k = 1; k < rows; k++) {
      const decay = Math.exp(-(timeS[k]! - timeS[k - 1]!) / part.tauS);
      out[k] = out[k - 1]! * decay + currentA[k]! * (1 - decay);
    }
    return out;
  });
  const drawn = new Float64Array(rows);
  for (let k = 1; k < rows; k++)
    drawn[k] = drawn[k - 1]! + (currentA[k]! * (timeS[k]! - timeS[k - 1]!)) / 3600;
  const quantise = (v: number): number => Math.round(v / stepV) * stepV;
  const voltageV = sim.channels.map((c, i): Series => {
    const { cells } = pack.channels[i]!;
    const value = new Float64Array(rows);
    for (let k = 0; k < rows; k++) {
      const days = timeS[k]! / 86400;
      const soc =
        sim.startSoc +
        c.deltaSoc -
        drawn[k]! / (sim.capacityAh * c.capacityRatio) -
        (sim.baseLeakPerDay + c.leakPerDay) * days;
      const slowV = sim.slow.reduce((sum, part, j) => sum + part.ohm * lags[j]![k]!, 0);
      const cellV =
        curve.voltageAt(soc + sim.curveShiftSoc) +
        bend(soc) +
        Math.min(0, soc) * 20 -
        currentA[k]! * sim.ohmicOhm * c.ohmicRatio -
        slowV * c.slowRatio;
      value[k] = quantise(c.fixedV ?? cells * cellV + c.offsetV + random.normal(sim.noiseV));
    }
    return { timeS: time, value };
  });
  const socError = random.normal(0.02);
  return {
    channelIds: pack.channels.map((c) => c.id),
    voltageV,
    currentA: { timeS: time, value: shown },
    temperatureC: {
      timeS: time,
      value: Float64Array.from(time, (_, k) => Math.round((temperatureC + (3 * k) / rows) * 2) / 2),
    },
    reportedSocFraction: {
      timeS: time,
      value: Float64Array.from(
        drawn,
        (q) => Math.round((sim.startSoc + socError - q / sim.capacityAh) * 200) / 200,
      ),
    },
    simultaneous: true,
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
