import type { Span } from '../cost';
import { lifeByHealth } from '../range';
import type { Candidate } from './candidates';
import { selectModules } from './select';

/** The ways of the trade, by how much is changed. Which is right is the workshop's to say. */
export const SWAPS = {
  failed: { name: 'Only what failed', says: 'Least work. What is left is as old as what failed.' },
  below: { name: 'All below a limit', says: 'What is next to fail comes out too.' },
  set: { name: 'The whole set', says: 'Every module from the shelf: one age, one capacity, most work.' },
} as const;
export type SwapSchool = keyof typeof SWAPS;
export const SWAP_SCHOOLS = Object.keys(SWAPS) as [SwapSchool, ...SwapSchool[]];

export interface SchoolsAsk {
  /** Modules in the order of the profile, with what each was measured to hold, A·h. */
  modules: readonly { id: string; heldAh: number }[];
  /** Places that come out whatever the school. */
  failed: readonly string[];
  /** Modules that fit and were measured. `price` null: nobody wrote one down. */
  donors: readonly (Candidate & { price: number | null })[];
  /** `below`: what holds less than so much of the typical module that stays comes out too. */
  limitShare: number;
  ratedAh: number;
  /** Of a capacity, as a share of it: one standard deviation. */
  sdShare: number;
  /** Age of the pack; null where nobody said. A donor's own is not known: it counts as the pack's. */
  ageYears: number | null;
}
export interface SchoolRow {
  school: SwapSchool;
  /** What comes out, in the order of the profile. */
  places: string[];
  /** What goes in, the smallest first; null where the shelf has too few. */
  donors: string[] | null;
  /** How many the shelf lacks. */
  lacking: number;
  /** Once all is level; null where the shelf has too few. */
  levelAh: number | null;
  /** What ends it: a place, or the label of a donor. */
  endsIt: string | null;
  /** Until the least of it holds 70 % of rated, if it goes on with the square root of time. */
  lastsYears: Span | null;
  /** What the modules that go in cost, and how many of them nobody wrote a price of. */
  parts: { sum: number; unpriced: number } | null;
}

const median = (v: readonly number[]): number => {
  const s = [...v].sort((a, b) => a - b);
  const m = s.length >> 1;
  return s.length % 2 ? s[m]! : (s[m - 1]! + s[m]!) / 2;
};

/** Places that a school takes out. */
export function placesBySchool(
  school: SwapSchool,
  modules: SchoolsAsk['modules'],
  failed: readonly string[],
  limitShare: number,
): string[] {
  if (school === 'set') return modules.map((m) => m.id);
  const staying = modules.filter((m) => !failed.includes(m.id));
  const limit = staying.length > 0 ? limitShare * median(staying.map((m) => m.heldAh)) : 0;
  return modules
    .filter((m) => failed.includes(m.id) || (school === 'below' && m.heldAh < limit))
    .map((m) => m.id);
}

/**
 * The schools side by side, from measured capacities alone: what comes out, which modules go in (the largest least, then the least
 * spread; exact), what the string then gives once level, how long its least lasts, what the modules cost.
 */
export function compareSchools(ask: SchoolsAsk): SchoolRow[] {
  const { modules, failed, donors, limitShare, ratedAh, sdShare, ageYears } = ask;
  return SWAP_SCHOOLS.map((school): SchoolRow => {
    const places = placesBySchool(school, modules, failed, limitShare);
    const lacking = Math.max(0, places.length - donors.length);
    if (lacking > 0)
      return {
        school,
        places,
        lacking,
        donors: null,
        levelAh: null,
        endsIt: null,
        lastsYears: null,
        parts: null,
      };
    // What stays counts: nothing stronger goes in than the least of what stays can make use of.
    const stays = modules.flatMap((m, i) => (places.includes(m.id) ? [] : [{ ...m, position: i + 1 }]));
    const chosen = selectModules({
      candidates: [
        ...donors,
        ...stays.map((m) => ({
          id: `stays ${m.id}`,
          capacityAh: m.heldAh,
          resistanceMilliohm: 0,
          restVoltageV: 0,
        })),
      ],
      positions: modules.length,
      fixed: Object.fromEntries(stays.map((m) => [m.position, `stays ${m.id}`])),
      limits: {},
      aim: 'weakest-first',
    }).places!;
    const into = chosen.flatMap((id) => donors.find((d) => d.id === id) ?? []);
    const all = [
      ...modules.filter((m) => !places.includes(m.id)).map((m) => ({ id: m.id, ah: m.heldAh })),
      ...into.map((d) => ({ id: d.id, ah: d.capacityAh })),
    ];
    const end = all.reduce((a, b) => (b.ah < a.ah ? b : a));
    const life =
      ageYears !== null && ageYears > 0
        ? lifeByHealth(end.ah / ratedAh, (2 * sdShare * end.ah) / ratedAh, ageYears)
        : null;
    const unpriced = into.filter((d) => d.price === null).length;
    return {
      school,
      places,
      lacking,
      donors: [...into].sort((a, b) => a.capacityAh - b.capacityAh).map((d) => d.id),
      levelAh: end.ah,
      endsIt: end.id,
      lastsYears: life && { low: life.fromYears, likely: life.yearsLeft, high: life.toYears },
      parts: { sum: into.reduce((s, d) => s + (d.price ?? 0), 0), unpriced },
    };
  });
}
