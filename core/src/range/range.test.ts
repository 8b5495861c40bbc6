import { describe, expect, it } from 'vitest';
import { costOfSuspects, rangeKm, usableCapacity, type GroupState } from '.';
import { Random } from '../simpack';

/** Runs the string down and up in small steps until a group is empty or full: the definition, without the formula. */
function byStepping(groups: GroupState[]): number {
  const step = 0.001;
  const run = (sign: number): number => {
    let moved = 0;
    while (
      groups.every(
        (g) =>
          (sign > 0 ? g.socFraction * g.capacityAh - moved : (1 - g.socFraction) * g.capacityAh - moved) >
          step,
      )
    )
      moved += step;
    return moved;
  };
  return run(1) + run(-1);
}

describe('usable capacity', () => {
  it('is what a stepped discharge and charge of the string give', () => {
    const random = new Random(8);
    for (let k = 0; k < 20; k++) {
      const groups = Array.from({ length: 6 }, () => ({
        capacityAh: random.uniform(30, 50),
        socFraction: random.uniform(0.2, 0.8),
      }));
      expect(usableCapacity(groups).usableAh).toBeCloseTo(byStepping(groups), 1);
    }
  });

  it('is the weakest group after perfect balance, and range follows it', () => {
    const groups = [100, 80, 99].map((capacityAh) => ({ capacityAh, socFraction: 0.5 }));
    expect(usableCapacity(groups)).toMatchObject({ usableAh: 80, balancedAh: 80, emptyFirst: 1 });
    expect(rangeKm(80, 100, 240)).toBeCloseTo(192);
  });

  it('shows that different groups can end the charge and the discharge', () => {
    const u = usableCapacity([
      { capacityAh: 100, socFraction: 0.4 },
      { capacityAh: 100, socFraction: 0.6 },
    ]);
    expect(u).toMatchObject({ emptyFirst: 0, fullFirst: 1 });
    expect(u.usableAh).toBeCloseTo(80);
  });

  it('weighs each suspect with all the others mended', () => {
    const groups = [100, 70, 90].map((capacityAh) => ({ capacityAh, socFraction: 1 }));
    const { mendedAh, costAh } = costOfSuspects(groups, [[1], [2]], { capacityAh: 100, socFraction: 1 });
    expect(mendedAh).toBe(100);
    expect(costAh).toEqual([30, 10]);
  });
});
