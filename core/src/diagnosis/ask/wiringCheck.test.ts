import { describe, expect, it } from 'vitest';
import { Random } from '../../simpack';
import { checkWiring } from '..';

// Two readings of one pack at rest: a board's and a meter's, each with its own millivolts of error.
const random = new Random(4);
const truth = Array.from({ length: 24 }, () => 3.9 + 0.02 * random.normal());
const board = truth.map((v) => v + 0.001 * random.normal());
const meter = truth.map((v) => v - 0.004 + 0.001 * random.normal());
const names = truth.map((_, i) => `ch${i + 1}`);
const check = (m: (number | null)[], s: (number | null)[] = board) => checkWiring(s, m, names);
const swapped = (a: number, b: number): number[] =>
  meter.map((v, i) => (i === a ? meter[b]! : i === b ? meter[a]! : v));
/** Two channels that differ enough to be told apart. */
const [low, high] = [truth.indexOf(Math.min(...truth)), truth.indexOf(Math.max(...truth))].sort(
  (a, b) => a - b,
) as [number, number];

describe('a scan against the meter', () => {
  it('bears the map out where both agree, whatever the pack did between the two', () => {
    expect(check(meter)).toMatchObject({ verdict: 'proven', compared: 24, off: [] });
    expect(check(meter).offsetV).toBeCloseTo(-0.004, 2);
  });
  it('tells two that are exchanged', () => {
    const c = check(swapped(low, high));
    expect(c.verdict).toBe('disproven');
    expect(c.instead).toEqual([
      { channelIndex: low, shows: high },
      { channelIndex: high, shows: low },
    ]);
    expect(c.says).toContain(`ch${low + 1} and ch${high + 1} are exchanged`);
  });
  it.each([
    ['the other way round', [...meter].reverse()],
    ['shifted by one', [...meter.slice(1), meter[0]!]],
  ])('tells channels that run %s', (words, m) => {
    expect(check(m)).toMatchObject({ verdict: 'disproven', says: expect.stringContaining(words) as string });
  });
  it('names a board reading that is off, and leaves the map', () => {
    const c = check(
      meter,
      board.map((v, i) => (i === 5 ? v - 0.06 : v)),
    );
    expect(c).toMatchObject({ verdict: 'proven', off: [{ channelIndex: 5 }] });
    expect(c.off[0]!.differenceV).toBeCloseTo(0.06, 2);
  });
  it('proves nothing by a pack whose channels are all alike, by three of them, or under load', () => {
    const alike = truth.map(() => 3.9);
    expect(check(alike, alike).verdict).toBe('cannot-tell');
    // One that is dead among twins: its own place shows, the others' does not.
    const oneDead = alike.map((v, i) => (i === 7 ? 1.62 : v));
    expect(check(oneDead, oneDead)).toMatchObject({
      verdict: 'cannot-tell',
      says: expect.stringMatching(/so alike that only \d+ % of the mistakes/) as string,
    });
    expect(check(meter.map((v, i) => (i < 3 ? v : null))).verdict).toBe('cannot-tell');
    expect(check(meter.map((v) => v + 0.03 * random.normal()))).toMatchObject({
      verdict: 'cannot-tell',
      off: [],
    });
  });
});

describe('packs whose channels differ by no more than 10 mV either way', () => {
  const count = 96;
  const modules = Array.from({ length: 24 }, (_, m) => ({
    name: `M${m + 1}`,
    channels: [0, 1, 2, 3].map((k) => 4 * m + k),
  }));
  const all = Array.from({ length: count }, (_, i) => i);
  const names = all.map((i) => `ch${i + 1}`);
  const exchanged = (a: number[], b: number[]): number[] => {
    const shows = [...all];
    a.forEach((at, k) => ([shows[at], shows[b[k]!]] = [b[k]!, at]));
    return shows;
  };
  const orders: [string, (r: Random) => number[]][] = [
    ['halves exchanged', () => all.map((i) => (i + count / 2) % count)],
    ['shifted by one', () => all.map((i) => (i + 1) % count)],
    ['the other way round', () => [...all].reverse()],
    [
      'two modules exchanged',
      (r) => {
        const a = Math.floor(r.uniform(0, 23));
        return exchanged(modules[a]!.channels, modules[Math.floor(r.uniform(a + 1, 24))]!.channels);
      },
    ],
    ['numbered across four rows', () => all.map((i) => (i % 4) * 24 + Math.floor(i / 4))],
  ];
  const draw = (seed: number, shows: readonly number[]) => {
    const r = new Random(seed);
    const truth = all.map(() => 3.7 + r.uniform(-0.01, 0.01));
    const scanned = all.map(() => 0);
    // What is at a place is shown under the name of another.
    all.forEach((at) => (scanned[shows[at]!] = truth[at]! + 0.0015 * r.normal()));
    return checkWiring(
      scanned,
      truth.map((v) => v - 0.003 + 0.001 * r.normal()),
      names,
      modules,
    );
  };
  it.each(orders)('%s are found', (_name, of) => {
    let found = 0;
    for (let seed = 1; seed <= 20; seed++) {
      const shows = of(new Random(1000 + seed));
      const c = draw(seed, shows);
      const told = c.instead.length > 0 && c.instead.every((x) => shows[x.channelIndex] === x.shows);
      const moved = all.filter((i) => shows[i] !== i).length;
      // What the readings leave a little open is named with its odds, to be metered again.
      const named = c.verdict === 'cannot-tell' && c.odds[0]!.says !== 'as drawn' && c.odds[0]!.share > 0.9;
      if ((c.verdict === 'disproven' && told && c.instead.length === moved) || named) found++;
    }
    expect(found).toBeGreaterThanOrEqual(19);
  });
  it('none is invented where the map is right', () => {
    for (let seed = 1; seed <= 60; seed++) expect(draw(seed, all).verdict).not.toBe('disproven');
  });
});
