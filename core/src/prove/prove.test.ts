import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../pack';
import { endsOf, spreadAt, type Ends, type Spread } from '../spread';
import { compareRecords } from '.';

const pack = normalisePack({
  name: 'p',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 8 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: [
    { id: 'A', channels: ['c1', 'c2', 'c3', 'c4'] },
    { id: 'B', channels: ['c5', 'c6', 'c7', 'c8'] },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const at = (volts: number, changes: Record<number, number> = {}): Spread =>
  spreadAt(
    {
      timeS: 0,
      restedS: 900,
      temperatureC: 22,
      drawnAh: 0,
      voltageV: Array.from({ length: 8 }, (_, i) => volts + (i % 2) * 0.001 + (changes[i] ?? 0)),
    },
    pack,
  );
const ends = (full: Spread | null, empty: Spread | null): Ends => ({ nearFull: full, nearEmpty: empty });
const before = ends(at(4.12, { 2: -0.01 }), at(3.45, { 2: -0.3 }));

describe('near full and near empty of a record', () => {
  it('are the rests with most and least charge, if far enough apart', () => {
    const [full, middle, empty] = [at(4.12), at(3.75), at(3.4)];
    expect(endsOf([middle, empty, full])).toEqual({ nearFull: full, nearEmpty: empty });
    expect(endsOf([full, at(4.11)])).toMatchObject({ nearFull: full, nearEmpty: null });
    expect(endsOf([empty])).toMatchObject({ nearFull: null, nearEmpty: empty });
    expect(endsOf([])).toEqual({ nearFull: null, nearEmpty: null });
  });
});

describe('before and after', () => {
  it('is proven when both ends are within their limits', () => {
    const c = compareRecords(before, ends(at(4.12), at(3.45)), pack, [0, 1, 2, 3]);
    expect(c).toMatchObject({ passed: true, stillOdd: [] });
    expect(c.ends.map((e) => [e.end, e.better])).toEqual([
      ['near full', true],
      ['near empty', true],
    ]);
    expect(c.ends[1]!.beforeMv).toBeGreaterThan(290);
    // A step of 1 mV and noise of 1 mV, of two channels, twice: 2 · √(2 · (1/12 + 1)).
    expect(c.readsWithinMv).toBeCloseTo(2 * Math.sqrt(2 * (1 / 12 + 1)), 9);
    expect(c.span!.still).toBe('');
    expect(c.span!.fromSoc).toBeGreaterThan(0.9);
  });

  it('is neither better nor worse within what a delta is read to; the span of charge says what is still to be driven', () => {
    const same = compareRecords(ends(at(4.12, { 2: -0.003 }), null), ends(at(4.12), at(3.72)), pack, []);
    expect(same.ends[0]!.better).toBeNull();
    expect(same.span!.still).toBe('Drive it below 35 % and rest it there.');
    const high = compareRecords(ends(null, null), ends(at(3.62), null), pack, []);
    expect(high.span!.still).toMatch(/^Charge it above 75 %/);
  });

  it('is not proven by one end alone: a weak group looks fine at the top', () => {
    const c = compareRecords(before, ends(at(4.12), null), pack, []);
    expect(c.passed).toBe(false);
    expect(c.verdict).toMatch(/near empty is still missing/);
  });

  it('names what is still odd and at which end the spread is too wide', () => {
    const c = compareRecords(before, ends(at(4.12), at(3.45, { 6: -0.2 })), pack, []);
    expect(c.passed).toBe(false);
    expect(c.verdict).toMatch(/too wide near empty/);
    expect(c.stillOdd).toEqual(['c7']);
  });

  it.each([
    [0.02, /holds more than they do/],
    [-0.02, /holds less than they do/],
    [0, /as much as they do/],
  ])('reads the new module %f V against its neighbours when low', (shift, meaning) => {
    const low = at(3.45, { 0: shift, 1: shift });
    expect(compareRecords(before, ends(at(4.12), low), pack, [0, 1]).replacedMeaning).toMatch(meaning);
  });

  it('says nothing of a new module where none was fitted', () => {
    expect(compareRecords(before, ends(at(4.12), at(3.45)), pack, [])).toMatchObject({
      replacedNearEmptyMv: null,
      replacedMeaning: null,
    });
  });
});
