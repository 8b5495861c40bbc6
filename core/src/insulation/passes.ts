import type { SeriesPoint } from './series';
import type { TestRow } from './types';

/** A pass counts from this long on, s: limits are given for the reading at one minute (IEEE 43, from memory). */
export const COUNTS_FROM_S = 60;

/** When the last resistance of a test was read, s since its voltage was applied; 0 where none was. */
export const lastReadingS = (points: readonly SeriesPoint[]): number =>
  Math.max(0, ...points.filter((p) => p.ohm !== null).map((p) => p.timeS));

type Passed = Pick<
  TestRow,
  'label' | 'result' | 'query' | 'mounted' | 'part' | 'points' | 'reached' | 'mayReach' | 'contactProven'
>;

/** What a test that passed lacks to count: in a word or two, and in a sentence that says what to do. */
function faultsOf(row: Passed): { word: string; says: string }[] {
  const lastS = Math.round(lastReadingS(row.points));
  const of: [boolean, string, string][] = [
    [row.query !== '', 'queried', `${row.label}: its figures were queried.`],
    [
      row.contactProven === false,
      'contact not proven',
      `${row.label}: the clips were not proven to touch metal, and a lead that hangs free passes everything.`,
    ],
    [
      !row.mounted && row.part !== 'vehicle' && row.part !== 'other',
      'loose',
      `${row.label} was loose: no leak seen; test it again mounted.`,
    ],
    [
      lastS < COUNTS_FROM_S,
      `${lastS} s`,
      `${row.label} was tested for ${lastS} s: no leak so far; test it for a minute.`,
    ],
    [
      row.part !== 'inside' && (row.mayReach?.length ?? 0) > 0 && row.reached?.length === 0,
      'which pole',
      `${row.label} was tested across a link that was out: from one pole it reached one side, and which pole is not on record.`,
    ],
  ];
  return of.filter(([is]) => is).map(([, word, says]) => ({ word, says }));
}

/**
 * What a test that passed lacks to count, in a word or two; empty where it counts, or did not pass. It counts against a pass alone: what
 * leaked loose, or within seconds, leaks.
 */
export const passLacks = (row: Passed): string =>
  row.result.verdict === 'pass' ? (faultsOf(row)[0]?.word ?? '') : '';

/** The same in sentences: everything that it lacks, with what to do. */
export const passFaults = (row: Passed): string[] =>
  row.result.verdict === 'pass' ? faultsOf(row).map((f) => f.says) : [];

/** The places of the string that lack something, by their ends: `M03, M13 to M24`; empty where none does. */
export function runsWithout(has: readonly boolean[], idAt: (i: number) => string): string {
  const runs: string[] = [];
  for (let i = 0; i < has.length; i++) {
    if (has[i]) continue;
    let end = i;
    while (end + 1 < has.length && !has[end + 1]) end++;
    runs.push(i === end ? idAt(i) : `${idAt(i)} to ${idAt(end)}`);
    i = end;
  }
  return runs.join(', ');
}
