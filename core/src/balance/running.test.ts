import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, ocvCurve } from '../pack';
import { Random } from '../simpack/random';
import { movedOf, movedText, remainingToLevel, type RestOnTheWay } from './running';

const profile = { ocv: defaultOcvTable('nmc'), ratedCapacityAh: 65 };
const curve = ocvCurve(profile.ocv);

describe('a balancing that runs', () => {
  it('is the weighted straight line that scipy fits, with its errors', () => {
    const rests = [0, 4.2, 9.1].map((movedAh, i): RestOnTheWay => ({
      movedAh,
      restV: 4 * (curve.voltageAt(0.52 + movedAh / 61.5) + [0.0006, -0.0009, 0.0004][i]!),
    }));
    const ask = { socTarget: curve.socAt(4.03), targetSd: 0, capacityAh: { value: 60, sd: 3 }, currentA: 8 };
    const points = rests.map((r) => {
      const [low, high] = curve.socInterval(r.restV / 4, 0.002);
      return {
        q: r.movedAh,
        s: (low + high) / 2,
        sd: Math.hypot((high - low) / 4, (0.005 * r.movedAh) / 60, 1e-5),
      };
    });
    const script = `
import json, sys, numpy as np
from scipy.optimize import curve_fit
d = json.load(sys.stdin)
x = [p['q'] for p in d] + [None]; y = [p['s'] for p in d] + [1/60]; sd = [p['sd'] for p in d] + [3/3600]
f = lambda i, s0, u: np.array([u if x[int(k)] is None else s0 + x[int(k)] * u for k in i])
best, cov = curve_fit(f, np.arange(len(x)), y, p0=[0.5, 1/60], sigma=sd, absolute_sigma=True)
print(json.dumps([best.tolist(), cov.tolist()]))`;
    const [[s0, u], cov] = JSON.parse(
      execFileSync('/usr/bin/python3', ['-c', script], { input: JSON.stringify(points), encoding: 'utf8' }),
    ) as [[number, number], [[number, number], [number, number]]];
    const ours = remainingToLevel(profile, 4, rests, ask)!;
    expect(ours.misfit).toBe(false);
    const whole = (ask.socTarget - s0) / u;
    expect(ours.ah).toBeCloseTo(whole - 9.1, 3);
    expect(ours.capacityAh).toBeCloseTo(1 / u, 2);
    const sd = Math.sqrt(cov[0][0] + whole ** 2 * cov[1][1] + 2 * whole * cov[0][1]) / u;
    expect(ours.halfWidthAh).toBeCloseTo(2 * sd, 3);
  });

  it('holds the truth nine times of ten and more, and narrows with every rest', () => {
    const r = new Random(12);
    let [held, asked] = [0, 0];
    let [first, last] = [0, 0];
    for (let k = 0; k < 300; k++) {
      const capacity = 65 * r.uniform(0.65, 1.02);
      const soc = r.uniform(0.35, 0.6);
      const socTarget = r.uniform(0.7, 0.92);
      const whole = (socTarget - soc) * capacity;
      const rests: RestOnTheWay[] = [];
      for (const share of [0, 0.3, 0.6, 0.85]) {
        const movedAh = share * whole;
        const v = curve.voltageAt(soc + movedAh / capacity) + r.normal(0.001);
        rests.push({ movedAh: movedAh * (1 + r.normal(0.005)), restV: 6 * v });
        const told = remainingToLevel(profile, 6, rests, {
          socTarget,
          targetSd: 0,
          capacityAh: null,
          currentA: 8,
        })!;
        asked++;
        if (Math.abs(told.ah - (whole - movedAh)) <= told.halfWidthAh) held++;
        if (share === 0) first += told.halfWidthAh;
        if (share === 0.85) last += told.halfWidthAh;
      }
    }
    expect(held / asked).toBeGreaterThan(0.9);
    expect(last / first).toBeLessThan(0.35);
  });

  it('says so where what it holds, its count and its voltages do not go together, and is as unsure as they disagree', () => {
    const at = (soc: number): number => 6 * curve.voltageAt(soc);
    const ask = { socTarget: 0.85, targetSd: 0, capacityAh: { value: 36, sd: 0.7 }, currentA: 8 };
    const rests = (capacity: number): RestOnTheWay[] =>
      [0, 3, 6].map((q) => ({ movedAh: q, restV: at(0.5 + q / capacity) }));
    const right = remainingToLevel(profile, 6, rests(36), ask)!;
    const wrong = remainingToLevel(profile, 6, rests(47), ask)!;
    expect([right.misfit, wrong.misfit]).toEqual([false, true]);
    expect(wrong.halfWidthAh).toBeGreaterThan(2 * right.halfWidthAh);
  });

  it('stands in the record as it was typed', () => {
    for (const ah of [0, 6.2, -3.75]) expect(movedOf(movedText(ah))).toBe(ah);
    expect(movedOf('rested over night')).toBeNull();
    expect(
      remainingToLevel(profile, 4, [], { socTarget: 0.8, targetSd: 0, capacityAh: null, currentA: 8 }),
    ).toBeNull();
  });
});
