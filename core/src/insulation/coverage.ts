import { linksInOrder } from '../safety/exposure';
import type { Pack } from '../pack';
import { COUNTS_FROM_S, lastReadingS, runsWithout } from './passes';
import { judgeTest } from './report';
import type { InsulationObservation, TestRow } from './types';

/** A test with the links that were out at that moment. */
export interface TestThen {
  row: TestRow;
  openLinks: readonly string[];
}
export interface Coverage {
  /** Modules that a valid test reached and found clean, by their order in the string. */
  covered: boolean[];
  /** Those that none did, such as `M13 to M24`; empty where all are. */
  missing: string;
  /** Tests that passed and prove nothing of the pack as it is, each with the reason. */
  notCounted: string[];
}

/** Why a test that passed covers nothing; empty where it counts, or did not pass. */
function notCounted({ row, openLinks }: TestThen, inside: readonly string[]): string {
  if (row.result.verdict !== 'pass' || row.part === 'vehicle') return '';
  if (row.query !== '') return `${row.label}: its figures were queried.`;
  if (!row.mounted) return `${row.label} was loose: no leak seen; test it again mounted.`;
  const lastS = lastReadingS(row.points);
  if (lastS < COUNTS_FROM_S)
    return `${row.label} was tested for ${Math.round(lastS)} s: no leak so far; test it for a minute.`;
  const cut = openLinks.filter((l) => inside.includes(l));
  return cut.length > 0
    ? `${row.label} was tested across ${cut.join(' and ')}, which ${cut.length > 1 ? 'were' : 'was'} out: from one clip it reached one side. Each side by itself.`
    : '';
}

/**
 * What tests that passed cover together: a test reaches what hangs on its clip, mounted, for a minute, without an open link between. A leak
 * or a doubtful test of a module takes back what an earlier one said of it.
 * @param tests since the last work inside, in their order
 */
export function coverageOf(pack: Pack, tests: readonly TestThen[]): Coverage {
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  const links = linksInOrder(pack);
  const covered = order.map(() => false);
  const why: string[] = [];
  for (const test of tests) {
    const { row } = test;
    // A test that is not valid says nothing, for or against.
    if (row.part === 'vehicle' || row.result.verdict === 'not valid') continue;
    const inside = links.slice(row.from, row.to).flatMap((l) => (l ? [l.id] : []));
    const reason = notCounted(test, inside);
    if (reason !== '') why.push(reason);
    if (reason !== '' && row.result.verdict === 'pass') continue;
    for (let i = row.from; i <= row.to; i++) covered[i] = row.result.verdict === 'pass';
  }
  return { covered, missing: runsWithout(covered, (i) => order[i]!), notCounted: why };
}

/** Modules that leaked when they were tested by themselves, each with the moment of the test, ISO 8601. */
export function leakedAlone(
  pack: Pack,
  entries: readonly { observation: InsulationObservation; at: string }[],
): { place: string; at: string }[] {
  const position = new Map(pack.stringOrder.map((m, i) => [pack.modules[m]!.id, i]));
  return entries.flatMap(({ observation: o, at }) => {
    if (o.kind !== 'tester' || o.tested.part !== 'section' || o.tested.from !== o.tested.to) return [];
    return judgeTest(o, pack, position).result.verdict === 'leak' ? [{ place: o.tested.from, at }] : [];
  });
}
