import { describe, expect, it } from 'vitest';
import { vehicleFiguresOf } from './fromRecord';

const series = (...ohm: number[]) => ({
  timeS: Float64Array.from(ohm, (_, i) => i),
  value: Float64Array.from(ohm),
});

describe('the vehicle’s insulation in a record', () => {
  it('is the middle of what it showed, at the end', () => {
    expect(vehicleFiguresOf(series(500e3, 510e3, NaN, 490e3, 505e3))).toEqual([{ atS: 4, ohm: 505e3 }]);
  });
  it('leaves out what a monitor says before it has measured, and one glitch', () => {
    expect(vehicleFiguresOf(series(0, 0, 500e3, 500e3, 500e3, 20e3, 500e3, 500e3, 500e3))).toEqual([
      { atS: 8, ohm: 500e3 },
    ]);
  });
  it('tells a low that lasted besides', () => {
    const told = vehicleFiguresOf(series(...Array<number>(8).fill(800e3), 60e3, 55e3, 50e3, 60e3, 800e3));
    expect(told).toHaveLength(2);
    expect(told[0]!.ohm).toBeLessThanOrEqual(60e3);
    expect(told[1]).toEqual({ atS: 12, ohm: 800e3 });
  });
  it('believes a leak of nought that lasts', () => {
    expect(vehicleFiguresOf(series(0, 0, 0))).toEqual([{ atS: 2, ohm: 0 }]);
    expect(vehicleFiguresOf(series())).toEqual([]);
  });
});
