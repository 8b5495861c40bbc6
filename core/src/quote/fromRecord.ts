import type { Span } from '../cost';
import { SWAPS, type SchoolRow, type SwapSchool } from '../match';
import { readySays, type Ready } from './ready';
import type { StripPlan } from '../stripdown';

/** What it takes to lay places free, as the strip-down plan works it out. */
export type Labour = Pick<StripPlan, 'leftMin' | 'lowMin' | 'highMin' | 'order' | 'timedSteps'>;

export interface QuoteFacts {
  schools: readonly SchoolRow[];
  /** Strip down to the places of each school; null where it could not be planned. */
  labour: Readonly<Record<SwapSchool, Labour | null>>;
  /** What a single-use part costs, by its name; null where no stock and no list says. */
  priceOf: (what: string) => number | null;
  /** Hours on a supply until the modules that go in are level, one after the other; null where it cannot be told. */
  levelHours: Readonly<Record<SwapSchool, number | null>>;
  /** What an hour costs; null where the workshop has not said. */
  hourRate: number | null;
  /** Range of so many A·h; null where it is not measured. */
  rangeKm: (levelAh: number) => Span | null;
  /** When each is ready, by the plan of the bench and its hours; null where that cannot be told. Left out: nobody asked. */
  ready?: Readonly<Record<SwapSchool, Ready | null>>;
  /** The bench and hours that it counts with, in words. */
  benchSays?: string;
  /** Of strip downs here: how long they took against the plan; null where none was timed. */
  tookAgainstPlan: Span | null;
  /** Of repairs by replaced modules here: how many of how many came back within a year. */
  cameBack: { hits: number; n: number } | null;
}
/** An option as far as the record fills it in; what nobody wrote down stays open, and is named. */
export interface FilledOption {
  school: SwapSchool;
  name: string;
  places: string[];
  says: string;
  cost: Span | null;
  yearsLeft: Span | null;
  rangeKm: Span | null;
  comeback: { hits: number; n: number } | null;
  /** Calendar days until the vehicle is ready. */
  readyDays: Span | null;
  /** What is not on record, so that somebody has to type it. */
  open: string[];
  /** What each figure rests on. */
  from: string[];
}

/** The way back takes as long as the way in, and half as much again at most. Common practice, no source. */
const THERE_AND_BACK = { low: 1.8, likely: 2, high: 2.5 };
const WAITS: Record<Ready['waitsFor'], string> = {
  hands: '',
  bench: ', the bench takes longest',
  parts: ', parts take longest',
};
/** Hands until places are laid free and until all is back, h, at both ends of how sure it is. */
export function handsOf(labour: Labour, took: Span | null): { outH: Span; backH: Span } {
  const t = took ?? { low: 1, likely: 1, high: 1 };
  const h = (minutes: number, k: keyof Span): number => (minutes / 60) * t[k];
  const outH = {
    low: h(labour.lowMin, 'low'),
    likely: h(labour.leftMin, 'likely'),
    high: h(labour.highMin, 'high'),
  };
  const back = (k: keyof Span): number => outH[k] * (THERE_AND_BACK[k] - 1);
  return { outH, backH: { low: back('low'), likely: back('likely'), high: back('high') } };
}
/** A share of so few says nothing. */
const ENOUGH_JOBS = 5;

const hours = (minutes: number): string =>
  minutes < 90 ? `${Math.round(minutes / 5) * 5} min` : `${(minutes / 60).toFixed(1)} h`;

/** Current of the supply that hours to level are told for: what Balance begins with. */
export const LEVEL_A = 8;

/** How long it stands on the bench to come level, in words; nothing where it cannot be told. */
const waiting = (hoursOfLevel: number | null): string =>
  hoursOfLevel === null
    ? ''
    : hoursOfLevel < 1
      ? ', level at once'
      : `, ${hoursOfLevel < 24 ? `${Math.ceil(hoursOfLevel)} h` : `${Math.ceil(hoursOfLevel / 24)} days`} on the bench at ${LEVEL_A} A to come level`;

/**
 * The owner's options as the record has them: the modules' prices, the work by the strip-down plan at the workshop's rate, the range by
 * measured capacities, the years by how the least of them has aged. Two schools that take out the same are one option.
 */
export function optionsFromRecord(f: QuoteFacts): FilledOption[] {
  const seen = new Set<string>();
  return f.schools.flatMap((row): FilledOption[] => {
    const key = row.places.join(' ');
    if (row.places.length === 0 || seen.has(key)) return [];
    seen.add(key);
    const n = row.places.length;
    const open: string[] = [];
    const from: string[] = [];
    const labour = f.labour[row.school];
    if (row.lacking > 0) open.push(`${row.lacking} more that fit: the shelf has ${n - row.lacking} of ${n}`);
    if (row.parts && row.parts.unpriced > 0)
      open.push(n === 1 ? 'the price of the module' : `the price of ${row.parts.unpriced} of ${n} modules`);
    const singles = (labour?.order ?? []).map((o) => ({ ...o, price: f.priceOf(o.what) }));
    const bare = singles.filter((o) => o.price === null);
    if (bare.length > 0) open.push(`the price of ${bare.map((o) => o.what).join(', ')}, to be added`);
    const consumed = singles.reduce((s, o) => s + (o.price ?? 0) * o.count, 0);
    const level = f.levelHours[row.school];
    if (f.hourRate === null) open.push('what an hour costs here');
    if (!labour) open.push('the strip-down plan');
    let cost: Span | null = null;
    if (labour && f.hourRate !== null && row.parts && row.parts.unpriced === 0) {
      const { outH, backH } = handsOf(labour, f.tookAgainstPlan);
      const of = (k: keyof Span): number => (outH[k] + backH[k]) * f.hourRate! + row.parts!.sum + consumed;
      cost = { low: of('low'), likely: of('likely'), high: of('high') };
      from.push(
        `${n === 1 ? 'a module' : `${n} modules`} from the shelf`,
        `${hours(labour.leftMin)} to lay ${n === 1 ? 'it' : 'them'} free, as long back${
          f.tookAgainstPlan ? ', as it went here before' : ', nobody has timed it here'
        }`,
      );
    }
    const rangeKm = row.levelAh === null ? null : f.rangeKm(row.levelAh);
    if (!row.lastsYears && row.lacking === 0) open.push('how long it lasts: the age of the pack at intake');
    if (row.lastsYears)
      from.push(`lasts until ${row.endsIt} is worn, a donor’s own age not known and counted as the pack’s`);
    const ready = f.ready?.[row.school] ?? null;
    if (ready?.atLeast)
      open.push(
        `when it is ready: ${readySays(ready.days)} at the soonest, what comes in is to be measured and levelled still`,
      );
    else if (ready)
      from.push(
        `${readySays(ready.days)}${WAITS[ready.waitsFor]}${f.benchSays ? `, with ${f.benchSays}` : ''}`,
      );
    else if (f.ready)
      open.push(
        row.lacking > 0
          ? 'when it is ready: how long the parts take that are not here'
          : 'when it is ready: rest voltages of what goes in, and the strip-down plan',
      );
    const comeback = f.cameBack && f.cameBack.n >= ENOUGH_JOBS ? f.cameBack : null;
    if (!comeback) open.push('how often it comes back');
    else from.push(`${comeback.hits} of ${comeback.n} came back here`);
    return [
      {
        school: row.school,
        name:
          row.school === 'set'
            ? SWAPS.set.name
            : n === 1
              ? `${row.places[0]} from the shelf`
              : `${n} from the shelf`,
        places: row.places,
        says:
          row.school === 'set'
            ? `all ${n} modules from the shelf`
            : `${row.places.slice(0, 6).join(', ')}${n > 6 ? ` and ${n - 6} more` : ''} from the shelf${waiting(level)}`,
        cost,
        yearsLeft: row.lastsYears,
        rangeKm,
        comeback,
        readyDays: ready && !ready.atLeast ? ready.days : null,
        open,
        from,
      },
    ];
  });
}
