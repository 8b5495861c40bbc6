import { describe, expect, it } from 'vitest';
import { defaultOcvTable, factsOf, measured, normalisePack, notMeasured, withLimit } from '../../pack';
import { driveLegs, healthyPack, Random, simulateRecord } from '../../simpack';
import { consequenceOf } from './consequence';
import { diagnose } from './diagnose';
import { spreadReport } from '../report/report';

const ids = Array.from({ length: 24 }, (_, i) => `c${i + 1}`);
const profile = {
  name: 'two dozen',
  chemistry: 'nmc' as const,
  ratedCapacityAh: 60,
  channels: ids.map((id) => ({ id, cells: 1 })),
  modules: Array.from({ length: 6 }, (_, m) => ({ id: `M${m + 1}`, channels: ids.slice(4 * m, 4 * m + 4) })),
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
};
const pack = normalisePack(profile);
const none = notMeasured('no current', 'log a drive');
const known = {
  pack,
  channelIndex: 0,
  capacityAh: measured(50, 1, 'counted', 0),
  resistanceMilliohm: measured(0.8, 0.05, 'steps', 0),
};

describe('what a finding does to the vehicle', () => {
  it('is Ohm’s and Joule’s law for a resistance', () => {
    const told = consequenceOf({ verdict: 'high-resistance', estimate: { resistanceRatio: 2.5 } }, known);
    // 1.5 · 0.8 mΩ = 1.2 mΩ; at 60 A 72 mV and 4.3 W.
    expect(told).toMatch(/At 60 A it sags about 72 mV .* about 4\.3 W of heat in a joint or the cell/);
  });

  it('is charge over current for a leak', () => {
    // Twice what matters of 50 A·h at 10 mA.
    const days = (2 * factsOf('nmc').matters.socFraction * 50_000) / (24 * 10);
    expect(consequenceOf({ verdict: 'self-discharge', estimate: { leakageMilliamp: 10 } }, known)).toContain(
      `about ${Math.round(days)} days`,
    );
  });

  it('moves the limits by which the vehicle goes, the dangerous way named', () => {
    const own = normalisePack(withLimit(withLimit(profile, 'cellFullV', 4.2), 'cellEmptyV', 3));
    const of = (offsetMillivolt: number): string =>
      consequenceOf({ verdict: 'sense-fault', estimate: { offsetMillivolt } }, { ...known, pack: own });
    expect(of(-40)).toMatch(/charge this one to 4\.24 V where 4\.20 V is full/);
    expect(of(40)).toMatch(/go to 2\.96 V where 3\.00 V is empty/);
  });

  it('says nothing that the record does not measure', () => {
    const blind = { ...known, capacityAh: none, resistanceMilliohm: none };
    expect(consequenceOf({ verdict: 'high-resistance', estimate: { resistanceRatio: 2.5 } }, blind)).toBe('');
    expect(consequenceOf({ verdict: 'self-discharge', estimate: { leakageMilliamp: 10 } }, blind)).toBe('');
    expect(consequenceOf({ verdict: 'high-resistance', estimate: {} }, known)).toBe('');
    expect(consequenceOf({ verdict: 'sense-fault', estimate: {} }, known)).toBe('');
    expect(consequenceOf({ verdict: 'undetermined', estimate: {} }, known)).toBe('');
  });
});

describe('what differs and does no harm', () => {
  const record = (change: (s: ReturnType<typeof healthyPack>) => void) => {
    const random = new Random(88);
    const sim = healthyPack(pack, random, 0.9);
    // A pack that is very even, so that a little shows.
    sim.channels = sim.channels.map((c) => ({ ...c, deltaSoc: c.deltaSoc / 6, offsetV: c.offsetV / 3 }));
    sim.startSoc = 0.95;
    change(sim);
    return simulateRecord(sim, driveLegs(random, 30, 38, 10), random);
  };

  it('is named with how much would matter, and nobody is accused', () => {
    const { findings, differences } = diagnose(
      record((s) => (s.channels[9]!.deltaSoc -= 0.014)),
      pack,
    );
    expect(findings).toEqual([]);
    expect(differences.map((d) => d.channel)).toContain('c10');
    const one = differences.find((d) => d.channel === 'c10')!;
    expect(one.module).toBe('M3');
    const [is, would] = [...one.says.matchAll(/([\d.]+) %/g)].map((m) => Number(m[1]));
    expect(is).toBeLessThan(would!);
  });

  it('is no difference that would matter: that is a finding, and not both', () => {
    const report = spreadReport(
      record((s) => (s.channels[9]!.deltaSoc -= 0.06)),
      pack,
    );
    expect(report.findings.map((f) => f.channel)).toEqual(['c10']);
    expect(report.differences!.map((d) => d.channel)).not.toContain('c10');
  });
});
