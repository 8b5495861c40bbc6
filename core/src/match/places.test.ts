import { describe, expect, it } from 'vitest';
import { marramVan, yardTug } from '../../../cli/src/demoPacks';
import { profileOf } from '../../../server/test/depot';
import { normalisePack } from '../pack';
import { Random } from '../simpack';
import type { Candidate } from './candidates';
import { fillPlaces, hottestFirst, type PlacesAsk, type SizedCandidate } from './places';
import { unlikeness } from './select';

const pack = normalisePack(marramVan());
const shelf = (seed: number, n: number, groupCount = 4): SizedCandidate[] => {
  const r = new Random(seed);
  return Array.from({ length: n }, (_, i) => ({
    id: `D${groupCount}-${i + 1}`,
    groupCount,
    capacityAh: Math.round(r.uniform(85, 118) * 10) / 10,
    resistanceMilliohm: Math.round(r.uniform(0.5, 0.9) * 100) / 100,
    restVoltageV: 15,
  }));
};
const tolerance = { capacityAh: 3.5, resistanceMilliohm: 0.09 };
const choose = <T>(list: readonly T[], k: number): T[][] =>
  k === 0 ? [[]] : list.flatMap((x, i) => choose(list.slice(i + 1), k - 1).map((rest) => [x, ...rest]));

describe('all places at once', () => {
  it('are as every choice of donors says, with and without a lock', () => {
    const places = ['M03', 'M07', 'M15', 'M24'];
    for (let seed = 1; seed <= 25; seed++) {
      const donors = shelf(seed, 11);
      const locks: Record<string, string> = seed % 2 ? { M15: donors[seed % 11]!.id } : {};
      const held = donors.filter((d) => Object.values(locks).includes(d.id));
      const all = choose(
        donors.filter((d) => !held.includes(d)),
        4 - held.length,
      ).map((c) => [...c, ...held]);
      const ask: PlacesAsk = { places, donors, staying: [], locks, aim: 'weakest-first', tolerance };
      const weakest = fillPlaces(pack, ask);
      const got = Object.values(weakest.choice!).map((id) => donors.find((d) => d.id === id)!);
      const least = (c: Candidate[]): number => Math.min(...c.map((x) => x.capacityAh));
      const spread = (c: Candidate[]): number => Math.max(...c.map((x) => x.capacityAh)) - least(c);
      const best = Math.max(...all.map(least));
      expect(least(got)).toBeCloseTo(best, 9);
      expect(spread(got)).toBeCloseTo(Math.min(...all.filter((c) => least(c) >= best - 1e-9).map(spread)), 9);
      for (const [p, id] of Object.entries(locks)) expect(weakest.choice![p]).toBe(id);
      const twins = fillPlaces(pack, { ...ask, aim: 'alike' });
      const cost = Math.min(...all.map((c) => unlikeness(c, tolerance)));
      expect(twins.objective).toEqual({ cost: expect.closeTo(cost, 6) as number });
      expect(new Set(Object.values(twins.choice!)).size).toBe(4);
    }
  });

  it('put the strongest where it is hottest, where that is asked for; the choice stays the same, and a lock where it is', () => {
    // Three rows of three: M5 lies in the middle, M1 in a corner, M2 at an edge.
    const nine = normalisePack({
      ...profileOf('Nine', 9, 4),
      modules: profileOf('Nine', 9, 4).modules.map((m, i) => ({
        ...m,
        place: { tier: 0, row: Math.floor(i / 3), column: i % 3 },
      })),
    });
    expect(hottestFirst(nine, ['M01', 'M02', 'M05', 'M09'])).toEqual(['M05', 'M02', 'M01', 'M09']);
    const ask: PlacesAsk = {
      places: ['M01', 'M02', 'M05'],
      donors: shelf(4, 8),
      staying: [],
      locks: {},
      aim: 'weakest-first',
      tolerance,
    };
    const hot = fillPlaces(nine, { ...ask, arrange: 'hot' }).choice!;
    const held = (p: string): number => ask.donors.find((d) => d.id === hot[p])!.capacityAh;
    expect(held('M05')).toBeGreaterThanOrEqual(held('M02'));
    expect(held('M02')).toBeGreaterThanOrEqual(held('M01'));
    expect(new Set(Object.values(hot))).toEqual(new Set(Object.values(fillPlaces(nine, ask).choice!)));
    const locked = fillPlaces(nine, { ...ask, arrange: 'hot', locks: { M05: hot.M01! } }).choice!;
    expect(locked.M05).toBe(hot.M01);
  });

  it('put the weakest where it is reached soonest, whatever comes first in the list', () => {
    const donors = shelf(3, 6);
    const answer = fillPlaces(pack, {
      places: ['M03', 'M19', 'M12'],
      donors,
      staying: [],
      locks: {},
      aim: 'weakest-first',
      tolerance,
    });
    const byReach = Object.entries(answer.choice!).sort(
      ([a], [b]) => answer.reachMin[a]! - answer.reachMin[b]!,
    );
    const capacities = byReach.map(([, id]) => donors.find((d) => d.id === id)!.capacityAh);
    expect(capacities).toEqual([...capacities].sort((a, b) => a - b));
    // What lies in the upper tier is reached before what lies under it.
    expect(answer.reachMin.M19!).toBeLessThan(answer.reachMin.M03!);
  });

  it('of several sizes take only donors of their own, also where one is put there by hand', () => {
    const tug = normalisePack(yardTug());
    const bySize = (n: number): string[] =>
      tug.modules.filter((m) => m.groupIndices.length === n).map((m) => m.id);
    const sizes = [...new Set(tug.modules.map((m) => m.groupIndices.length))];
    expect(sizes.length).toBeGreaterThan(1);
    const [a, b] = sizes as [number, number];
    const places = [bySize(a)[0]!, bySize(a)[1]!, bySize(b)[0]!];
    const donors = [...shelf(1, 5, a), ...shelf(2, 4, b)];
    const wrong = donors.find((d) => d.groupCount === b)!.id;
    const ask: PlacesAsk = {
      places,
      donors,
      staying: [],
      locks: { [places[0]!]: wrong },
      aim: 'weakest-first',
      tolerance,
    };
    for (const aim of ['weakest-first', 'alike'] as const) {
      const { choice, proved } = fillPlaces(tug, { ...ask, aim });
      expect(proved).toBe(true);
      for (const p of places) {
        const size = tug.modules.find((m) => m.id === p)!.groupIndices.length;
        expect(donors.find((d) => d.id === choice![p])!.groupCount, p).toBe(size);
      }
    }
    const few = fillPlaces(tug, { ...ask, donors: shelf(1, 5, a) });
    expect(few).toMatchObject({ choice: null, reasons: [`Of ${b} groups: 0 candidates for 1 free places.`] });
  });

  it('say what is missing where there are too few', () => {
    const answer = fillPlaces(pack, {
      places: ['M01', 'M02', 'M03'],
      donors: shelf(1, 2),
      staying: [],
      locks: {},
      aim: 'alike',
      tolerance,
    });
    expect(answer).toMatchObject({ choice: null, reasons: ['2 candidates for 3 free places.'] });
  });
});
