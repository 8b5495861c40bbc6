import { describe, expect, it } from 'vitest';
import { blocksByHighs } from '../../../bench/src/peers/highs';
import { Random } from '../simpack';
import { searchBlocks, type BlockTask } from './blockSearch';
import type { Candidate, SelectAsk } from './candidates';
import { pairUp } from './pairBlocks';
import { selectModules } from './select';

const shelf = (seed: number, n: number, digits = 2): Candidate[] => {
  const r = new Random(seed);
  return Array.from({ length: n }, (_, i) => ({
    id: `S${i}`,
    capacityAh: +(50 + 4 * r.normal()).toFixed(digits),
    resistanceMilliohm: 1,
    restVoltageV: 29,
  }));
};
const inBlocks = (candidates: Candidate[], positions: number, size: number): SelectAsk => ({
  candidates,
  positions,
  fixed: {},
  limits: {},
  aim: 'blocks',
  blocks: Array.from({ length: positions / size }, (_, b) =>
    Array.from({ length: size }, (_, i) => b * size + i + 1),
  ),
});
const spread = (sums: readonly number[]): number => Math.max(...sums) - Math.min(...sums);

/** Least spread by every way to fill the blocks. */
function byEveryWay({ steps, kinds, whole }: BlockTask): number {
  const slots = kinds.flatMap((k) => Array.from({ length: k.count }, () => k));
  let best = Infinity;
  const fill = (block: number, used: number, sums: number[]): void => {
    if (block === slots.length) {
      best = Math.min(best, spread([...sums, ...(whole ?? [])]));
      return;
    }
    const take = (from: number, left: number, taken: number, sum: number): void => {
      if (left === 0) return fill(block + 1, taken, [...sums, sum]);
      for (let i = from; i < steps.length; i++)
        if (!((taken >> i) & 1)) take(i + 1, left - 1, taken | (1 << i), sum + steps[i]!);
    };
    take(0, slots[block]!.size, used, slots[block]!.fixedSum);
  };
  fill(0, 0, []);
  return best;
}

describe('blocks that are sensed together', () => {
  it('lie as near as trying every way finds, whatever stays in them, and the bound says so', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const r = new Random(seed);
      const steps = Array.from({ length: r.integer(6, 9) }, () => r.integer(20, 60)).sort((a, b) => b - a);
      const kinds =
        seed % 3 === 0
          ? [
              { size: 2, fixedSum: r.integer(0, 40), count: 1 },
              { size: 3, fixedSum: 0, count: 1 },
            ]
          : [{ size: seed % 2 ? 2 : 3, fixedSum: 0, count: 2 }];
      const whole: [number, number] | null = seed % 5 === 0 ? [90, 100] : null;
      const task: BlockTask = { steps, kinds, whole };
      const truth = byEveryWay(task);
      const found = searchBlocks(task, 10_000, 0);
      expect(found.best!.spread, `seed ${seed}`).toBe(truth);
      expect(found.bound, `seed ${seed}`).toBe(truth);
      const sums = found.best!.assigned.map((list, i) => {
        const kind = kinds.flatMap((k) => Array.from({ length: k.count }, () => k))[i]!;
        expect(list).toHaveLength(kind.size);
        return kind.fixedSum + list.reduce((s, m) => s + steps[m]!, 0);
      });
      expect(spread([...sums, ...(whole ?? [])])).toBe(truth);
      expect(new Set(found.best!.assigned.flat()).size).toBe(found.best!.assigned.flat().length);
    }
  });

  it('are the optimum that HiGHS finds, with modules to spare', async () => {
    for (let seed = 1; seed <= 3; seed++) {
      const ask = inBlocks(shelf(seed, 10), 9, 3);
      const mine = selectModules(ask);
      expect(mine.proved).toBe(true);
      expect(mine.bound!, `seed ${seed}`).toBeCloseTo((await blocksByHighs(ask))!, 5);
    }
  });

  it('in pairs are exact for a whole pack', () => {
    for (let seed = 1; seed <= 40; seed++) {
      const r = new Random(seed);
      const steps = Array.from({ length: r.integer(6, 9) }, () => r.integer(20, 60)).sort((a, b) => b - a);
      const whole: [number, number] | null = seed % 4 === 0 ? [80, 84] : null;
      const found = pairUp(steps, 3, whole)!;
      expect(found.spread, `seed ${seed}`).toBe(
        byEveryWay({ steps, kinds: [{ size: 2, fixedSum: 0, count: 3 }], whole }),
      );
      expect(found.pairs).toHaveLength(3);
    }
    const pack = selectModules(inBlocks(shelf(5, 44), 40, 2));
    expect(pack.proved).toBe(true);
  });

  it('of four are proved for packs of twenty-four and of forty-eight', () => {
    for (const [n, positions] of [
      [24, 24],
      [28, 24],
      [48, 48],
    ] as const) {
      const a = selectModules(inBlocks(shelf(77 + n, n), positions, 4));
      expect(a.proved, `${n} modules`).toBe(true);
      expect((a.objective as { blockSpread: number }).blockSpread).toBeLessThan(0.1);
    }
  });

  it('where it cannot look at every way gives a bound below its choice, never above it', () => {
    const a = selectModules(inBlocks(shelf(3, 40), 36, 9));
    const { blockSpread } = a.objective as { blockSpread: number };
    expect(a.bound!).toBeLessThanOrEqual(blockSpread);
    expect(a.proved).toBe(a.bound === blockSpread);
  });
});
