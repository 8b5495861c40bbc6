import { describe, expect, it } from 'vitest';
import { readyIn, readySays, type ReadyAsk } from '.';

const just = (v: number) => ({ low: v, likely: v, high: v });
/** Monday, 8 o'clock; one person until 17 o'clock, five days a week; two channels that run through the night. */
const ask: ReadyAsk = {
  bench: {
    channels: 2,
    powerBudgetKw: 3,
    persons: 1,
    fromHour: 8,
    toHour: 17,
    workdays: [1, 2, 3, 4, 5],
    closedDays: [],
    alone: true,
    startDay: 1,
    startHour: 8,
  },
  outH: just(4),
  backH: just(4),
  levelH: [],
  levelKw: 0.2,
  partsInDays: null,
};
const likely = (other: Partial<ReadyAsk>, bench: Partial<ReadyAsk['bench']> = {}) => {
  const { days, waitsFor } = readyIn({ ...ask, ...other, bench: { ...ask.bench, ...bench } });
  return [days.likely, waitsFor];
};

// Worked by hand on the clock: no outside tool says when a workshop is ready.
describe('when the vehicle can be ready', () => {
  it.each<[string, Partial<ReadyAsk>, Partial<ReadyAsk['bench']>, [number, string]]>([
    ['four hours in, four back: the same day', {}, {}, [0, 'hands']],
    ['nothing more than fits before 17 o’clock', { backH: just(6) }, {}, [1, 'hands']],
    [
      'a module that levels for 20 h: on from 8:15 to 4:15, back on Tuesday',
      { levelH: [20] },
      {},
      [1, 'bench'],
    ],
    [
      'three of them on two channels: the third from Tuesday 8:00 to Wednesday 4:15',
      { levelH: [20, 20, 20] },
      {},
      [2, 'bench'],
    ],
    [
      'the same with three channels and lead sets',
      { levelH: [20, 20, 20] },
      { channels: 3, leadSets: 3 },
      [1, 'bench'],
    ],
    [
      'three channels, but leads for two',
      { levelH: [20, 20, 20] },
      { channels: 3, leadSets: 2 },
      [2, 'bench'],
    ],
    ['parts that come on Thursday: back on Thursday', { partsInDays: just(3) }, {}, [3, 'parts']],
    ['parts that come on Saturday wait for Monday', { partsInDays: just(5) }, {}, [7, 'parts']],
    [
      'begun on Friday at 14:00: out by Monday 9:00, back by 13:00',
      {},
      { startDay: 5, startHour: 14 },
      [3, 'hands'],
    ],
    ['Tuesday closed', { levelH: [20] }, { closedDays: [1] }, [2, 'bench']],
  ])('%s', (_, other, bench, answer) => {
    expect(likely(other, bench)).toEqual(answer);
  });
  it('what may not run alone takes the hours that somebody is there', () => {
    const [alone] = likely({ levelH: [20] });
    const [watched] = likely({ levelH: [20] }, { alone: false });
    expect(alone).toBe(1);
    // 20 h and the 15 min of connecting in days of 9 h, with 4 h of laying free beside them by the same person: until Wednesday; then 4 h.
    expect(watched).toBeGreaterThanOrEqual(3);
  });
  it('soonest, likely and latest follow the spans', () => {
    const { days } = readyIn({
      ...ask,
      outH: { low: 2, likely: 8, high: 16 },
      backH: { low: 2, likely: 8, high: 20 },
    });
    expect(days).toEqual({ low: 0, likely: 1, high: 3 });
    expect(readySays(days)).toBe('ready within 3 days');
    expect(readySays(just(0))).toBe('ready today');
    expect(readySays(just(1))).toBe('ready in 1 day');
  });
});
