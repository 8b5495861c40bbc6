import { loadBank } from '@cellmend/core/bench';
import { describe, expect, it } from 'vitest';
import { readDrawer } from './drawer';

describe('what lies in the drawer', () => {
  it('is read as people write it, each resistor by the figure that stands on it', () => {
    expect(readDrawer('2 × 10 Ω 100 W, 2.2 50')).toEqual([
      { id: '10 Ω', ohm: 10, watt: 100 },
      { id: '10 Ω', ohm: 10, watt: 100 },
      { id: '2.2 Ω', ohm: 2.2, watt: 50 },
    ]);
    expect(readDrawer('0,15 ohm 25W\n3x0.047R 10w')!.map((r) => r.id)).toEqual([
      '0.15 Ω',
      '0.047 Ω',
      '0.047 Ω',
      '0.047 Ω',
    ]);
  });
  it.each(['', 'some', '10 Ω', '10 Ω 100 W and more'])('“%s” is not taken', (text) =>
    expect(readDrawer(text)).toBeNull(),
  );

  // Three LFP groups, 10.95 to 8.4 V, 30 A from resistors of 0.1 Ω: the middle of it is 9.675 V, 0.3225 Ω; strings of six side by
  // side make 0.3 Ω, 32 A, and load each with 18.25² · 0.1 = 33 W at first.
  it('of twelve resistors of a tenth of an ohm holds thirty amperes of a set of three, where their rating allows', () => {
    const ask = { fromV: 10.95, toV: 8.4, wantedA: 30, capacityAh: 100, fan: false };
    const plan = loadBank({ ...ask, resistors: readDrawer('12 × 0.1 Ω 50 W')! });
    expect(plan.ohm).toBeCloseTo(0.3, 9);
    expect(plan.hardest.watt).toBeCloseTo(33.3, 1);
    expect(plan.startA).toBeCloseTo(36.5, 6);
    // Of 25 W each they do not bear it: what is found carries less, and nothing is overloaded.
    expect(loadBank({ ...ask, resistors: readDrawer('12 × 0.1 Ω 25 W')! }).hardest.share).toBeLessThanOrEqual(
      0.8,
    );
  });
});
