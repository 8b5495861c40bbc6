import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '../../pack';
import { joinRecords } from '../../scan';
import {
  beadGraphiteCase,
  driveLegs,
  healthyPack,
  physicsCase,
  Random,
  randomCase,
  simulateRecord,
} from '../../simpack';
import { diagnose } from './diagnose';
import { gains } from '../channel/electrodeLoss';
import { PARAMETERS, type Parameter } from '../channel/parameters';
import { spreadReport } from '../report/report';

const packOf = (name: string) =>
  normalisePack(
    JSON.parse(
      readFileSync(new URL(`../../../../demo/packs/${name}.json`, import.meta.url), 'utf8'),
    ) as PackProfile,
  );

describe('on a flat curve', () => {
  it.each([6, 7, 8, 9])(
    'a large gap between two rests is never told as lost capacity, since it is as large at either (%i)',
    (seed) => {
      const pack = packOf('island-bus');
      const rests = [0.9, 0.2].map((soc) => {
        const random = new Random(seed);
        const sim = healthyPack(pack, random);
        sim.startSoc = soc;
        sim.channels[4]!.deltaSoc -= 0.18;
        return simulateRecord(sim, [{ durationS: 600, currentA: 0, sampleS: 10 }], random);
      });
      const alone = rests.map((r) => spreadReport(r, pack).working!);
      const joined = joinRecords(
        rests.map((record, i) => ({ record, startS: i * 3600, ...alone[i]! })),
        alone[0]!.capacityAh,
      );
      const { findings, observed } = diagnose(joined, pack);
      // What was drawn between them was judged by the table: it says nothing of how far that has aged.
      expect(observed.trajectory.ageing).toBeNull();
      const found = findings.filter((f) => f.channel === pack.channels[4]!.id);
      expect(found.map((f) => f.verdict)).toEqual([expect.stringMatching(/^(imbalance|undetermined)$/)]);
    },
  );

  it('charge that is missing and lithium that is lost stay open where the steps do not lie as in the others', () => {
    // By particles: this channel holds three quarters of what the others hold.
    const c = beadGraphiteCase(60_266)!;
    const [fault] = c.faults;
    expect(fault).toMatchObject({ verdict: 'low-capacity' });
    const found = diagnose(c.record, c.pack).findings.find(
      (f) => f.channel === c.pack.channels[fault!.channelIndex]!.id,
    )!;
    expect(found.verdict).toBe('undetermined');
    expect(found.alternatives.map((a) => a.verdict).sort()).toEqual(['imbalance', 'low-capacity']);
    expect(Math.max(...found.alternatives.map((a) => a.confidence))).toBeLessThanOrEqual(0.5);
    expect(found.estimate).toEqual({});
    expect(found.reasons.join(' ')).toMatch(/out of balance or has lost lithium/);
  });
});

describe('a gap over a tenth of the charge', () => {
  it.each([
    ['known', physicsCase, 781_091],
    ['known', physicsCase, 783_230],
    ['not known', beadGraphiteCase, 783_243],
  ])(
    'is never told as lost capacity where missing charge is as near, by particles of a graphite that is %s',
    (_, make, seed) => {
      const { record, pack, faults } = make(seed)!;
      const [fault] = faults;
      expect(fault!.verdict).toBe('imbalance');
      const report = spreadReport(record, pack);
      const [found] = report.findings;
      expect(found).toMatchObject({
        channelIndex: fault!.channelIndex,
        verdict: 'undetermined',
        estimate: {},
      });
      expect(found!.alternatives.map((a) => a.verdict)).toContain('imbalance');
      expect(Math.max(...found!.alternatives.map((a) => a.confidence))).toBeLessThanOrEqual(0.6);
      expect(report.nextTest).toMatch(/near empty|near full|until it is full/);
    },
  );
});

describe('a loss of capacity, on a flat curve', () => {
  it.each([
    ['circuits', randomCase(783_076)!],
    ['circuits, driven', randomCase(60_484)!],
    ['particles', physicsCase(783_278)!],
  ])(
    'is not told of a sound channel whose steps lie a little elsewhere (%s)',
    (_, { record, pack, faults }) => {
      const faulty = new Set(faults.map((f) => pack.channels[f.channelIndex]!.id));
      expect(diagnose(record, pack).findings.filter((f) => !faulty.has(f.channel))).toEqual([]);
    },
  );
  it.each([60_013, 780_067])('is told where it is plain (%i)', (seed) => {
    const { record, pack, faults } = randomCase(seed)!;
    const [fault] = faults;
    expect(fault!.verdict).toBe('low-capacity');
    const found = diagnose(record, pack).findings.find(
      (f) => f.channel === pack.channels[fault!.channelIndex]!.id,
    );
    expect(found).toMatchObject({ verdict: 'low-capacity' });
    expect(Math.abs(found!.estimate.capacityRatio! - fault!.size!)).toBeLessThan(
      2 * found!.estimate.capacityRatioSd!,
    );
  });
});

describe('lithium that is lost, on a flat curve', () => {
  it.each([60_115, 60_122])(
    'is told, and how much is left, once the steps of the pack are found (%i)',
    (seed) => {
      // By particles, and by those of a graphite that is not known.
      for (const make of [physicsCase, beadGraphiteCase]) {
        const { record, pack, faults } = make(seed)!;
        const id = pack.channels[faults[0]!.channelIndex]!.id;
        expect(faults).toMatchObject([{ verdict: 'low-capacity', determinable: true }]);
        const { findings } = diagnose(record, pack);
        expect(findings.map((f) => [f.channel, f.verdict])).toEqual([[id, 'low-capacity']]);
        const says = findings[0]!.reasons.join(' ');
        expect(says).toMatch(
          /comes and goes with the steps of the curve \([−+]\d+ mV at \d+ %\)|grows with the charge/,
        );
        expect(says).not.toMatch(/[−+]0 mV/);
        const { capacityRatio, capacityRatioSd } = findings[0]!.estimate;
        expect(Math.abs(capacityRatio! - faults[0]!.size!)).toBeLessThan(2 * capacityRatioSd!);
      }
    },
  );
});

describe('a loss that may be too small to matter', () => {
  it('is told no surer than it is large enough', () => {
    // By particles: channel 60 is sound, and its steps look as if it held six hundredths less, give or take two.
    const { record, pack, faults } = physicsCase(250_033)!;
    const { findings } = diagnose(record, pack);
    const sound = findings.filter(
      (f) => !faults.some((x) => pack.channels[x.channelIndex]!.id === f.channel),
    );
    for (const f of sound) expect(f.confidence).toBeLessThan(0.85);
    expect(findings[0]!.verdict).toBe('low-capacity');
    expect(findings[0]!.confidence).toBeGreaterThan(0.6);
  });
});

describe('an imbalance on a flat curve', () => {
  it.each([760_111, 760_284])(
    'is told where readings near full show it too, however the steps lie (%i)',
    (seed) => {
      const { record, pack, faults } = physicsCase(seed)!;
      const id = pack.channels[faults[0]!.channelIndex]!.id;
      expect(faults[0]!.verdict).toBe('imbalance');
      const found = diagnose(record, pack).findings.find((f) => f.channel === id)!;
      expect(found.verdict).toBe('imbalance');
      expect(found.confidence).toBeLessThanOrEqual(0.88);
    },
  );

  it('is told no surer than it turns out, with the lithium that may be lost instead and the test that tells', () => {
    // By particles: this channel holds three quarters of what the others hold, and a fit cannot see it.
    const lost = physicsCase(60_266)!;
    const pack = packOf('island-bus');
    const random = new Random(5);
    const sim = healthyPack(pack, random);
    sim.startSoc = 0.95;
    sim.channels[4]!.deltaSoc -= 0.06;
    const away = { durationS: 900, currentA: 0, sampleS: 10 };
    const low = simulateRecord(sim, [away, ...driveLegs(random, 60, 40, 10), away], random);
    for (const [record, own, channel] of [
      [lost.record, lost.pack, lost.faults[0]!.channelIndex],
      [low, pack, 4],
    ] as const) {
      const report = spreadReport(record, own);
      const found = report.findings.find((f) => f.channel === own.channels[channel]!.id)!;
      expect(['imbalance', 'undetermined']).toContain(found.verdict);
      expect(found.confidence).toBeLessThanOrEqual(0.8);
      expect(found.alternatives.map((a) => a.verdict)).toContain('low-capacity');
      expect(found.reasons.join(' ')).toMatch(/lithium/);
      expect(report.nextTest).toMatch(/^Charge the pack until it is full/);
    }
  });
});

describe('a pack with a flat curve that stood at one state of charge', () => {
  it.each([770_014, 770_175])(
    'has no wrong reading told that a gap in charge could be as well, and the meter is the next test (%i)',
    (seed) => {
      const { record, pack, faults } = physicsCase(seed)!;
      // By the true cells the cause cannot be told.
      expect(faults).toMatchObject([{ verdict: 'sense-fault', determinable: false }]);
      const report = spreadReport(record, pack);
      const found = report.findings.find((f) => f.channelIndex === faults[0]!.channelIndex)!;
      expect(found.verdict).toBe('undetermined');
      expect(found.alternatives.map((a) => a.verdict)).toEqual(
        expect.arrayContaining(['sense-fault', 'imbalance']),
      );
      expect(report.nextTest).toMatch(/^Meter /);
    },
  );
});

describe('nothing grows in a cell', () => {
  const theta = (given: Partial<Record<Parameter, number>>): { theta: Float64Array } => ({
    theta: Float64Array.from(PARAMETERS, (p) => given[p] ?? 0),
  });
  it('so a loss is none that needs more lithium or more material than the others have', () => {
    expect(gains(theta({ slip: 0.2 }))).toBe(false);
    expect(gains(theta({ stretch: 0.3 }))).toBe(false);
    // Of the positive electrode a quarter is lost: the negative one is as it was.
    expect(gains(theta({ capacity: 1 / 3, stretch: -0.25 }))).toBe(false);
    expect(gains(theta({ slip: -0.2 }))).toBe(true);
    expect(gains(theta({ capacity: -0.1 }))).toBe(true);
    expect(gains(theta({ capacity: 0.37, slip: 0.1, stretch: -0.42 }))).toBe(true);
  });
  it('and charge that is missing is told for what it is, by particles', () => {
    const c = physicsCase(60_078)!;
    const [fault] = c.faults;
    const id = c.pack.channels[fault!.channelIndex]!.id;
    expect(diagnose(c.record, c.pack).findings.map((f) => [f.channel, f.verdict])).toEqual([
      [id, fault!.verdict],
    ]);
  });
});
