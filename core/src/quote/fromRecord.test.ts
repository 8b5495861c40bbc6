import { describe, expect, it } from 'vitest';
import type { SchoolRow } from '../match';
import { optionsFromRecord, type Labour, type QuoteFacts } from '.';

const row = (school: SchoolRow['school'], places: string[], more: Partial<SchoolRow> = {}): SchoolRow => ({
  school,
  places,
  donors: places.map((p) => `for ${p}`),
  lacking: 0,
  levelAh: 50,
  endsIt: 'M09',
  lastsYears: { low: 2, likely: 4, high: 7 },
  parts: { sum: 100 * places.length, unpriced: 0 },
  ...more,
});
const labour: Labour = { leftMin: 120, lowMin: 90, highMin: 150, order: [], timedSteps: 0 };
const facts: QuoteFacts = {
  schools: [row('failed', ['M02']), row('below', ['M02', 'M04']), row('set', ['M01', 'M02', 'M03', 'M04'])],
  labour: { failed: labour, below: labour, set: null },
  hourRate: 80,
  priceOf: () => null,
  levelHours: { failed: null, below: null, set: null },
  rangeKm: (ah) => ({ low: 3 * ah, likely: 3.1 * ah, high: 3.2 * ah }),
  tookAgainstPlan: null,
  cameBack: { hits: 1, n: 9 },
};

describe('options as the record fills them in', () => {
  it('modules by their prices, work there and back at the rate, worked by hand', () => {
    const [one, two, set] = optionsFromRecord(facts);
    // 2 h in, as long back: 4 h at 80, and a module of 100; 1.5 h · 1.8 at least, 2.5 h · 2.5 at most.
    expect(one!.cost).toEqual({ low: 1.5 * 1.8 * 80 + 100, likely: 420, high: 2.5 * 2.5 * 80 + 100 });
    expect(one).toMatchObject({ name: 'M02 from the shelf', comeback: { hits: 1, n: 9 }, open: [] });
    expect(two!.name).toBe('2 from the shelf');
    // Nothing stands for a plan that could not be made.
    expect(set).toMatchObject({ name: 'The whole set', cost: null });
    expect(set!.open).toEqual(['the strip-down plan']);
    expect(one!.rangeKm!.likely).toBeCloseTo(155, 9);
  });
  it('single-use parts by their own prices, and how long it stands to come level', () => {
    const lid: Labour = {
      ...labour,
      order: [
        { what: 'lid seal', count: 2, for: [] },
        { what: 'bolt', count: 8, for: [] },
      ],
    };
    const priced = {
      ...facts,
      labour: { ...facts.labour, failed: lid },
      levelHours: { ...facts.levelHours, failed: 30 },
    };
    const [half] = optionsFromRecord({ ...priced, priceOf: (w) => (w === 'lid seal' ? 45 : null) });
    expect(half!.cost!.likely).toBe(420 + 90);
    expect(half!.open).toEqual(['the price of bolt, to be added']);
    expect(half!.says).toBe('M02 from the shelf, 2 days on the bench at 8 A to come level');
    const [all] = optionsFromRecord({ ...priced, priceOf: () => 5 });
    expect(all!.open).toEqual([]);
    expect(all!.cost!.likely).toBe(420 + 50);
  });
  it('says when each is ready and what it waits for; what cannot be told is asked for', () => {
    const days = { low: 2, likely: 3, high: 5 };
    const ready = { failed: { days, waitsFor: 'bench' as const }, below: null, set: null };
    const short = row('below', ['M02', 'M04'], { lacking: 1 });
    const [one, two] = optionsFromRecord({
      ...facts,
      schools: [facts.schools[0]!, short],
      ready,
      benchSays: 'two channels',
    });
    expect(one!.readyDays).toEqual(days);
    expect(one!.from).toContain('ready in 2 to 5 days, the bench takes longest, with two channels');
    expect(two!.readyDays).toBeNull();
    expect(two!.open).toContain('when it is ready: how long the parts take that are not here');
  });
  it('what comes in is to be levelled still: no day is filled in, only which it cannot be before', () => {
    const days = { low: 7, likely: 9, high: 9 };
    const ready = { failed: { days, waitsFor: 'parts' as const, atLeast: true }, below: null, set: null };
    const [one] = optionsFromRecord({ ...facts, schools: [row('failed', ['M02'], { lacking: 1 })], ready });
    expect(one!.readyDays).toBeNull();
    expect(one!.open.join('; ')).toMatch(/ready in 7 to 9 days at the soonest/);
  });
  it('what took longer here before takes longer again', () => {
    const [one] = optionsFromRecord({ ...facts, tookAgainstPlan: { low: 0.9, likely: 1.3, high: 2 } });
    expect(one!.cost!.likely).toBeCloseTo(4 * 1.3 * 80 + 100, 9);
    expect(one!.from[1]).toMatch(/as it went here before/);
  });
  it('what nobody wrote down stays open, and no figure stands in for it', () => {
    const open = (other: Partial<QuoteFacts>, at = 0) => optionsFromRecord({ ...facts, ...other })[at]!;
    expect(open({ hourRate: null })).toMatchObject({ cost: null, open: ['what an hour costs here'] });
    const dear = [row('failed', ['M02'], { parts: { sum: 0, unpriced: 1 } })];
    expect(open({ schools: dear })).toMatchObject({ cost: null, open: ['the price of the module'] });
    expect(open({ cameBack: { hits: 1, n: 2 } })).toMatchObject({
      comeback: null,
      open: ['how often it comes back'],
    });
    const young = [row('failed', ['M02'], { lastsYears: null })];
    expect(open({ schools: young }).open).toEqual(['how long it lasts: the age of the pack at intake']);
    const few = [
      row('set', ['M01', 'M02'], { lacking: 1, donors: null, levelAh: null, parts: null, lastsYears: null }),
    ];
    expect(open({ schools: few })).toMatchObject({ cost: null, rangeKm: null });
    expect(open({ schools: few }).open[0]).toBe('1 more that fit: the shelf has 1 of 2');
  });
  it('two schools that take out the same are one option; none where nothing comes out', () => {
    expect(
      optionsFromRecord({ ...facts, schools: [row('failed', ['M02']), row('below', ['M02'])] }),
    ).toHaveLength(1);
    expect(optionsFromRecord({ ...facts, schools: [row('failed', [])] })).toEqual([]);
  });
});
