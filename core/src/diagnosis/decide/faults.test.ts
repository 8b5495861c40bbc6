import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, type Chemistry, type Pack, valueOf } from '../../pack';
import {
  healthyPack,
  Random,
  simulatePolled,
  simulateRecord,
  driveLegs,
  type Leg,
  type SimPack,
} from '../../simpack';
import { diagnose, spreadReport, type Diagnosis } from '..';

const pack = (chemistry: Chemistry, count = 24): Pack =>
  normalisePack({
    name: 'test',
    chemistry,
    ratedCapacityAh: 60,
    channels: Array.from({ length: count }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
    modules: Array.from({ length: count / 4 }, (_, m) => ({
      id: `M${m + 1}`,
      channels: [1, 2, 3, 4].map((k) => `c${m * 4 + k}`),
    })),
    nominalGroupResistanceMilliohm: 1,
    ocv: defaultOcvTable(chemistry),
    ratedRangeKm: 200,
  });

const REST = (minutes: number): Leg => ({ durationS: minutes * 60, currentA: 0, sampleS: 20 });
/** Rest near full, a drive through most of the charge, rest near empty. */
function through(random: Random): Leg[] {
  return [REST(12), ...driveLegs(random, 25, 38, 20), REST(30)];
}

function run(
  change: (sim: SimPack) => void,
  options: {
    chemistry?: Chemistry;
    legs?: (r: Random) => Leg[];
    startSoc?: number;
    seed?: number;
    polled?: boolean;
  } = {},
): Diagnosis {
  const p = pack(options.chemistry ?? 'nmc');
  const random = new Random(options.seed ?? 21);
  const sim = healthyPack(p, random, 0.9);
  sim.startSoc = options.startSoc ?? 0.93;
  change(sim);
  const legs = (options.legs ?? through)(random);
  return diagnose(options.polled ? simulatePolled(sim, legs, random) : simulateRecord(sim, legs, random), p);
}
const verdicts = (d: Diagnosis): string[] => d.findings.map((f) => `${f.channel} ${f.verdict}`);

describe('each fault by the mark it leaves', () => {
  it('a gap that stays the same in charge is imbalance', () => {
    const d = run((s) => (s.channels[4]!.deltaSoc -= 0.05));
    expect(verdicts(d)).toEqual(['c5 imbalance']);
    expect(d.findings[0]!.estimate.deltaSocPct).toBeCloseTo(-5, 0);
  });

  it('so is one that lies high', () => {
    expect(verdicts(run((s) => (s.channels[4]!.deltaSoc += 0.05)))).toEqual(['c5 imbalance']);
  });

  it('a gap that grows with the charge drawn is low capacity', () => {
    const d = run((s) => {
      s.channels[9]!.capacityRatio = 0.85;
      s.channels[9]!.deltaSoc -= (1 / 0.85 - 1) * (1 - s.startSoc);
    });
    expect(verdicts(d)).toEqual(['c10 low-capacity']);
    expect(d.findings[0]!.estimate.capacityRatio).toBeCloseTo(0.85, 1);
  });

  it('a gap that follows the current is resistance, and a worn cell is told by its slow part: what comes at once may be either', () => {
    const joint = run((s) => (s.channels[2]!.ohmicRatio = 2));
    expect(verdicts(joint)).toEqual(['c3 high-resistance']);
    expect(joint.findings[0]!.reasons.join(' ')).toMatch(/weld, bolt or bus-bar, or the cell/);
    expect(joint.findings[0]!.seat).toBeUndefined();
    const cell = run((s) => {
      s.channels[2]!.ohmicRatio = 1.8;
      s.channels[2]!.slowRatio = 1.8;
    });
    expect(verdicts(cell)).toEqual(['c3 high-resistance']);
    expect(cell.findings[0]!.reasons.join(' ')).toMatch(/the slow part too: the cell itself/);
    expect(cell.findings[0]!.seat).toBe('cell');
  });

  it('a gap that stays the same in volts is the reading, not the cell', () => {
    const d = run((s) => (s.channels[7]!.offsetV -= 0.03));
    expect(verdicts(d)).toEqual(['c8 sense-fault']);
    expect(d.findings[0]!.estimate.offsetMillivolt).toBeCloseTo(-30, -0.5);
  });

  it('neighbours off by opposite volts are one tap wire', () => {
    const d = run((s) => {
      s.channels[12]!.offsetV += 0.04;
      s.channels[13]!.offsetV -= 0.04;
    });
    expect(verdicts(d).sort()).toEqual(['c13 sense-fault', 'c14 sense-fault']);
    expect(d.findings.map((f) => f.pairedWith).sort()).toEqual(['c13', 'c14']);
  });

  it('a channel that sinks day by day at rest is self-discharge', () => {
    const d = run((s) => (s.channels[1]!.leakPerDay += 0.008), {
      startSoc: 0.65,
      legs: () => [{ durationS: 6 * 86400, currentA: 0, sampleS: 6 * 3600 }],
    });
    expect(verdicts(d)).toEqual(['c2 self-discharge']);
    // 0.8 % of 54 A·h a day is 18 mA.
    expect(d.findings[0]!.estimate.leakageMilliamp).toBeGreaterThan(13);
    expect(d.findings[0]!.estimate.leakageMilliamp).toBeLessThan(23);
  });

  it('near 0 V, reversed or far below the floor is dead; a reading that never moves is stuck', () => {
    for (const volts of [0.05, -0.4, 1.3])
      expect(verdicts(run((s) => (s.channels[3]!.fixedV = volts)))).toEqual(['c4 dead']);
    expect(verdicts(run((s) => (s.channels[3]!.stuck = true)))).toEqual(['c4 sense-fault']);
  });

  it('more volts than the chemistry can give is a sense fault', () => {
    expect(verdicts(run((s) => (s.channels[3]!.offsetV = 0.9)))).toEqual(['c4 sense-fault']);
  });
});

describe('what a record cannot tell', () => {
  const snapshot = (): Leg[] => [{ durationS: 25, currentA: 0, sampleS: 5 }];

  it('one snapshot leaves imbalance, capacity and offset open, and says so', () => {
    const d = run((s) => (s.channels[4]!.deltaSoc -= 0.05), { legs: snapshot, startSoc: 0.7 });
    expect(verdicts(d)).toEqual(['c5 undetermined']);
    expect(d.findings[0]!.alternatives.map((a) => a.verdict).sort()).toEqual([
      'imbalance',
      'low-capacity',
      'self-discharge',
      'sense-fault',
    ]);
    expect(d.findings[0]!.reasons.join(' ')).toMatch(/One state of charge cannot tell what it is/);
  });

  it('but a dead channel and a tap wire show in one snapshot', () => {
    expect(verdicts(run((s) => (s.channels[4]!.fixedV = 0.1), { legs: snapshot, startSoc: 0.7 }))).toEqual([
      'c5 dead',
    ]);
    const tap = run(
      (s) => {
        s.channels[4]!.offsetV += 0.05;
        s.channels[5]!.offsetV -= 0.05;
      },
      { legs: snapshot, startSoc: 0.7 },
    );
    expect(verdicts(tap).sort()).toEqual(['c5 sense-fault', 'c6 sense-fault']);
  });

  it('the confidences of what is open add up to one', () => {
    const d = run((s) => (s.channels[4]!.deltaSoc -= 0.05), { legs: snapshot, startSoc: 0.7 });
    const { alternatives, confidence } = d.findings[0]!;
    // What is left is none of those that are named.
    expect(alternatives.reduce((s, a) => s + a.confidence, confidence)).toBeCloseTo(1, 2);
  });
});

describe('packs without a fault', () => {
  it.each<[Chemistry, number]>([
    ['nmc', 1],
    ['nca', 2],
    ['lmo', 3],
    ['lfp', 4],
    ['nmc', 5],
    ['nmc', 6],
  ])('%s, seed %i: nothing is flagged', (chemistry, seed) => {
    expect(verdicts(run(() => undefined, { chemistry, seed }))).toEqual([]);
  });

  it('aged but even is said to be aged, not faulty', () => {
    const p = pack('nmc');
    const random = new Random(31);
    const sim = healthyPack(p, random, 0.66);
    sim.startSoc = 0.93;
    const report = spreadReport(
      simulateRecord(sim, [REST(12), ...driveLegs(random, 20, 26, 20), REST(30)], random),
      p,
    );
    expect(report.findings).toEqual([]);
    expect(report.pack.verdict).toBe('aged');
    expect(valueOf(report.capacityAh)! / (0.66 * 60)).toBeCloseTo(1, 1);
  });
});

describe('records of other kinds', () => {
  it('a polled log is compared with the load of its own moment', () => {
    const legs = (r: Random): Leg[] => driveLegs(r, 30, 4, 4);
    expect(verdicts(run(() => undefined, { polled: true, legs, startSoc: 0.7 }))).toEqual([]);
    const d = run(
      (s) => {
        s.channels[6]!.ohmicRatio = 1.7;
        s.channels[6]!.slowRatio = 1.7;
      },
      { polled: true, legs, startSoc: 0.7 },
    );
    expect(verdicts(d)).toEqual(['c7 high-resistance']);
  });

  it('two faults in one pack are both found', () => {
    const d = run((s) => {
      s.channels[2]!.ohmicRatio = 2;
      s.channels[15]!.deltaSoc -= 0.06;
    });
    expect(verdicts(d).sort()).toEqual(['c16 imbalance', 'c3 high-resistance']);
  });

  it('missing readings and a missing current column do no harm', () => {
    const p = pack('nmc');
    const random = new Random(3);
    const sim = healthyPack(p, random, 0.9);
    sim.startSoc = 0.93;
    sim.channels[4]!.deltaSoc -= 0.08;
    const record = simulateRecord(sim, through(random), random);
    for (let k = 0; k < record.voltageV[4]!.value.length; k += 3) record.voltageV[4]!.value[k] = NaN;
    record.currentA!.value[5] = NaN;
    expect(verdicts(diagnose(record, p))).toEqual(['c5 imbalance']);
    const still = simulateRecord(sim, [{ durationS: 60, currentA: 0, sampleS: 5 }], random);
    expect(() =>
      diagnose({ ...still, currentA: null, reportedSocFraction: null, temperatureC: null }, p),
    ).not.toThrow();
  });

  it('the same seed gives the same record', () => {
    const once = (): Float64Array => {
      const r = new Random(77);
      return simulateRecord(healthyPack(pack('nmc'), r), through(r), r).voltageV[3]!.value;
    };
    expect(once()).toEqual(once());
  });
});
