import type { NewQuote } from '@cellmend/contract/quotes';
import { readChance, readSpan, type Span } from '@cellmend/core/cost';
import { InputProblem } from '@cellmend/core/pack';
import type { Measure, MeasureKind } from '@cellmend/core/route';
import { kmOfShown } from '../ui/units';

/** One option as it is typed. */
export interface OptionRow {
  name: string;
  says: string;
  cost: string;
  years: string;
  range: string;
  /** Days until it is ready; a draft from before has none. */
  ready?: string;
  chance: string;
  back: string;
  /** What would be done: `proposed`, `swap` with its places, or one measure on the whole pack; empty where nobody said. */
  done?: string;
}
export const EMPTY_ROW: OptionRow = {
  name: '',
  says: '',
  cost: '',
  years: '',
  range: '',
  ready: '',
  chance: '',
  back: '',
  done: '',
};

const SWAP = 'swap ';
/** A module replaced at each of these places. */
export const swapsAt = (places: readonly string[]): string => `${SWAP}${places.join(' ')}`;
/** The places of a swap; null for anything else. */
export const swapPlaces = (done: string): string[] | null =>
  done.startsWith(SWAP) ? done.slice(SWAP.length).split(' ') : null;

export type Parsed = NewQuote['options'][number];
/** What would be done, as the quote keeps it. */
function measuresOf(
  done: string,
  proposed: readonly Pick<Measure, 'kind' | 'place'>[],
): NonNullable<Parsed['measures']> {
  if (done.startsWith(SWAP))
    return done
      .slice(SWAP.length)
      .split(' ')
      .map((place) => ({ kind: 'replace-module', place }));
  if (done === 'proposed') return proposed.map(({ kind, place }) => ({ kind, place }));
  return done === '' ? [] : [{ kind: done as MeasureKind, place: '' }];
}

/** One option as it was typed; what cannot be read is told, never taken for something. */
export function parseRow(
  r: OptionRow,
  proposed: readonly Pick<Measure, 'kind' | 'place'>[],
): { option: Parsed | null; problem: string } {
  try {
    if (r.name.trim() === '') throw new InputProblem('name', 'It has no name.', 'name', 'A name.');
    const km = (s: Span): Span => ({
      low: kmOfShown(s.low),
      likely: kmOfShown(s.likely),
      high: kmOfShown(s.high),
    });
    return {
      option: {
        name: r.name.trim(),
        says: r.says.trim(),
        cost: readSpan(r.cost, 'cost'),
        yearsLeft: readSpan(r.years, 'time it lasts'),
        rangeKm: r.range.trim() === '' ? null : km(readSpan(r.range, 'range')),
        readyDays: (r.ready ?? '').trim() === '' ? null : readSpan(r.ready!, 'days until it is ready'),
        measures: measuresOf(r.done ?? '', proposed),
        comebackProbability: readChance(r.chance),
        comebackCost:
          r.back.trim() === '' ? readSpan(r.cost, 'cost') : readSpan(r.back, 'cost of coming back'),
      },
      problem: '',
    };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    return { option: null, problem: `${e.what} ${e.accepted}` };
  }
}
