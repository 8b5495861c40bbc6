import type { Pack } from '../pack';
import { alone, judgeTest, judgeTests, spokenOf } from './judgeTest';
import { passFaults, runsWithout } from './passes';
import { passesNow } from './passesNow';
import {
  OTHER_PARTS,
  type Coverage,
  type InsulationObservation,
  type PassesNow,
  type TestRow,
} from './types';

interface CoverageAsk {
  /** Position of the first observation that counts: what was done inside later than a test makes it worth nothing. */
  from?: number;
  /** The tests, where they are judged already. */
  tests?: readonly TestRow[];
  /** Parts that went in, each with how many observations had been made by then: what leaked before was another part. */
  fitted?: readonly { module: string; after: number }[] | undefined;
}

/**
 * What tests cover together. A test reaches what hangs on its lead as far as the first link that is out; it covers that where it passed,
 * mounted, for a minute, with its voltage reached and nothing queried. A leak, or a doubtful test, takes back what an earlier one said of a
 * place; what leaked wetted is answered by a pass after wetting alone; and a pass after a leak is believed once it is answered how it may
 * deceive. What was tested before a link was moved, or before a part went in, covers nothing any more.
 *
 * @example
 * // Two halves, each from its own pole, with the disconnect out.
 * coverageOf(pack, [disconnectOut, test('negative'), test('positive')]).complete; // true
 */
export function coverageOf(
  pack: Pack,
  observations: readonly InsulationObservation[],
  { from = 0, tests, fitted = [] }: CoverageAsk = {},
): Coverage {
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  const position = new Map(order.map((id, i) => [id, i]));
  const rows = tests ?? judgeTests(pack, observations, position);
  const moved = observations.reduce((last, o, i) => (o.kind === 'link' ? i : last), -1);
  const first = Math.max(from, moved + 1);
  const covered = order.map(() => false);
  /** It leaked wetted, and passed only dry since: that says nothing of it. */
  const leaksWet = order.map(() => false);
  for (const row of rows) {
    // A test that is not valid says nothing, for or against.
    if (row.result.verdict === 'not valid') continue;
    const passed = row.result.verdict === 'pass';
    if (passed && row.lacks !== '') continue;
    for (const i of spokenOf(row)) {
      const gone = fitted.some((f) => f.module === order[i] && row.index! < f.after);
      if (row.wetted && !gone) leaksWet[i] = !passed;
      if (row.index! >= first) covered[i] = passed;
    }
  }
  for (const i of order.keys()) if (leaksWet[i]) covered[i] = false;
  // What leaked and passes now asks first how the pass may deceive.
  const ofThis = rows.filter(
    (row) =>
      !(alone(row) && fitted.some((f) => f.module === order[spokenOf(row)[0]!] && row.index! < f.after)),
  );
  const doubted = passesNow(ofThis, observations, (i) => order[i]!).filter((m) => m.state !== 'cleared');
  for (const m of doubted) covered[position.get(m.module)!] = false;
  const speaksOf = (row: TestRow, module: string): boolean => spokenOf(row).includes(position.get(module)!);
  const proven = order.filter((_, i) => covered[i]);
  return {
    tests: rows.map((row) => {
      const asked = row.result.verdict === 'pass' ? doubted.filter((m) => speaksOf(row, m.module)) : [];
      const dryOnly =
        row.result.verdict === 'pass' && !row.wetted && spokenOf(row).some((i) => leaksWet[i])
          ? [
              `${row.label} passed dry, and leaked after wetting: a dry pass says nothing of that; test it wetted.`,
            ]
          : [];
      const why = row.result.verdict === 'not valid' ? row.result.reasons.slice(0, 1) : passFaults(row);
      return {
        index: row.index!,
        label: row.label,
        reached: (row.reached ?? []).map((i) => order[i]!),
        valid: row.result.verdict !== 'not valid' && row.lacks === '',
        why: [...why, ...dryOnly, ...asked.map(askedFirst), ...(row.index! < first ? [PAST] : [])],
      };
    }),
    proven,
    missing: order.filter((_, i) => !covered[i]),
    complete: proven.length === order.length,
    caseParts: casePartsOf(rows, first, covered[0] === true && covered.at(-1) === true),
  };
}
/**
 * Which parts in the case, that are no modules, valid tests have found clean; the newest test of each counts. With its contactors open a
 * board hangs with one side on the ends of the string and with the other on the pack connector, as the cables between them do: tests of
 * both reach all of it. Common practice, no source.
 * @param ends both ends of the string are covered
 */
function casePartsOf(
  rows: readonly TestRow[],
  first: number,
  ends: boolean,
): NonNullable<Coverage['caseParts']> {
  const names = Object.values(OTHER_PARTS).flatMap((p) => (p.inCase ? [p.name as string] : []));
  const ownTest = (name: string): boolean | null => {
    const newest = rows.findLast(
      (r) => r.part === 'other' && r.label === name && r.index! >= first && r.result.verdict !== 'not valid',
    );
    if (!newest) return null;
    // With the contactors open the poles of the connector hang on nothing in common: from one of them a pass is of its half.
    const half = name === OTHER_PARTS['pack connector'].name && newest.terminals !== 'both';
    return newest.result.verdict === 'pass' && newest.lacks === '' && !half;
  };
  const fromBothSides = ends && ownTest(OTHER_PARTS['pack connector'].name) === true;
  const isProven = (name: string): boolean => ownTest(name) ?? fromBothSides;
  return { proven: names.filter(isProven), missing: names.filter((n) => !isProven(n)) };
}
const askedFirst = ({ module, state }: PassesNow): string =>
  state === 'not trusted'
    ? `${module} leaked before, and what is answered speaks against its pass: test it wetted, or replace it.`
    : `${module} leaked before: answer first, under Insulation, how its pass may deceive.`;
const PAST = 'A link was moved, or work was done inside, since.';

/** What is missing, by the ends of its runs, such as `M13 to M24`; empty where nothing is. */
export const missingRuns = (pack: Pack, { missing }: Pick<Coverage, 'missing'>): string => {
  const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
  return runsWithout(
    order.map((id) => !missing.includes(id)),
    (i) => order[i]!,
  );
};

/** What is still to be tested of the case, in a sentence; empty where nothing is. The connector first: its test reaches most of it. */
export function missingCaseParts({ caseParts }: Pick<Coverage, 'caseParts'>): string {
  const missing = caseParts?.missing ?? [];
  if (missing.length === 0) return '';
  const connector = OTHER_PARTS['pack connector'].name;
  return missing.includes(connector)
    ? `Not covered yet: ${connector}. Joined, its poles reach the cables and the contactor board from outside, which no test of the string does.`
    : `Not covered yet: ${missing.join(' and ')}.`;
}

/** Why tests that passed cover less than they seem to, newest first. */
export const whyNotCounted = ({ tests }: Coverage): string[] => [
  ...new Set([...tests].reverse().flatMap((t) => t.why.filter((w) => w !== PAST))),
];

/** Modules that leaked when they were tested by themselves, each with the moment of the test, ISO 8601. */
export function leakedAlone(
  pack: Pack,
  entries: readonly { observation: InsulationObservation; at: string }[],
): { place: string; at: string }[] {
  const position = new Map(pack.stringOrder.map((m, i) => [pack.modules[m]!.id, i]));
  return entries.flatMap(({ observation: o, at }) => {
    if (o.kind !== 'tester' || o.tested.part !== 'section' || o.tested.from !== o.tested.to) return [];
    const row = judgeTest(o, pack, position);
    return alone(row) && row.result.verdict === 'leak' ? [{ place: o.tested.from, at }] : [];
  });
}
