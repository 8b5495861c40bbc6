import { describe, expect, it } from 'vitest';
import { compareOptions, type OptionAsk, type OptionsAsk } from './options';
import { readChance, readSpan, whatChanges } from './typed';

describe('figures as they are typed', () => {
  it.each([
    ['520', { low: 520, likely: 520, high: 520 }],
    ['410 to 690', { low: 410, likely: 550, high: 690 }],
    ['410-690', { low: 410, likely: 550, high: 690 }],
    ['410 520 690', { low: 410, likely: 520, high: 690 }],
    ['1,4 to 3,2', { low: 1.4, likely: 2.3, high: 3.2 }],
    ['13 000 to 14 000', { low: 13_000, likely: 13_500, high: 14_000 }],
    ['0', { low: 0, likely: 0, high: 0 }],
  ])('%s is a span', (text, span) => {
    const got = readSpan(text, 'cost');
    for (const k of ['low', 'likely', 'high'] as const) expect(got[k]).toBeCloseTo(span[k], 9);
  });
  it.each(['cheap', '690 to 410', '1 2 3 4', '410 900 690'])('“%s” is none', (text) =>
    expect(() => readSpan(text, 'cost')).toThrow(/no cost/),
  );
  it('chances are read as people say them', () => {
    expect(readChance('1 in 9')).toBeCloseTo(1 / 9, 12);
    expect(readChance('11 %')).toBeCloseTo(0.11, 12);
    expect(readChance('0,11')).toBeCloseTo(0.11, 12);
    expect(() => readSpan(' ', 'cost')).toThrow('The cost is missing.');
    expect(() => readChance('')).toThrow(/is missing/);
    for (const wrong of ['often', '120 %', '3 in 2', '-1'])
      expect(() => readChance(wrong)).toThrow(/no chance/);
  });
});

describe('what would change the choice', () => {
  const sure = (v: number) => ({ low: v, likely: v, high: v });
  const option = (name: string, cost: number, years: number, back = 0): OptionAsk => ({
    name,
    cost: sure(cost),
    rangeKm: sure(200),
    yearsLeft: sure(years),
    comebackProbability: back,
    comebackCost: sure(cost),
  });
  const ask: OptionsAsk = {
    horizonYears: 3,
    distanceKmPerYear: 15_000,
    currency: '',
    draws: 20_000,
    seed: 1,
    // 640 over 2 years is 320 a year; 1500 over 8, of which 3 count, is 500, and 250 a year once 6 count.
    options: [option('modules', 640, 2), option('used pack', 1500, 8)],
  };
  // Without any spread the closed form is cost ÷ min(years, horizon).
  it('agrees with the closed form where nothing is uncertain', () => {
    const { options } = compareOptions(ask);
    expect(options[0]!.costPerYear.p50).toBeCloseTo(320, 9);
    expect(options[1]!.costPerYear.p50).toBeCloseTo(500, 9);
    const changes = whatChanges(ask);
    // 1500/h < 320 from h = 4.69 years on: the first that is tried beyond is 6.
    expect(changes.find((c) => c.if.startsWith('Kept longer'))).toEqual({
      if: 'Kept longer than 6 years',
      then: 'used pack',
    });
    // 640·k/2 > 500 from k = 1.5625 on: the first tried beyond is twice as much.
    expect(changes.find((c) => c.if.includes('more'))).toEqual({
      if: 'modules costs 100 % more',
      then: 'used pack',
    });
    // 640/(2·k) > 500 below k = 0.64.
    expect(changes.find((c) => c.if.includes('less long'))).toEqual({
      if: 'modules lasts 40 % less long',
      then: 'used pack',
    });
  });
  it('is nothing where one option stands alone, or wins whatever happens', () => {
    expect(whatChanges({ ...ask, options: [ask.options[0]!] })).toEqual([]);
    expect(whatChanges({ ...ask, options: [option('a', 10, 9), option('b', 90_000, 1)] })).toEqual([]);
  });
});
