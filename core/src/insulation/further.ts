import { alone, spokenOf } from './judgeTest';
import type { LeakLocation } from './location';
import { betweenOf } from './pairs';
import { resistanceOf, sizeInWords } from './series';
import { TESTER_SHARE } from './size';
import { afterTest } from './split';
import type { MergedSize, TestRow } from './types';

/** A place that leaks, with its resistance where it was tested alone, Ω. */
export interface FoundLeak {
  at: number;
  ohm: number | null;
}

/** What is left to look for once a leak was found. */
export interface FurtherLeaks {
  /** Why at least one more leaks; empty where nothing says so. */
  why: string;
  /** Only figures of all there is say so: it may be outside the pack as well. */
  perhapsOutside: boolean;
  /** Where the next one is, in string order, adding up to 1; nothing where a leak was found already. */
  probability: number[];
  /** What leaks beside the found ones, as far as each test tells: places in each of which at least one leaks. */
  leaking: number[][];
  /** Places that no test which counts has passed, those that were found left out. */
  unproven: boolean[];
  /** Found ones that no test of them alone has shown. */
  untested: number[];
  /** Everything else passed by tests that count, and what was found leaked by itself. */
  proven: boolean;
}

/**
 * Looks on behind the leaks that were found. A test that reached a found leak and more carries the current of both: what is left of its
 * conductance once the found ones are taken off, beyond what the tester is good to, leaks elsewhere in that part. The same holds for what the
 * terminals, a known resistor or the vehicle show of all there is. Of two leaks the chassis lies between, at the mean weighted by
 * conductance, each share as likely as the next: with one of them known, the voltages say on which side of it the other is.
 *
 * @param found positions in the string, with their resistance where they were tested alone, Ω
 * @param weight of what was seen at each place, in string order
 * @param places where each begins and ends along the string, in string order, 0 to 1
 */
export function furtherLeaks(s: {
  found: readonly FoundLeak[];
  tests: readonly TestRow[];
  sizes: MergedSize | null;
  location: LeakLocation | null;
  places: readonly { low: number; high: number }[];
  weight: readonly number[];
}): FurtherLeaks {
  const { found, tests, places, weight } = s;
  const at = new Set(found.map((f) => f.at));
  const elsewhere = (t: TestRow): number[] => spokenOf(t).filter((i) => !at.has(i));
  const withFound = (t: TestRow): boolean => spokenOf(t).some((i) => at.has(i));
  const leaks = tests.filter((t) => t.result.verdict === 'leak' && elsewhere(t).length > 0);
  const beside = leaks.filter((t) => !withFound(t) || leaksBeside(t, found));
  const size = sizeLeft(found, s.sizes);
  // With one known, how well the voltages fit that each of the others is the second.
  const fit = found.length === 1 ? betweenOf(s.location, places) : () => 1;
  let p = scaledToOne(
    places.map((_, i) =>
      at.has(i) ? 0 : (places[i]!.high - places[i]!.low) * weight[i]! * fit(found[0]!.at, i),
    ),
  );
  for (const t of tests) {
    if (t.result.verdict === 'leak' && !beside.includes(t)) continue;
    if (t.result.verdict === 'doubtful' && withFound(t)) continue;
    const reached = elsewhere(t);
    if (reached.length > 0) p = afterTest(p, new Set(reached), t.result.verdict);
  }
  const unproven = places.map(
    (_, i) =>
      !at.has(i) &&
      !tests.some((t) => t.result.verdict === 'pass' && t.lacks === '' && spokenOf(t).includes(i)),
  );
  const shown = beside[0];
  const untested = found.filter((f) => f.ohm === null).map((f) => f.at);
  const why = shown
    ? withFound(shown)
      ? `${upperFirst(shown.label)} leaks more than what was found in it.`
      : `${upperFirst(shown.label)} leaks as well.`
    : size;
  return {
    why,
    perhapsOutside: !shown && size !== '',
    probability: p,
    leaking: beside.map(elsewhere),
    unproven,
    untested,
    proven: why === '' && !unproven.some(Boolean) && untested.length === 0,
  };
}

const upperFirst = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);

/** Conductance of the found leaks, S: least and most by what a tester is good to; null where one was not read. */
function foundSiemens(
  found: readonly Pick<FoundLeak, 'ohm'>[],
): { low: number; value: number; high: number } | null {
  if (found.length === 0 || found.some((f) => !f.ohm)) return null;
  const value = found.reduce((g, f) => g + 1 / f.ohm!, 0);
  return { value, low: value * (1 - TESTER_SHARE), high: value * (1 + TESTER_SHARE) };
}

/** Whether a test that reached found leaks carried more current than they take. */
function leaksBeside(t: TestRow, found: readonly FoundLeak[]): boolean {
  const own = foundSiemens(found.filter((f) => spokenOf(t).includes(f.at)));
  const ohm = resistanceOf(t.points)?.ohm;
  if (!own || !ohm) return false;
  // Beyond what healthy modules side by side may take.
  return (1 - TESTER_SHARE) / ohm - own.high > 1 / t.result.leastOhm;
}

/** What the figures of all there is show beyond the found leaks, in words; empty where they show nothing. */
export function sizeLeft(found: readonly Pick<FoundLeak, 'ohm'>[], sizes: MergedSize | null): string {
  const own = foundSiemens(found);
  const all = (sizes?.sources ?? [])
    .filter((x) => x.from !== 'the tester')
    .sort((a, b) => a.size.high - b.size.high)[0];
  if (!own || !all || 1 / all.size.high <= own.high) return '';
  return `${sizeInWords(1 / own.value)} is found, and ${all.from} show${all.from === 'two voltages' ? '' : 's'} ${sizeInWords(all.size.value)}: look on.`;
}

const scaledToOne = (p: readonly number[]): number[] => {
  const total = p.reduce((a, b) => a + b, 0);
  return p.map((x) => (total > 0 ? x / total : 1 / p.length));
};

/** Leaks that were tested alone, in string order, each with its newest reading; null where it was not read. */
export function foundAlone(leaks: readonly TestRow[]): FoundLeak[] {
  const by = new Map<number, number | null>();
  for (const t of leaks) if (alone(t)) by.set(spokenOf(t)[0]!, resistanceOf(t.points)?.ohm ?? t.result.ohm);
  return [...by].map(([at, ohm]) => ({ at, ohm })).sort((a, b) => a.at - b.at);
}

/** The found leaks, and those that are left where a part leaks and all of it but one place is clean. */
export function withEliminated(
  found: readonly FoundLeak[],
  leaks: readonly TestRow[],
  clean: readonly boolean[],
): FoundLeak[] {
  const known = new Set(found.map((f) => f.at));
  const left = leaks
    .filter((t) => !spokenOf(t).some((i) => known.has(i)) || leaksBeside(t, found))
    .map((t) => spokenOf(t).filter((i) => !clean[i] && !known.has(i)))
    .filter((at) => at.length === 1)
    .map((at) => at[0]!);
  return [...found, ...[...new Set(left)].map((at) => ({ at, ohm: null }))].sort((a, b) => a.at - b.at);
}
