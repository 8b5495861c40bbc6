import { describe, expect, it } from 'vitest';
import { ferryShuttle, islandBus, marramVan } from '../../../cli/src/demoPacks';
import { ntcTemperature } from '../jot';
import { ocvCurve, type PackProfile } from '../pack';
import { Random } from '../simpack';
import { judgeHeld, type HeldReading } from './held';
import { warming } from './warming';

/** A module by the curve alone: it loses a share of its charge a month, read to half a millivolt at a steady warmth. */
function left(
  profile: PackProfile,
  cells: number,
  soc: number,
  monthShare: number,
  days: number,
  seed = 1,
): HeldReading[] {
  const curve = ocvCurve(profile.ocv);
  const r = new Random(seed);
  return Array.from({ length: days * 4 + 1 }, (_, k) => {
    const h = 6 * k;
    return { h, v: cells * curve.voltageAt(soc - (monthShare * h) / 720) + r.normal(0, 0.0005), c: 20 };
  });
}
const van = marramVan();

describe('a module that is left alone', () => {
  it('is told by the share it loses, whatever it holds: one that loses a tenth a month leaks, one that loses a hundredth holds', () => {
    const leaks = judgeHeld(van, 4, left(van, 4, 0.8, 0.1, 14), { socFraction: 0.8, capacityAh: null })!;
    expect(leaks.verdict).toBe('fail');
    expect(Math.abs(leaks.monthShare!.value - 0.1)).toBeLessThan(
      Math.max(0.02, 2 * leaks.monthShare!.halfWidth),
    );
    const holds = judgeHeld(van, 4, left(van, 4, 0.8, 0.005, 14), { socFraction: 0.8, capacityAh: null })!;
    expect(holds.verdict).not.toBe('fail');
    // The capacity changes no verdict, only whether there is a current to tell: share of charge over 720 h.
    const known = judgeHeld(van, 4, left(van, 4, 0.8, 0.1, 14), { socFraction: 0.8, capacityAh: 50 })!;
    expect(known.verdict).toBe('fail');
    expect(known.monthShare!.value).toBeCloseTo(leaks.monthShare!.value, 6);
    expect(known.leakMilliamp!.value).toBeCloseTo((known.monthShare!.value * 50_000) / 720, 6);
  });

  it('has no leakage in milliamps where nobody measured what it holds, and none at all without warmth or level', () => {
    const readings = left(van, 4, 0.8, 0.1, 14);
    const bare = judgeHeld(van, 4, readings, { socFraction: 0.8, capacityAh: null })!;
    expect(bare.leakMilliamp).toBeNull();
    expect(JSON.stringify(bare)).not.toMatch(/\d mA/);
    const cold = judgeHeld(
      van,
      4,
      readings.map((r) => ({ ...r, c: null })),
      { socFraction: 0.8, capacityAh: 50 },
    )!;
    expect(cold).toMatchObject({ verdict: 'inconclusive', monthShare: null, leakMilliamp: null });
    expect(cold.missing.join()).toMatch(/warmth/);
    // On the flat of LFP a voltage does not say how full it was; on NMC it does.
    const bus = islandBus();
    const curve = ocvCurve(bus.ocv);
    const flattest = [0.3, 0.4, 0.5, 0.6, 0.7, 0.8].sort((a, b) => curve.slopeAt(a) - curve.slopeAt(b))[0]!;
    const flat = left(bus, 12, flattest, 0.02, 14);
    expect(judgeHeld(bus, 12, flat, { socFraction: null, capacityAh: 200 })).toMatchObject({
      verdict: 'inconclusive',
      monthShare: null,
    });
    expect(judgeHeld(van, 4, readings, { socFraction: null, capacityAh: 50 })!.verdict).toBe('fail');
    expect(judgeHeld(van, 4, [], { socFraction: 1, capacityAh: 50 })).toBeNull();
  });

  // numbers of the trade: 20 A·h in over two days and 0 V eight hours later is dead.
  it('that collapses is dead, whatever else is not known', () => {
    const shuttle = ferryShuttle();
    const gone: HeldReading[] = [
      { h: 0, v: 8.1, c: null },
      { h: 8, v: 0.02, c: null },
    ];
    expect(judgeHeld(shuttle, 6, gone, { socFraction: null, capacityAh: null })).toMatchObject({
      verdict: 'dead',
      leakMilliamp: null,
    });
  });
});

describe('a module that grows warm on its charger', () => {
  // A 10 kΩ sensor that falls from 10 k (25 °C) to 6.2 k in twenty minutes: by B = 3435 K, IEC 60539, some 37 °C.
  it('is told before its limit is there', () => {
    const ends = [10_000, 8200, 6200].map((ohm, k) => ({ min: 10 * k, c: ntcTemperature(ohm).celsius }));
    expect(ends[0]!.c).toBeCloseTo(25, 1);
    const told = warming(ends, 45, 1)!;
    expect(told.cPerMin).toBeCloseTo((ends[2]!.c - ends[0]!.c) / 20, 9);
    expect(told.limitInMin).toBeGreaterThan(5);
    expect(told.limitInMin).toBeLessThan(20);
    expect(told.says).toMatch(/45 °C in \d+ min/);
  });
  it('stops at a degree a minute and at its limit; what is steady, cools, or lies hours apart says nothing', () => {
    const rise = (...c: number[]) => c.map((x, k) => ({ min: 5 * k, c: x }));
    expect(warming(rise(30, 35.5, 41), 45, 1)!.says).toMatch(/takes no more charge. Stop it now/);
    expect(warming(rise(30, 46), 45, 1)!.says).toMatch(/stop it now, the limit is 45/);
    expect(warming(rise(30, 30.2, 30.1), 45, 1)).toBeNull();
    expect(warming(rise(38, 33, 30), 45, 1)).toBeNull();
    expect(
      warming(
        [
          { min: 0, c: 20 },
          { min: 300, c: 38 },
        ],
        45,
        1,
      ),
    ).toBeNull();
    expect(warming([], 45, 1)).toBeNull();
  });
});
