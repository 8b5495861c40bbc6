import { describe, expect, it } from 'vitest';
import { mayGoIn, type Newcomer, type PlaceNeed } from '.';

// What fits where is common practice of the trade, no source.
const need: PlaceNeed = {
  chemistry: 'nmc',
  groupCount: 2,
  revision: 'B',
  look: { cellsParallel: 2, connector: 'C2', handedness: 'left' },
};
const twin: Newcomer = {
  chemistry: 'nmc',
  groupCount: 2,
  revision: 'B',
  cellsParallel: 2,
  connector: 'C2',
  handedness: 'left',
  history: 'clean',
  restVoltageV: 7.6,
  insulationOhm: 5e8,
};

describe('whether a module may go in', () => {
  it('a twin may, with nothing said', () => {
    expect(mayGoIn(twin, need)).toEqual({ cannot: [], deviates: [], obstacles: [], asks: [] });
  });
  it.each<[Partial<Newcomer>, RegExp]>([
    [{ cellsParallel: 1 }, /^1 cells in parallel, the pack has 2/],
    [{ groupCount: 4, restVoltageV: 15.2 }, /^4 groups, 2 are needed/],
    [{ chemistry: 'lfp', restVoltageV: 6.6 }, /^LFP, the pack is NMC/],
    [{ history: 'crashed' }, /out of a crash/],
    [{ history: 'wet', insulationOhm: null }, /it was wet/],
    [{ insulationOhm: 4000 }, /^insulation only 0.0 MΩ/],
    [{ restVoltageV: 1.1 }, /dead|below/i],
  ])('%o cannot, whoever signs', (other, why) => {
    const { cannot, deviates } = mayGoIn({ ...twin, ...other }, need);
    expect(deviates).toEqual([]);
    expect(cannot).toHaveLength(1);
    expect(cannot[0]).toMatch(why);
  });
  it.each<[Partial<Newcomer>, RegExp]>([
    [{ connector: 'C3' }, /^connector C3, the pack has C2/],
    [{ handedness: 'right' }, /^right handed/],
    [{ revision: 'C' }, /^revision C, the pack has B/],
    [{ chemistry: undefined }, /^its chemistry is not known/],
    [{ groupCount: undefined }, /^how many groups it has is not known/],
  ])('%o may where somebody answers for it', (other, why) => {
    const { cannot, deviates } = mayGoIn({ ...twin, ...other }, need);
    expect(cannot).toEqual([]);
    expect(deviates).toEqual([expect.stringMatching(why)]);
  });
});
