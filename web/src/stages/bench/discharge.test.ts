import { describe, expect, it } from 'vitest';
import { dischargeOf, timesOf } from './discharge';

// An hour of charge, an hour of rest, two hours at 3 A: 6 A·h, by hand.
const course = {
  timeS: [0, 3600, 3601, 7200, 7201, 10_801, 14_401],
  currentA: [-3, -3, 0, 0, 3, 3, 3],
  voltageV: [7.4, 8.6, 8.3, 8.2, 8.0, 7.6, 6.0],
};

describe('a discharge over the charge it gave', () => {
  it('begins where current flows out, and counts what flowed', () => {
    const points = dischargeOf(course);
    expect(points.map((p) => p.v)).toEqual([8.0, 7.6, 6.0]);
    expect(points.map((p) => Number(p.ah.toFixed(2)))).toEqual([0, 3, 6]);
  });
  it('of a part goes on from what the whole had given when it begins', () => {
    const part = { timeS: [9001, 10_801], currentA: [3, 3], voltageV: [7.8, 7.6] };
    expect(dischargeOf(part, course).map((p) => Number(p.ah.toFixed(2)))).toEqual([1.5, 3]);
  });
  it('is found in time: rest and charge before it belong to no stretch of it', () => {
    const span = timesOf(course, { from: 0, to: 3 })!;
    expect(span.from).toBeGreaterThanOrEqual(7200);
    expect(span.to).toBeCloseTo(10_801, -1);
    expect(timesOf(course, { from: 7, to: 8 })).toBeNull();
  });
});
