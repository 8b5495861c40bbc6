import { describe, expect, it } from 'vitest';
import { ocvCurve } from '../../pack';
import { newNickelCell, nickelCase, nickelRestV, particleCase } from '../../simpack';
import { nickelTable } from '../../simpack/physicsCell';
import { branchCourse, branchOf, lowerBranch } from './hysteresis';
import { diagnose } from '../decide/diagnose';
import { healthyBaselineOf } from '../baseline/healthyBaseline';
import { observe } from '../channel/deviations';

const drawn = Float64Array.from([0, 0.6, 1.2, 1.2, 0.9, 0.3]);
const days = Float64Array.from([0, 0.01, 0.02, 0.2, 0.21, 0.23]);

describe('where a rest voltage comes from', () => {
  it('is walked from one branch to the other by the charge that flows, as worked out by hand', () => {
    const { free, driven } = branchCourse(drawn, days, 0, 6, 14);
    // A fifth of the charge out: what is left of the start is e^(−14/5), the rest is the lower branch.
    expect(free[2]).toBeCloseTo(Math.exp(-2.8), 12);
    expect(driven[2]).toBeCloseTo(Math.exp(-2.8) - 1, 12);
    // A rest changes nothing; then 15 % of it in again.
    expect(driven[3]).toBe(driven[2]);
    expect(driven[5]).toBeCloseTo((driven[2]! - 1) * Math.exp(-2.1) + 1, 12);
    // Where charge goes by itself a rest walks down too.
    expect(branchCourse(drawn, days, 0.1, 6, 14).driven[3]).toBeLessThan(driven[2]!);
  });

  it('is another one in a channel that is drawn down sooner or leaks: the slopes are those of the courses of such channels', () => {
    const given = { halfV: 0.02, startV: 0.012, topV: 0.01 };
    const here = branchOf(given, 14, drawn, days, 0.008, 6);
    const { free, driven } = branchCourse(drawn, days, 0.008, 6 / 1.03, 14);
    const sooner = driven.map((d, k) => 0.02 * (d + 1) + 0.012 * free[k]!);
    const leaking = branchCourse(drawn, days, 0.018, 6, 14);
    sooner.forEach((v, k) => {
      expect(Math.abs(v - here.addsV[k]! - 0.03 * here.byGainV[k]!)).toBeLessThan(3e-5);
      const leaksV = 0.02 * (leaking.driven[k]! + 1) + 0.012 * leaking.free[k]!;
      expect(Math.abs(leaksV - here.addsV[k]! - 0.01 * here.byLeakV[k]!)).toBeLessThan(5e-5);
    });
  });

  it('leaves the curve of one branch when it is taken off a table that a workshop ran, steeper nowhere by a fifth', () => {
    const cell = newNickelCell(6);
    const table = ocvCurve(nickelTable(cell, 2));
    const none = new Float64Array(1);
    const curve = ocvCurve(
      lowerBranch(table, branchOf({ halfV: 0.02, startV: 0, topV: 0.02 }, 15, none, none, 0, 6)),
    );
    const slope = (of: (s: number) => number, s: number): number => (of(s + 0.02) - of(s - 0.02)) / 0.04;
    for (let s = 0.15; s < 0.95; s += 0.05) {
      const real = slope((x) => nickelRestV(cell, 6 * (1 - x), -1), s);
      expect(Math.abs(Math.log(slope((x) => curve.voltageAt(x), s) / real))).toBeLessThan(0.2);
    }
    // The table itself is half as steep again near full.
    expect(slope((x) => table.voltageAt(x), 0.95)).toBeGreaterThan(
      1.4 * slope((x) => nickelRestV(cell, 6 * (1 - x), -1), 0.95),
    );
  });
});

// Packs of particles, in whose cells nothing is as the diagnosis supposes it but that they remember.
describe('the diagnosis of packs that remember', () => {
  it('finds the gap between the branches and the charge, from near full down and up again', () => {
    const off: number[] = [];
    for (const [seed, halfV, soc] of [
      [1, 0.0129, 0.928],
      [5, 0.0278, 0.914],
      [6, 0.0199, 0.957],
      [13, 0.0137, 0.936],
      [47, 0.0163, 0.905],
    ] as const) {
      const c = nickelCase(seed)!;
      expect(c.recordClass).toBe('full');
      const { trajectory } = observe(c.record, c.pack);
      expect(Math.abs(trajectory.socFraction[0]! - soc)).toBeLessThan(0.03);
      off.push(Math.log(trajectory.branch!.halfV / halfV));
    }
    for (const o of off) expect(Math.abs(o)).toBeLessThan(0.35);
  });

  it.each([5, 56, 77, 132])('tells missing charge for what it is, and no wrong reading: pack %i', (seed) => {
    const { record, pack, faults } = nickelCase(seed)!;
    const [fault] = faults;
    expect(fault!.verdict).toBe('imbalance');
    expect(diagnose(record, pack).findings.map((f) => [f.channel, f.verdict])).toEqual([
      [pack.channels[fault!.channelIndex]!.id, 'imbalance'],
    ]);
  });
});

it.each([45, 70, 93])(
  'follows a particle pack between the readings of a polled record nearly as well as it is read: pack %i',
  (seed) => {
    const { record, pack, recordClass } = particleCase(seed)!;
    expect(recordClass).toBe('polled');
    const { noiseV } = healthyBaselineOf(record, pack, observe(record, pack), [...pack.channels.keys()]);
    // The readings are good to about 1 mV; by current, two lags and a drift alone it is 3.4 to 4.8 mV.
    expect(noiseV).toBeLessThan(0.0022);
  },
);
