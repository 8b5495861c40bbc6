import type { BodyOf } from '@cellmend/contract/decisions';
import { addMonths } from 'date-fns';
import { distance } from '../ui/units';
import { day } from '../ui/words';

type Warranty = NonNullable<BodyOf<'hand-over'>['warranty']>;

/** `12 months or 20,000 km, parts and labour`. */
export const warrantyWords = ({ months, km, covers }: Warranty): string =>
  `${[months === null ? '' : `${months} months`, km === null ? '' : distance(km)].filter(Boolean).join(' or ')}, ${covers.join(' and ')}`;

/**
 * Whether a warranty still runs, in a sentence: by its months from the day it was signed, and by what was driven since where both odometers
 * are known.
 */
export function warrantyNow(
  { months, km, covers }: Warranty,
  endedAt: string,
  drivenKm: number | null,
  now = new Date(),
): string {
  const until = months === null ? null : addMonths(new Date(endedAt), months);
  const over = (until !== null && now > until) || (km !== null && drivenKm !== null && drivenKm > km);
  const ends = [until && `until ${day(until.toISOString())}`, km !== null && `for ${distance(km)}`]
    .filter(Boolean)
    .join(' or ');
  if (over) return `Its warranty (${ends}) is over.`;
  const unknown = km !== null && drivenKm === null ? ' How far it was driven since is not known.' : '';
  return `Under warranty ${ends}: ${covers.join(' and ')}.${unknown}`;
}
