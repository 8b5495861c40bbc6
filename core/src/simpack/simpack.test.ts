import * as ss from 'simple-statistics';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, ocvCurve } from '../pack';
import { chargeBetweenAh, findSegments } from '../scan';
import { driveLegs, healthyPack, Random, randomCase, simulatePolled, simulateRecord, TYPICAL } from '.';

const pack = normalisePack({
  name: 'p',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 96 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: [{ id: 'A', channels: Array.from({ length: 96 }, (_, i) => `c${i + 1}`) }],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});

describe('the seeded generator', () => {
  it('gives uniform and normal numbers of the right mean and spread, by an independent library', () => {
    const random = new Random(1);
    const uniform = Array.from({ length: 20_000 }, () => random.uniform(2, 4));
    expect(ss.mean(uniform)).toBeCloseTo(3, 1);
    expect(ss.standardDeviation(uniform)).toBeCloseTo(2 / Math.sqrt(12), 1);
    const normal = Array.from({ length: 20_000 }, () => random.normal(3, 5));
    expect(ss.mean(normal)).toBeCloseTo(0, 0);
    expect(ss.standardDeviation(normal)).toBeGreaterThan(2.9);
    expect(ss.standardDeviation(normal)).toBeLessThan(3.1);
    expect(
      Math.max(...Array.from({ length: 5000 }, () => Math.abs(random.normal(1, 2.8)))),
    ).toBeLessThanOrEqual(2.8);
  });
});

describe('the simulated pack', () => {
  const random = new Random(12);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.9;

  it('rests at its open-circuit voltage and drops by I·R under load', () => {
    const quiet = {
      ...sim,
      noiseV: 0,
      curveShiftSoc: 0,
      bends: [],
      baseLeakPerDay: 0,
      slow: [],
      channels: sim.channels.map(() => TYPICAL),
    };
    const record = simulateRecord(
      quiet,
      [
        { durationS: 20, currentA: 0, sampleS: 10 },
        { durationS: 10, currentA: 30, sampleS: 10 },
      ],
      new Random(2),
    );
    const curve = ocvCurve(pack.profile.ocv);
    expect(record.voltageV[0]!.value[1]).toBeCloseTo(curve.voltageAt(0.9), 3);
    const drawn = (30 * 10) / 3600 / sim.capacityAh;
    expect(record.voltageV[0]!.value[3]).toBeCloseTo(curve.voltageAt(0.9 - drawn) - 30 * sim.ohmicOhm, 2);
  });

  it('draws the charge that its drive asks for', () => {
    const legs = driveLegs(new Random(3), 30, 20, 10);
    const record = simulateRecord(sim, legs, new Random(4));
    const end = record.currentA!.timeS[record.currentA!.timeS.length - 1]!;
    expect(chargeBetweenAh(record.currentA!, 0, end)).toBeGreaterThan(19);
    expect(chargeBetweenAh(record.currentA!, 0, end)).toBeLessThan(24);
    expect(findSegments(record).some((s) => s.kind === 'discharge')).toBe(true);
  });

  it('polls one signal after another, each with a time of its own', () => {
    const record = simulatePolled(sim, driveLegs(new Random(3), 30, 2, 3), new Random(4));
    const times = record.voltageV.flatMap((s) => [...s.timeS]);
    expect(new Set(times).size).toBe(times.length);
    expect(record.simultaneous).toBe(false);
    expect(record.currentA!.timeS.length).toBeGreaterThan(record.voltageV[0]!.timeS.length * 1.5);
  });

  it('scatters healthy channels as far as it says and no further', () => {
    const ratios = Array.from({ length: 40 }, (_, s) =>
      healthyPack(pack, new Random(s)).channels.map((c) => c.capacityRatio),
    ).flat();
    expect(ss.standardDeviation(ratios)).toBeGreaterThan(0.011);
    expect(ss.standardDeviation(ratios)).toBeLessThan(0.013);
    expect(Math.max(...ratios)).toBeLessThanOrEqual(1 + 2.8 * 0.012 + 1e-9);
  });
});

it('random cases are the same every time and hold at most two faults, a tap wire counting twice', () => {
  for (const seed of [2, 5, 9, 14, 22]) {
    const [a, b] = [randomCase(seed), randomCase(seed)];
    expect(a === null).toBe(b === null);
    if (!a || !b) continue;
    expect(a.faults).toEqual(b.faults);
    expect(a.record.voltageV[0]).toEqual(b.record.voltageV[0]);
    expect(a.faults.length).toBeLessThanOrEqual(4);
  }
});
