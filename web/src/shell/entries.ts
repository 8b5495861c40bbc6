import type { Stage } from '@cellmend/core/route';
import type { NewClockSchema, NewReading } from '@cellmend/contract/records';
import { placeName, printQuantity, voltageAt, type Jot, type JottedReading } from '@cellmend/core/jot';
import type { Pack } from '@cellmend/core/pack';
import { buildOf, partName } from '@cellmend/core/stripdown';
import type { z } from 'zod';
import { newKey } from '../api/client';
import { take } from '../api/queue';
import { temperature } from '../ui/units';

const partNameIn = (pack: Pack, id: string): string => {
  const part = buildOf(pack).parts.find((p) => p.id === id);
  return part ? partName(part) : id;
};

/** What a jot means, in words, before and after it is stored. */
export function jotWords(jot: Jot, pack: Pack): string {
  if (jot.type === 'clock')
    return `Clock, ${jot.minutes >= 120 ? `${+(jot.minutes / 60).toFixed(1)} h` : `${jot.minutes} min`}${jot.text && `: ${jot.text}`}`;
  if (jot.type === 'done')
    return jot.part === null ? 'The next step is done' : `${partNameIn(pack, jot.part)} is done`;
  const at = placeName(jot.place, pack) || 'Pack';
  if (jot.type === 'note') return `${at}: “${jot.text}”`;
  if (jot.type === 'find') return `Show ${at}`;
  // A dead or over-charged cell is told where it is typed.
  const told =
    jot.quantity === 'voltage' && jot.place.kind !== 'joint'
      ? voltageAt(jot.value, jot.place, pack).judged
      : null;
  const ohmsAtPole = jot.quantity === 'insulation' && jot.place.kind === 'pack';
  const warns = told?.says
    ? `. ${told.says}`
    : ohmsAtPole
      ? '. On live poles an ohm range reads nonsense and may hurt: volts first'
      : '';
  return `${at}, ${jot.quantity} ${jot.quantity === 'temperature' ? temperature(jot.value, 1) : printQuantity(jot.value, jot.quantity, jot.bound)}${jot.conditions && `, ${jot.conditions}`}${warns}`;
}

/** What was kept: its number on the record, where it can be withdrawn, and its words. */
export interface Kept {
  /** It was done or said, and is no entry. */
  said?: true;
  id: string | null;
  label: string;
}

/** A reading as the server takes it, with a number of its own. */
export const readingBody = (
  jot: JottedReading,
  pack: Pack,
  stage: Stage,
  corrects?: { supersedes: string; reason: string },
  typedAt = new Date().toISOString(),
): NewReading & { id: string } => ({
  id: newKey(),
  kind: jot.quantity,
  place: placeName(jot.place, pack),
  value: jot.bound === 'over-range' ? null : jot.value,
  ...(jot.bound ? { bound: jot.bound } : {}),
  conditions: jot.conditions,
  stage,
  observedAt: typedAt,
  ...corrects,
});

/** Keeps a reading, note or clock before it returns: first on this tablet, then on the server. */
export function keep(
  jot: Exclude<Jot, { type: 'find' | 'done' }>,
  pack: Pack,
  jobNumber: number,
  stage: Stage,
  corrects?: { supersedes: string; reason: string },
  /** When it was typed, where somebody said only later what it means. */
  typedAt = new Date().toISOString(),
): Kept {
  const label = jotWords(jot, pack);
  if (jot.type === 'clock') {
    const body: z.input<typeof NewClockSchema> = {
      label: jot.text || 'Clock',
      kind: 'other',
      endsAt: new Date(Date.now() + jot.minutes * 60_000).toISOString(),
      stage,
    };
    take({ path: `/jobs/${jobNumber}/clocks`, body, label, jobNumber });
    return { id: null, label };
  }
  const body =
    jot.type === 'note'
      ? {
          id: newKey(),
          kind: 'note' as const,
          place: placeName(jot.place, pack),
          text: jot.text,
          stage,
          observedAt: typedAt,
        }
      : readingBody(jot, pack, stage, corrects, typedAt);
  take({ path: `/jobs/${jobNumber}/readings`, body, label, jobNumber });
  return { id: body.id, label };
}

/** Takes an entry back: it stays in the record, withdrawn. */
export const withdraw = (kept: Kept, jobNumber: number, stage: Stage): void =>
  void (
    kept.id &&
    take({
      path: `/jobs/${jobNumber}/readings/${kept.id}/withdraw`,
      body: { reason: 'taken back where it was typed', stage },
      label: `${kept.label}, withdrawn`,
      jobNumber,
    })
  );
