import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '../../pack';
import { readScanCsv } from '../../scan';
import { diagnose, spreadReport } from '..';

const demo = join(import.meta.dirname, '../../../../demo');
const van = normalisePack(
  JSON.parse(readFileSync(join(demo, 'packs/marram-3-van.json'), 'utf8')) as PackProfile,
);
const read = (name: string) => readScanCsv(readFileSync(join(demo, name), 'utf8'), van);

describe('diagnosis of the demo van', () => {
  const report = spreadReport(read('marram-3-before.csv'), van);
  const of = (channel: string) => report.findings.find((f) => f.channel === channel);

  it('finds the weak module, and that balancing would not help it', () => {
    expect(of('ch027')).toMatchObject({ verdict: 'low-capacity', module: 'M07' });
    expect(of('ch027')!.estimate.capacityRatio).toBeCloseTo(0.86, 1);
    expect(report.findings[0]!.module).toBe('M07');
  });

  it('tells the module that is only out of balance', () => {
    for (const channel of ['ch061', 'ch062', 'ch063', 'ch064']) {
      expect(of(channel)?.verdict).toBe('imbalance');
      expect(of(channel)!.estimate.deltaSocPct).toBeLessThan(-2);
    }
  });

  it('accuses nobody else, and nobody at all after the repair', () => {
    expect(report.findings.every((f) => ['M07', 'M16'].includes(f.module))).toBe(true);
    expect(diagnose(read('marram-3-after.csv'), van).findings).toEqual([]);
  });

  it('estimates what the simulated pack really holds', () => {
    // The simulator's truth: 0.91 of 117 A·h.
    const { capacityAh, health } = report;
    if (!capacityAh.measured || !health.measured) throw new Error('not measured');
    expect(capacityAh.value).toBeGreaterThan(0.98 * 0.91 * 117);
    expect(capacityAh.value).toBeLessThan(1.02 * 0.91 * 117);
    expect(capacityAh.low).toBeLessThan(0.91 * 117);
    expect(capacityAh.high).toBeGreaterThan(0.91 * 117);
    expect(health.value).toBeCloseTo(0.91, 1);
  });
});

const cases = join(import.meta.dirname, '../../../cases/scan');
interface Truth {
  determinable: boolean;
  faults: { channel: string; verdict: string; determinable?: boolean }[];
}

describe('recorded cases with known truth', () => {
  const names = readdirSync(cases).filter((n) => n.startsWith('case-'));
  it.each(names)('%s', (name) => {
    const pack = normalisePack(
      JSON.parse(readFileSync(join(cases, name, 'pack.json'), 'utf8')) as PackProfile,
    );
    const record = readScanCsv(readFileSync(join(cases, name, 'scan.csv'), 'utf8'), pack);
    const truth = JSON.parse(readFileSync(join(cases, name, 'truth.json'), 'utf8')) as Truth;
    const expected = truth.faults
      .map(
        (f) => `${f.channel} ${truth.determinable && f.determinable !== false ? f.verdict : 'undetermined'}`,
      )
      .sort();
    expect(
      diagnose(record, pack)
        .findings.map((f) => `${f.channel} ${f.verdict}`)
        .sort(),
    ).toEqual(expected);
  });
});
