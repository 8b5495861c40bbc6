import { describe, expect, it } from 'vitest';
import { yardTug } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { lifeByHealth, lifeBySubtraction } from '../range';
import { driveLegs, healthyPack, Random, simulateRecord } from '../simpack';
import { spreadReport } from '../diagnosis';
import { buyersCheck } from '.';

describe('life of a used pack', () => {
  // Two check values of the trade, common practice, no source: 78 000 miles of a 107 mile pack in 8 years leave 3 %,
  // 38 000 miles of a 226 mile pack in 2 years leave 77 %.
  it('by subtraction', () => {
    const old = lifeBySubtraction(78_000, 107, 8);
    expect(old.distanceShare).toBeCloseTo(0.73, 2);
    expect(old.calendarShare).toBeCloseTo(0.24, 9);
    expect(old.leftShare).toBeCloseTo(0.03, 2);
    expect(lifeBySubtraction(38_000, 226, 2).leftShare).toBeCloseTo(0.77, 2);
  });

  it('by health: with the square root of time, half the loss to go takes three times as long again', () => {
    expect(lifeByHealth(0.85, 0, 4).yearsLeft).toBeCloseTo(12, 6);
    const wide = lifeByHealth(0.85, 0.03, 4);
    expect(wide.fromYears).toBeLessThan(12);
    expect(wide.toYears).toBeGreaterThan(12);
    expect(lifeByHealth(0.6, 0.02, 9).yearsLeft).toBe(0);
  });
});

const pack = normalisePack(yardTug());
function report(
  health: number,
  change: (sim: ReturnType<typeof healthyPack>) => void = () => undefined,
  whole = true,
) {
  const random = new Random(21);
  const sim = healthyPack(pack, random, health);
  sim.startSoc = 0.95;
  change(sim);
  const rest = { durationS: 900, currentA: 0, sampleS: 15 };
  return spreadReport(
    simulateRecord(
      sim,
      whole
        ? [rest, ...driveLegs(random, 30, sim.capacityAh * 0.72, 15), { ...rest, durationS: 2400 }]
        : [rest],
      random,
    ),
    pack,
  );
}
const facts = { odometerKm: 30_000, ageYears: 3, insulationOhm: 2e6, codes: [] };

describe('the buyer’s check', () => {
  it('calls a good pack sound and gives the reasons', () => {
    const check = buyersCheck(report(0.94), pack, facts);
    expect(check.verdict).toBe('sound');
    expect(check.lacking).toEqual([]);
    expect(check.lines.map((l) => l.what)).toContain('Life by distance and years');
  });

  it('cannot tell from one end alone, and says what is lacking', () => {
    const check = buyersCheck(report(0.94, undefined, false), pack, { ...facts, insulationOhm: null });
    expect(check.verdict).toBe('cannot tell yet');
    expect(check.lacking.join(' ')).toMatch(/near empty.*insulation/);
  });

  it('advises against leaking, worn and dead packs', () => {
    expect(buyersCheck(report(0.94), pack, { ...facts, insulationOhm: 20_000 }).verdict).toBe('leave it');
    expect(buyersCheck(report(0.66), pack, facts).verdict).toBe('leave it');
    expect(
      buyersCheck(
        report(0.94, (s) => (s.channels[9]!.fixedV = 0.1)),
        pack,
        facts,
      ).verdict,
    ).toBe('leave it');
  });

  it('keeps a reserve where something is to be settled first', () => {
    const check = buyersCheck(report(0.94), pack, { ...facts, codes: [{ code: 'P0AA6', severity: 'stop' }] });
    expect(check.verdict).toBe('with reserve');
    expect(check.because).toMatch(/trouble codes/);
  });
});
