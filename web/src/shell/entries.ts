import type { Stage } from '@cellmend/core/route';
import type { NewClockSchema, NewReading } from '@cellmend/contract/records';
import { placeName, printQuantity, voltageAt, type Jot } from '@cellmend/core/jot';
import { OUT_OF_BOUNDS, type Pack } from '@cellmend/core/pack';
import type { z } from 'zod';
import { enqueue } from '../api/queue';

/** What a jot means, in words, before and after it is stored. */
export function jotWords(jot: Jot, pack: Pack): string {
  if (jot.type === 'clock')
    return `Clock, ${jot.minutes >= 120 ? `${+(jot.minutes / 60).toFixed(1)} h` : `${jot.minutes} min`}${jot.text && `: ${jot.text}`}`;
  const at = placeName(jot.place, pack) || 'Pack';
  if (jot.type === 'note') return `${at}: “${jot.text}”`;
  if (jot.type === 'find') return `Show ${at}`;
  // A dead or over-charged cell is told where it is typed.
  const told = jot.quantity === 'voltage' ? voltageAt(jot.value, jot.place, pack).judged : null;
  const warns = told && OUT_OF_BOUNDS.has(told.state) ? `. ${told.says}` : '';
  return `${at}, ${jot.quantity} ${printQuantity(jot.value, jot.quantity)}${jot.conditions && `, ${jot.conditions}`}${warns}`;
}

/** Stores a reading, note or clock through the queue: first on this tablet, then on the server. */
export async function keep(
  jot: Exclude<Jot, { type: 'find' }>,
  pack: Pack,
  jobNumber: number,
  stage: Stage,
): Promise<void> {
  const label = jotWords(jot, pack);
  if (jot.type === 'clock') {
    const body: z.input<typeof NewClockSchema> = {
      label: jot.text || 'Clock',
      kind: 'other',
      endsAt: new Date(Date.now() + jot.minutes * 60_000).toISOString(),
      stage,
    };
    await enqueue({ path: `/jobs/${jobNumber}/clocks`, body, label, jobNumber });
    return;
  }
  const common = { place: placeName(jot.place, pack), stage, observedAt: new Date().toISOString() };
  const body: NewReading =
    jot.type === 'note'
      ? { ...common, kind: 'note', text: jot.text }
      : { ...common, kind: jot.quantity, value: jot.value, conditions: jot.conditions };
  await enqueue({ path: `/jobs/${jobNumber}/readings`, body, label, jobNumber });
}
