import type { Job } from '@cellmend/contract/jobs';
import { distance } from '../ui/units';
import { day, upper } from '../ui/words';
import { warrantyNow } from './warrantyWords';

/** One earlier job in a sentence: when, how it ended, how far it ran since, and what went in. */
export function earlierWords(e: Job['earlier'][number], odometerKm: number | null): string {
  const km = odometerKm !== null && e.odometerKm !== null ? odometerKm - e.odometerKm : null;
  const since = km !== null && km >= 0 ? `, ${distance(km)} ago` : '';
  const ended = e.ending ? `${e.ending} on ${day(e.endedAt ?? e.openedAt)}` : `open since ${day(e.openedAt)}`;
  const parts = e.parts.map((p) => `${p.label} went in at ${p.place}`).join('; ');
  const warranty = e.warranty && e.endedAt ? ` ${warrantyNow(e.warranty, e.endedAt, km)}` : '';
  return `Here before, job ${e.number} (${e.title}): ${ended}${since}.${parts ? ` ${upper(parts)}.` : ''}${warranty}`;
}
