import type { BenchHours } from '@cellmend/core/bench';
import { differenceInCalendarDays, getDay, parseISO } from 'date-fns';

/** Where the plan of days of a job is kept while it is typed; what it says of bench and hours is also what options count with. */
export const benchDraft = (job: number): string => `${job}.bench-days`;

/** The bench and its hours as they are typed. */
export interface TypedHours {
  channels: string;
  leadSets?: string;
  powerKw: string;
  persons: string;
  from: string;
  to: string;
  days: number[];
  alone: string;
}
export const FIRST_HOURS: TypedHours = {
  channels: '2',
  leadSets: '',
  powerKw: '3',
  persons: '1',
  from: '8',
  to: '17',
  days: [1, 2, 3, 4, 5],
  alone: 'alone',
};
const number = (text: string): number => Number(text.trim().replace(',', '.'));
const QUARTER_MS = 15 * 60_000;
/** The next quarter of an hour, which is what a plan counts in. */
export const nextQuarter = (): Date => new Date(Math.ceil(Date.now() / QUARTER_MS) * QUARTER_MS);

/** Bench and hours from `now` on; null where what is typed is none. */
export function hoursOf(t: TypedHours, closedOn: readonly string[], now: Date): BenchHours | null {
  const leads = (t.leadSets ?? '').trim() === '' ? null : Math.round(number(t.leadSets!));
  const f = {
    channels: Math.round(number(t.channels)),
    powerBudgetKw: number(t.powerKw),
    persons: Math.round(number(t.persons)),
    toHour: number(t.to),
  };
  const fromHour = number(t.from);
  const right =
    Object.values(f).every((v) => v > 0) &&
    f.channels <= 24 &&
    fromHour >= 0 &&
    f.toHour > fromHour &&
    f.toHour <= 24 &&
    (leads === null || leads >= 1) &&
    t.days.length > 0;
  if (!right) return null;
  return {
    ...f,
    fromHour,
    workdays: [...t.days].sort(),
    alone: t.alone === 'alone',
    startDay: getDay(now),
    startHour: now.getHours() + now.getMinutes() / 60,
    closedDays: closedOn.map((d) => differenceInCalendarDays(parseISO(d), now)).filter((d) => d >= 0),
    ...(leads === null ? {} : { leadSets: leads }),
  };
}
