import { describe, expect, it } from 'vitest';
import { islandBus } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { linksInOrder } from '../safety/exposure';
import { coverageOf, type TestThen } from './coverage';
import { judgeTest } from './report';
import type { TestedPart } from './types';

// What a tester reaches is common practice of the trade, no source.
const pack = normalisePack(islandBus());
const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
const position = new Map(order.map((id, i) => [id, i]));
const n = order.length;
const half = n >> 1;
const middle = linksInOrder(pack)[half - 1]?.id ?? '';

const test = (
  tested: TestedPart,
  {
    openLinks = [],
    mounted = true,
    toS = 60,
    ohm = 3e9,
  }: { openLinks?: string[]; mounted?: boolean; toS?: number; ohm?: number } = {},
): TestThen => ({
  openLinks,
  row: judgeTest(
    {
      kind: 'tester',
      tested,
      setV: 1000,
      points: [15, 30, 60]
        .filter((t) => t <= toS)
        .map((timeS, i) => ({ timeS, ohm: ohm * [0.6, 0.8, 1][i]!, voltageV: 1000 })),
      temperatureC: 22,
      mounted,
    },
    pack,
    position,
  ),
});
const section = (from: number, to: number): TestedPart => ({
  part: 'section',
  from: order[from]!,
  to: order[to]!,
});
const lower = section(0, half - 1);
const upper = section(half, n - 1);

describe('what tests cover', () => {
  it('two clean halves, each from its own pole, cover the pack whatever stands between them', () => {
    const { missing, notCounted } = coverageOf(pack, [
      test(lower, { openLinks: [middle] }),
      test(upper, { openLinks: [middle] }),
    ]);
    expect({ missing, notCounted }).toEqual({ missing: '', notCounted: [] });
  });
  it('one half leaves the other, by name', () => {
    expect(coverageOf(pack, [test(lower)]).missing).toBe(`${order[half]} to ${order[n - 1]}`);
  });
  it('the whole pack at once covers it, but not across a link that is out', () => {
    expect(middle).not.toBe('');
    expect(coverageOf(pack, [test({ part: 'pack' })]).missing).toBe('');
    const across = coverageOf(pack, [test({ part: 'pack' }, { openLinks: [middle] })]);
    expect(across.missing).toBe(`${order[0]} to ${order[n - 1]}`);
    expect(across.notCounted.join()).toMatch(/which was out: from one clip it reached one side/);
  });
  it.each([
    [{ mounted: false }, /loose: no leak seen; test it again mounted/],
    [{ toS: 15 }, /tested for 15 s: no leak so far/],
  ])('%o covers nothing, and says why', (more, why) => {
    const { missing, notCounted } = coverageOf(pack, [test({ part: 'pack' }, more)]);
    expect(missing).not.toBe('');
    expect(notCounted.join()).toMatch(why);
  });
  it('a leak takes back what an earlier test said, of what it was found in', () => {
    expect(coverageOf(pack, [test({ part: 'pack' }), test(section(2, 2), { ohm: 4000 })]).missing).toBe(
      order[2],
    );
    const again = [test({ part: 'pack' }), test(section(2, 2), { ohm: 4000 }), test(section(2, 2))];
    expect(coverageOf(pack, again).missing).toBe('');
  });
  it('a test that is not valid takes nothing back', () => {
    const flat = test({ part: 'pack' });
    flat.row.result = { ...flat.row.result, verdict: 'not valid' };
    expect(coverageOf(pack, [test({ part: 'pack' }), flat]).missing).toBe('');
    expect(coverageOf(pack, [flat]).missing).not.toBe('');
  });
  it('what was tested after a last reading counts alone: none leaves all', () => {
    expect(coverageOf(pack, []).missing).toBe(`${order[0]} to ${order[n - 1]}`);
  });
});
