import type { DaysAnswer } from '@cellmend/core/bench';
import { addHours } from 'date-fns';
import ical, { ICalAlarmType } from 'ical-generator';

/** How long before hands are needed a calendar says so, s. */
const BEFORE_S = 10 * 60;

/**
 * A bench plan for anybody's calendar (RFC 5545): one entry for each time that hands are needed, with a reminder, and one for
 * the end. Taken in again, it replaces what was taken in before: the names of its entries stay.
 * @param from when the plan begins.
 */
export function calendarOf(answer: DaysAnswer, from: Date, job: { number: number; title: string }): string {
  const calendar = ical({
    name: `Bench, job ${job.number}`,
    prodId: { company: 'Bold Cellmend', product: 'bench' },
  });
  const event = (id: string, summary: string, startH: number, hours: number): void => {
    const entry = calendar.createEvent({
      id: `job-${job.number}-${id}@cellmend`.replace(/[^\w@.-]+/g, '-'),
      summary,
      description: `${job.title}, job ${job.number}`,
      start: addHours(from, startH),
      end: addHours(from, startH + hours),
    });
    entry.createAlarm({ type: ICalAlarmType.display, triggerBefore: BEFORE_S });
  };
  for (const m of answer.modules) {
    const starts = answer.startH[m.id]!;
    const channel = answer.channelOf[m.id]! + 1;
    event(`${m.id}-connect`, `Connect ${m.id} to channel ${channel}`, starts[0]!, m.steps[0]!.hours);
    const last = m.steps.length - 1;
    event(
      `${m.id}-off`,
      `${m.id} is done: channel ${channel} is free`,
      starts[last]! + m.steps[last]!.hours,
      0.25,
    );
  }
  return calendar.toString();
}
