import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../../pack';
import {
  aged,
  driveLegs,
  healthyPack,
  newCell,
  particleVoltage,
  Random,
  simulateRecord,
} from '../../simpack';
import { diagnose } from '../decide/diagnose';
import { robustLine } from './thermalGradient';

const COUNT = 48;
const ids = Array.from({ length: COUNT }, (_, i) => `c${i + 1}`);
const pack = normalisePack({
  name: 'a pack with a cold end',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: ids.map((id) => ({ id, cells: 1 })),
  modules: Array.from({ length: COUNT / 4 }, (_, m) => ({
    id: `M${m + 1}`,
    channels: ids.slice(4 * m, 4 * m + 4),
  })),
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});

it('draws the line that scipy.stats.theilslopes draws, outliers and all', () => {
  const random = new Random(7);
  const x = Array.from({ length: 30 }, (_, i) => i);
  const y = x.map((v) => 0.3 * v - 1 + random.normal(0.4) + (v % 11 === 5 ? 9 : 0));
  const run = spawnSync(
    '/usr/bin/python3',
    [
      '-c',
      'import json,sys; from scipy.stats import theilslopes; d=json.load(sys.stdin); r=theilslopes(d["y"],d["x"]); print(json.dumps([r[0]]))',
    ],
    { encoding: 'utf8', input: JSON.stringify({ x, y }) },
  );
  const [slope] = JSON.parse(run.stdout) as [number];
  expect(robustLine(x, y).slope).toBeCloseTo(slope, 10);
  expect(robustLine(x, y).t).toBeGreaterThan(20);
  const flat = x.map(() => random.normal(1));
  expect(robustLine(x, flat).t).toBeLessThan(4);
});

describe('a pack whose one end is 8 °C colder', () => {
  // Particle cells: what temperature does to diffusion, charge transfer and electrolyte is theirs, not the diagnosis'.
  const random = new Random(31);
  const legs = driveLegs(random, 40, 6, 2);
  const timeS = [0];
  const currentA = [0];
  for (const leg of legs)
    for (let k = 0; k < Math.round(leg.durationS / leg.sampleS); k++) {
      timeS.push(timeS.at(-1)! + leg.sampleS);
      currentA.push(leg.currentA);
    }
  const time = Float64Array.from(timeS);
  const cell = aged(newCell('nmc', 60), 0.06, 0.04, 0.03);
  const recordOf = (jointAt: number | null) => ({
    channelIds: ids,
    voltageV: ids.map((_, i) => {
      const own = {
        ...cell,
        ohmicOhm: cell.ohmicOhm * (1 + random.normal(0.03)) * (i === jointAt ? 2.2 : 1),
      };
      const volts = particleVoltage(own, 0.6 * cell.negativeAh, timeS, currentA, 14 + (8 * i) / COUNT);
      return { timeS: time, value: volts.map((v) => Math.round(1000 * (v + random.normal(0.0008))) / 1000) };
    }),
    currentA: { timeS: time, value: Float64Array.from(currentA) },
    temperatureC: null,
    reportedSocFraction: null,
    simultaneous: true,
    notices: [],
  });

  it('has no bad joints for that, and its real one is found', () => {
    expect(diagnose(recordOf(null), pack).findings).toEqual([]);
    const { findings } = diagnose(recordOf(3), pack);
    expect(findings.map((f) => [f.channel, f.verdict])).toEqual([['c4', 'high-resistance']]);
  });
});

describe('a sense wire on a bar that carries the current', () => {
  const record = (ohm: number, alone = false, half = 1) => {
    const random = new Random(77);
    const sim = healthyPack(pack, random, 0.9);
    sim.startSoc = 0.7;
    sim.channels[9]!.tapOhm = -ohm;
    if (!alone) sim.channels[10]!.tapOhm = half * ohm;
    return simulateRecord(sim, driveLegs(random, 40, 6, 2), random);
  };

  it('is no bad joint: two neighbours follow the current the opposite way', () => {
    for (const ohm of [0.0006, -0.0006]) {
      const { findings } = diagnose(record(ohm), pack);
      expect(findings.map((f) => [f.channel, f.verdict, f.pairedWith]).sort()).toEqual([
        ['c10', 'sense-fault', 'c11'],
        ['c11', 'sense-fault', 'c10'],
      ]);
      expect(findings[0]!.reasons[0]).toMatch(/joint that carries the current/);
    }
  });

  it('is so where both halves are not quite as large, if no cell would have so little resistance', () => {
    const { findings } = diagnose(record(-0.0012, false, 0.65), pack);
    expect(findings.map((f) => [f.channel, f.verdict, f.pairedWith]).sort()).toEqual([
      ['c10', 'sense-fault', 'c11'],
      ['c11', 'sense-fault', 'c10'],
    ]);
  });

  it('is not healthy where one channel alone rises under load', () => {
    const { findings } = diagnose(record(-0.0015, true), pack);
    expect(findings.map((f) => [f.channel, f.verdict])).toEqual([['c10', 'sense-fault']]);
    expect(findings[0]!.reasons[0]).toMatch(/no cell does that/);
    // Half of what worn cells have is a new one among them.
    expect(diagnose(record(-0.0004, true), pack).findings.filter((f) => f.verdict === 'sense-fault')).toEqual(
      [],
    );
  });

  it('leaves a joint without such a neighbour what it is', () => {
    const { findings } = diagnose(record(0.0006, true), pack);
    expect(findings.map((f) => [f.channel, f.verdict])).toEqual([['c10', 'high-resistance']]);
  });
});

it('gives no verdict that leaves most of what was seen unexplained', () => {
  const random = new Random(5);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.8;
  const record = simulateRecord(sim, driveLegs(random, 40, 8, 2), random);
  // Something no cause knows: a channel that comes and goes by 30 mV every minute.
  const odd = record.voltageV[20]!;
  odd.value = odd.value.map((v, k) => v + (Math.floor(odd.timeS[k]! / 60) % 2 === 0 ? 0.03 : 0));
  const found = diagnose(record, pack).findings.find((f) => f.channel === 'c21')!;
  expect(found.verdict).toBe('undetermined');
  expect(found.reasons[0]).toMatch(/Nothing known explains it/);
  expect(found.leftMv!).toBeGreaterThan(8);
});
