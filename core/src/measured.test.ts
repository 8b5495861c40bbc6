import { describe, expect, it } from 'vitest';
import { changeOf, measured, notMeasured } from './measured';

describe('a change between two measured figures', () => {
  it('is one beyond what both are off by, in square', () => {
    // Half-widths 6 and 8: 10 together.
    const [before, after] = [measured(200, 3, 'drive'), (v: number) => measured(v, 4, 'drive')];
    expect(changeOf(before, after(210.5))).toBeCloseTo(10.5, 12);
    expect(changeOf(before, after(189))).toBeCloseTo(-11, 12);
    expect(changeOf(before, after(209.9))).toBeNull();
    expect(changeOf(before, after(200.6))).toBeNull();
  });

  it('counts the sides that face each other, where an interval ends at what is possible', () => {
    const before = { measured: true, value: 10, low: 0, high: 11, from: 'drive' } as const;
    const after = { measured: true, value: 13, low: 12, high: 40, from: 'drive' } as const;
    expect(changeOf(before, after)).toBe(3);
    expect(changeOf(after, before)).toBe(-3);
  });

  it('is none where one of them was not measured', () => {
    const none = notMeasured('no current', 'log a drive');
    expect(changeOf(none, measured(5, 1, 'drive'))).toBeNull();
    expect(changeOf(measured(5, 1, 'drive'), none)).toBeNull();
  });
});
