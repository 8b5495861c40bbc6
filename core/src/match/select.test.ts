import { describe, expect, it } from 'vitest';
import { weakestFirstByHighs } from '../../../bench/src/peers/highs';
import { Random } from '../simpack';
import type { Candidate, SelectAsk } from './candidates';
import { selectModules, unlikeness } from './select';

const TOL = { capacityAh: 0.5, resistanceMilliohm: 0.1 };
function shelf(seed: number, n: number): Candidate[] {
  const r = new Random(seed);
  return Array.from({ length: n }, (_, i) => ({
    id: `S${i}`,
    capacityAh: +r.uniform(40, 60).toFixed(1),
    resistanceMilliohm: +r.uniform(0.6, 1.8).toFixed(2),
    restVoltageV: +r.uniform(29, 29.6).toFixed(2),
  }));
}
const ask = (candidates: Candidate[], more: Partial<SelectAsk> = {}): SelectAsk => ({
  candidates,
  positions: 4,
  fixed: {},
  limits: {},
  aim: 'weakest-first',
  tolerance: TOL,
  ...more,
});
/** Every choice of so many. */
function* choices(list: Candidate[], n: number): Generator<Candidate[]> {
  if (n === 0) return yield [];
  for (let i = 0; i <= list.length - n; i++)
    for (const rest of choices(list.slice(i + 1), n - 1)) yield [list[i]!, ...rest];
}
function* orders(list: Candidate[]): Generator<Candidate[]> {
  if (list.length === 0) return yield [];
  for (let i = 0; i < list.length; i++)
    for (const rest of orders([...list.slice(0, i), ...list.slice(i + 1)])) yield [list[i]!, ...rest];
}
const spreadV = (c: Candidate[]): number =>
  Math.max(...c.map((x) => x.restVoltageV)) - Math.min(...c.map((x) => x.restVoltageV));

describe('which modules go in', () => {
  it('equals trying every choice: weakest first and alike, with limits and with what stays', () => {
    for (let seed = 1; seed <= 60; seed++) {
      const all = shelf(seed, 9);
      const stays: Record<string, string> = seed % 3 === 0 ? { '2': 'S4' } : {};
      const fixed = seed % 3 === 0 ? [all[4]!] : [];
      const limits = { capacityLeastAh: 43, resistanceMostMilliohm: 1.6, restVoltageSpreadMostV: 0.35 };
      const rest = all.filter((c) => !fixed.includes(c) && c.capacityAh >= 43 && c.resistanceMilliohm <= 1.6);
      const able = [...choices(rest, 4 - fixed.length)]
        .map((c) => [...c, ...fixed])
        .filter((c) => spreadV(c) <= 0.35 + 1e-9);
      const weakest = selectModules(ask(all, { fixed: stays, limits }));
      const alike = selectModules(ask(all, { fixed: stays, limits, aim: 'alike' }));
      if (able.length === 0) {
        expect(weakest.places, `seed ${seed}`).toBeNull();
        expect(weakest.reasons.join(' ')).toMatch(
          /capacityLeastAh|resistanceMostMilliohm|restVoltageSpreadMostV/,
        );
        continue;
      }
      const least = (c: Candidate[]): number => Math.min(...c.map((x) => x.capacityAh));
      const width = (c: Candidate[]): number => Math.max(...c.map((x) => x.capacityAh)) - least(c);
      const bestLeast = Math.max(...able.map(least));
      const bestWidth = Math.min(...able.filter((c) => least(c) >= bestLeast - 1e-9).map(width));
      expect(weakest.objective, `seed ${seed}`).toEqual({
        leastCapacityAh: expect.closeTo(bestLeast, 9) as number,
        capacitySpreadAh: expect.closeTo(bestWidth, 9) as number,
      });
      expect(alike.objective, `seed ${seed}`).toEqual({
        cost: expect.closeTo(Math.min(...able.map((c) => unlikeness(c, TOL))), 9) as number,
      });
      for (const a of [weakest, alike]) {
        expect(a.proved).toBe(true);
        expect(new Set(a.places).size).toBe(4);
        if (fixed.length > 0) expect(a.places![1]).toBe('S4');
      }
    }
  });

  it('of thirty for twelve places is the optimum that HiGHS finds, also within a spread of rest voltage', async () => {
    for (let seed = 1; seed <= 4; seed++)
      for (const limits of [{}, { restVoltageSpreadMostV: 0.4 }]) {
        const one = ask(shelf(100 + seed, 30), { positions: 12, limits });
        const theirs = await weakestFirstByHighs(one);
        expect(selectModules(one).objective, `seed ${seed}`).toEqual(
          theirs && {
            leastCapacityAh: expect.closeTo(theirs.leastCapacityAh, 5) as number,
            capacitySpreadAh: expect.closeTo(theirs.capacitySpreadAh, 5) as number,
          },
        );
      }
  });

  it('equals trying every order: blocks that are sensed together', () => {
    const blocks = [
      [1, 2],
      [3, 4],
    ];
    for (let seed = 1; seed <= 30; seed++) {
      const all = shelf(100 + seed, 6);
      const stays: Record<string, string> = seed % 2 ? { '3': 'S0' } : {};
      const rest = all.filter((c) => !Object.values(stays).includes(c.id));
      let best = Infinity;
      for (const some of choices(rest, 4 - Object.keys(stays).length))
        for (const o of orders(some)) {
          const places = seed % 2 ? [o[0]!, o[1]!, all[0]!, o[2]!] : o;
          const sums = blocks.map((b) => b.reduce((s, p) => s + places[p - 1]!.capacityAh, 0));
          best = Math.min(best, Math.max(...sums) - Math.min(...sums));
        }
      const a = selectModules(ask(all, { aim: 'blocks', blocks, fixed: stays }));
      expect((a.objective as { blockSpread: number }).blockSpread, `seed ${seed}`).toBeCloseTo(best, 9);
      expect(a.proved).toBe(true);
    }
  });

  it('of forty places and sixty candidates gives a good choice with an honest bound, and proves the other aims', () => {
    const all = shelf(9, 60);
    const blocks = Array.from({ length: 20 }, (_, i) => [2 * i + 1, 2 * i + 2]);
    const a = selectModules(ask(all, { positions: 40, aim: 'blocks', blocks }));
    const { blockSpread } = a.objective as { blockSpread: number };
    // A hundredth of what a block holds.
    expect(blockSpread).toBeLessThan(1);
    expect(a.bound!).toBeLessThanOrEqual(blockSpread);
    expect(selectModules(ask(all, { positions: 40, aim: 'alike' })).proved).toBe(true);
  });

  it('says which limit is in the way, and refuses what is not there', () => {
    const all = shelf(3, 5);
    expect(selectModules(ask(all, { limits: { capacityLeastAh: 99 } }))).toMatchObject({
      places: null,
      reasons: [expect.stringMatching(/capacityLeastAh 99 leaves out 5 of 5/)],
    });
    expect(selectModules(ask(all, { positions: 9 })).reasons[0]).toMatch(/5 candidates for 9/);
    expect(() => selectModules(ask(all, { fixed: { '9': 'S1' } }))).toThrow(/no position 9/);
    expect(() => selectModules(ask(all, { fixed: { '1': 'zz' } }))).toThrow(/no candidate zz/);
  });
});
