import { describe, expect, it } from 'vitest';
import { rangeAfterSwaps } from './swaps';

const ask = {
  groupCapacityAh: [60, 48, 60, 52],
  groupSoc: [0.8, 0.7, 0.86, 0.8],
  socLeast: 0.1,
  socMost: 0.9,
  donors: [
    { capacityAh: 58, soc: 0.5 },
    { capacityAh: 55, soc: 0.8 },
  ],
};

describe('what balancing and swapping bring', () => {
  it('is what a string in series gives, worked by hand', () => {
    const a = rangeAfterSwaps(ask);
    // Down: 42, 28.8, 45.6, 36.4. Up: 6, 9.6, 2.4, 5.2.
    expect(a.asIs).toMatchObject({ limitsDischarge: 1, limitsCharge: 2 });
    expect(a.asIs.dischargeNowAh).toBeCloseTo(28.8, 9);
    expect(a.asIs.chargeHeadroomAh).toBeCloseTo(2.4, 9);
    expect(a.asIs.windowAh).toBeCloseTo(31.2, 9);
    expect(a.afterBalancingAh).toBeCloseTo(38.4, 9);
    expect(a.gainOfBalancingAh).toBeCloseTo(7.2, 9);
    expect(a.limitsAfterBalancing).toBe(1);
    expect(a.replacement.map((r) => [r.k, r.replaced, +r.balancedAh.toFixed(6)])).toEqual([
      [1, [1], 41.6],
      [2, [1, 3], 44],
    ]);
    // With the donor of 58 A·h at half: down 23.2 there, up 23.2; the charge still ends at group 2.
    expect(a.replacement[0]!.unbalancedNowAh).toBeCloseTo(23.2, 9);
    expect(a.replacement[0]!.unbalancedWindowAh).toBeCloseTo(23.2 + 2.4, 9);
    expect(a.bestKBalanced).toBe(2);
  });
  it('says that swapping does not help where no donor is better', () => {
    expect(rangeAfterSwaps({ ...ask, donors: [{ capacityAh: 40, soc: 0.5 }] }).bestKBalanced).toBe(0);
    expect(rangeAfterSwaps({ ...ask, groupSoc: [0.1, 0.9, 0.5, 0.5] }).asIs.windowAh).toBeCloseTo(0, 9);
  });
  it('draws nothing from a string with a group below the least, and charges nothing into one above the most', () => {
    const a = rangeAfterSwaps({
      ...ask,
      groupSoc: [0.05, 0.95, 0.5, 0.5],
      donors: [{ capacityAh: 61, soc: 0.02 }],
    });
    expect(a.asIs).toMatchObject({ dischargeNowAh: 0, chargeHeadroomAh: 0, windowAh: 0 });
    expect(a.replacement[0]!.unbalancedNowAh).toBe(0);
    // What a charge brings the least group above its least, a drive draws again: the window keeps its minima as they are.
    const low = rangeAfterSwaps({ ...ask, groupSoc: [0.05, 0.5, 0.5, 0.5] });
    expect(low.asIs.windowAh).toBeCloseTo(-0.05 * 60 + 0.4 * 48, 9);
  });
});
