import { describe, expect, it } from 'vitest';
import { islandBus, marramVan } from '../../../cli/src/demoPacks';
import { ocvCurve } from '../pack';
import { waysToLevel, type WaysAsk } from './ways';

const van = marramVan();
const curve = ocvCurve(van.ocv);
const ask: WaysAsk = {
  groups: 4,
  capacityAh: 107,
  socNow: 0.46,
  socTarget: 0.54,
  internalOhm: 4 * 0.66e-3,
  currentA: 8,
  supplyLimitV: 4 * curve.voltageAt(0.54),
  leadOhm: 0.02,
  resistorOhm: 2.2,
};

/** The same circuits stepped forwards second by second, written down apart: i = (limit − open voltage) ÷ ohms, at most the limit. */
function stepped(what: 'supply' | 'resistor' | 'neighbour', a: WaysAsk, between = 0): number {
  const open = (s: number): number => a.groups * curve.voltageAt(s);
  let [s, t] = [a.socNow, 0];
  let other = a.socTarget;
  const dt = 2 / 3600;
  for (; t < 400; t += dt) {
    if (what === 'supply') {
      if (open(a.socTarget) - open(s) <= a.groups * 0.002) break;
      s +=
        (Math.min(a.currentA, (a.supplyLimitV - open(s)) / (a.leadOhm + a.internalOhm)) * dt) / a.capacityAh;
    } else if (what === 'resistor') {
      if (s <= a.socTarget) break;
      s -= ((open(s) / (a.resistorOhm + a.internalOhm + a.leadOhm)) * dt) / a.capacityAh;
    } else {
      if (Math.abs(open(other) - open(s)) <= a.groups * 0.005) break;
      const i = (open(other) - open(s)) / (2 * a.internalOhm + a.leadOhm + between);
      s += (i * dt) / a.capacityAh;
      other -= (i * dt) / a.capacityAh;
    }
  }
  return t;
}

describe('ways to bring a module level', () => {
  it('take as long as the same circuits stepped second by second', () => {
    const up = waysToLevel(van, ask);
    expect(up.resistor).toBeNull();
    expect(up.supply!.hours! / stepped('supply', ask)).toBeCloseTo(1, 2);
    expect(up.neighbour.hours / stepped('neighbour', ask, up.neighbour.between)).toBeCloseTo(1, 2);
    const down = { ...ask, socNow: 0.54, socTarget: 0.46 };
    const given = waysToLevel(van, down);
    expect(given.supply).toBeNull();
    expect(given.resistor!.hours / stepped('resistor', down)).toBeCloseTo(1, 2);
    expect(given.resistor!.firstW).toBeCloseTo(given.resistor!.firstA ** 2 * 2.2, 9);
  });

  it('say where a supply ends that is set too low, and what lies between two modules keeps the current to the limit', () => {
    const low = waysToLevel(van, { ...ask, supplyLimitV: 4 * curve.voltageAt(0.5) });
    expect(low.supply).toMatchObject({ hours: null, endsAtSoc: expect.closeTo(0.5, 6) as number });
    const { neighbour } = waysToLevel(van, ask);
    const gap = 4 * (curve.voltageAt(0.54) - curve.voltageAt(0.46));
    expect(neighbour.bareA).toBeGreaterThan(8);
    expect(gap / (2 * ask.internalOhm + ask.leadOhm + neighbour.between)).toBeCloseTo(8, 9);
    // Of one size they meet in the middle: the neighbour comes off by half of what was apart.
    expect(neighbour.meetSoc).toBeCloseTo(0.5, 2);
    expect(neighbour.neighbourOff).toBeCloseTo(0.04, 2);
    // A current that is small enough by itself needs nothing between.
    expect(waysToLevel(van, { ...ask, currentA: 500 }).neighbour.between).toBe(0);
  });

  it('are finite on the flat of LFP as well', () => {
    const bus = islandBus();
    const flat = ocvCurve(bus.ocv);
    const found = waysToLevel(bus, {
      ...ask,
      groups: 12,
      capacityAh: 228,
      socNow: 0.4,
      socTarget: 0.7,
      supplyLimitV: 12 * flat.voltageAt(0.7) + 0.2,
    });
    expect(found.supply!.hours).toBeGreaterThan(0);
    expect(Number.isFinite(found.neighbour.hours)).toBe(true);
  });
});
