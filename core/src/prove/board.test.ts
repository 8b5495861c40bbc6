import { describe, expect, it } from 'vitest';
import { marramVan } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import type { Glitches } from '../diagnosis';
import { channelsOfBoard, judgeBoard } from '.';

const pack = normalisePack(marramVan());
const own = channelsOfBoard(pack, 'SB2');
const settled = pack.channels.map((_, i) => 3.9 + (i % 3) * 0.001);
const metered = (change: (i: number) => number | null = () => 0): Map<number, number> =>
  new Map(
    own.flatMap((i) => {
      const by = change(i);
      return by === null ? [] : [[i, settled[i]! + by] as const];
    }),
  );
const judge = (
  meter: ReadonlyMap<number, number>,
  jumps: Glitches[] | null | undefined = [],
  scan: readonly (number | null)[] = settled,
) => judgeBoard(own, scan, meter, jumps, pack);

describe('a board against the meter', () => {
  it('is right where every channel is within 6 mV and none leaps; each figure beside it', () => {
    const seen = judge(metered((i) => (i === own[2] ? -0.004 : 0.001)));
    expect(seen).toMatchObject({ state: 'pass', worstMv: expect.closeTo(4, 6) as number });
    expect(seen.says).toEqual(['All 12 channels within 4 mV of the meter, and none leaps.']);
    expect(seen.rows[0]).toMatchObject({ channel: 'ch013', apartMv: expect.closeTo(-1, 6) as number });
  });
  it('names the channels that are off: on the edge to 15 mV, wrong beyond', () => {
    expect(judge(metered((i) => (i === own[2] ? 0.009 : 0)))).toMatchObject({
      state: 'hold',
      says: ['ch015 −9 mV against the meter.'],
    });
    expect(judge(metered((i) => (i === own[2] ? 0.009 : i === own[5] ? -0.03 : 0)))).toMatchObject({
      state: 'fail',
      says: ['ch018 +30 mV against the meter.'],
    });
  });
  it('proves nothing by what was not metered, not read, or not looked for', () => {
    expect(judge(metered((i) => (i === own[0] ? null : 0)))).toMatchObject({
      state: 'hold',
      says: ['Not metered: ch013.'],
    });
    expect(judge(new Map())).toMatchObject({ state: 'hold', worstMv: null });
    expect(judge(metered(), null).says[0]).toMatch(/^Whether its readings leap is not told/);
    expect(judgeBoard(own, settled, metered(), undefined, pack).state).toBe('hold');
    const blind = settled.map((v, i) => (i === own[4] ? null : v));
    expect(judge(metered(), [], blind)).toMatchObject({
      state: 'fail',
      says: ['The board reads nothing at ch017.'],
    });
  });
  it('agreement with cells that are dead is none: what is metered has to be alive', () => {
    const flat = settled.map(() => 0.01);
    const seen = judge(new Map(own.map((i) => [i, 0.01])), [], flat);
    expect(seen.state).toBe('fail');
    expect(seen.says[0]).toMatch(/^By the meter ch013 dead, .* and 6 more: a board that agrees/);
  });
  it('off alike at every channel is another rest, or its reference; leaps at rest fail it, those of other boards do not', () => {
    expect(judge(metered(() => -0.04))).toMatchObject({
      state: 'hold',
      says: [expect.stringMatching(/^All of them above the meter by 40 mV alike/) as string],
    });
    const leap = (channelIndex: number): Glitches[] => [{ channelIndex, count: 3, mostMv: 42 }];
    expect(judge(metered(), leap(own[7]!)).says).toEqual([
      'ch020 leaped 3 × by up to 42 mV while the pack stood still.',
    ]);
    expect(judge(metered(), leap(60)).state).toBe('pass');
  });
  it('has its channels by its name; of a module those of the boards that read it; of a name nobody knows all', () => {
    expect(own).toEqual(Array.from({ length: 12 }, (_, k) => 12 + k));
    expect(channelsOfBoard(pack, 'M05')).toContain(pack.modules[4]!.channelIndices[0]);
    const bare = normalisePack({ ...marramVan(), boards: undefined });
    expect(channelsOfBoard(bare, 'M05')).toEqual(bare.modules[4]!.channelIndices);
    expect(channelsOfBoard(bare, 'the left one')).toHaveLength(96);
  });
});
