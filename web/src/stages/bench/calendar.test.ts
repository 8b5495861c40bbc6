import { benchDays, type DaysAsk } from '@cellmend/core/bench';
import { addHours } from 'date-fns';
import ICAL from 'ical.js';
import { expect, it } from 'vitest';
import { calendarOf } from './calendar';

const ask: DaysAsk = {
  sets: ['set 1', 'S07, “hot”', 'set 3; Zoë'],
  capacityAh: 6.5,
  voltageV: 8.4,
  channels: 2,
  channelA: 5,
  powerBudgetKw: 2,
  persons: 1,
  fromHour: 8,
  toHour: 17,
  workdays: [1, 2, 3, 4, 5],
  alone: true,
  transfer: false,
  startDay: 5,
  startHour: 15,
};

/** Read by a parser of RFC 5545 that is not ours. */
it('a bench plan is a calendar that any other program reads: each time that hands are needed, to the minute', () => {
  const answer = benchDays(ask);
  const from = new Date('2026-11-27T15:00:00Z');
  const text = calendarOf(answer, from, { number: 138, title: 'Ferry shuttle; hybrid, SK 14' });
  const read = new ICAL.Component(ICAL.parse(text) as unknown[])
    .getAllSubcomponents('vevent')
    .map((c) => new ICAL.Event(c));
  expect(read).toHaveLength(2 * ask.sets.length);
  for (const set of ask.sets) {
    const starts = answer.startH[set]!;
    const on = read.find((e) => e.summary === `Connect ${set} to channel ${answer.channelOf[set]! + 1}`)!;
    expect(on.startDate.toJSDate()).toEqual(addHours(from, starts[0]!));
    const steps = answer.modules.find((m) => m.id === set)!.steps;
    const off = read.find((e) => e.summary.startsWith(`${set} is done`))!;
    expect(off.startDate.toJSDate()).toEqual(addHours(from, starts.at(-1)! + steps.at(-1)!.hours));
    expect(on.component.getAllSubcomponents('valarm')).toHaveLength(1);
    expect(on.description).toBe('Ferry shuttle; hybrid, SK 14, job 138');
  }
  // Taken in again it replaces what was there: the same names, each once.
  const uids = read.map((e) => e.uid);
  expect(new Set(uids).size).toBe(uids.length);
  const again = calendarOf(answer, addHours(from, 2), { number: 138, title: 'x' });
  for (const uid of uids) expect(again).toContain(uid);
});
