import type { SeriesPoint } from './series';
import type { TestRow } from './types';

/** A pass counts from this long on, s: limits are given for the reading at one minute (IEEE 43, from memory). */
export const COUNTS_FROM_S = 60;

/** When the last resistance of a test was read, s since its voltage was applied; 0 where none was. */
export const lastReadingS = (points: readonly SeriesPoint[]): number =>
  Math.max(0, ...points.filter((p) => p.ohm !== null).map((p) => p.timeS));

/**
 * What a test that passed lacks to count, in a word or two; empty where it counts, or did not pass. It counts against a pass alone: what
 * leaked loose, or within seconds, leaks.
 */
export function passLacks(row: Pick<TestRow, 'result' | 'query' | 'mounted' | 'part' | 'points'>): string {
  if (row.result.verdict !== 'pass') return '';
  if (row.query !== '') return 'queried';
  if (!row.mounted && row.part !== 'vehicle') return 'loose';
  const lastS = lastReadingS(row.points);
  return lastS < COUNTS_FROM_S ? `${Math.round(lastS)} s` : '';
}

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
