import { limitValue, type Pack } from '../pack';
import { testVoltageBounds } from './limits';
import { passLacks, runsWithout } from './passes';
import { linksThen, reachOf, terminalsOf } from './reach';
import { judgeSeries, seriesQuery } from './series';
import { testedLabel, type InsulationObservation, type TestRow } from './types';

type Tester = Extract<InsulationObservation, { kind: 'tester' }>;

/**
 * One test of a tester, judged.
 * @param position of each module in the string, by id. @param links those that were out then, and those that the record says were in
 */
export function judgeTest(
  o: Tester,
  pack: Pack,
  position: ReadonlyMap<string, number>,
  links: { open: readonly string[]; closed: readonly string[] } = { open: o.openLinks ?? [], closed: [] },
): TestRow {
  const n = pack.modules.length;
  const [from, to] =
    o.tested.part === 'section'
      ? [position.get(o.tested.from) ?? 0, position.get(o.tested.to) ?? 0].sort((a, b) => a - b)
      : o.tested.part === 'pack' || o.tested.part === 'except'
        ? [0, n - 1]
        : [-1, -1];
  const terminals = terminalsOf(o);
  const reach = reachOf(pack, { tested: o.tested, terminals, ...links });
  const { leastV, mostV } = testVoltageBounds(pack);
  const input = {
    setV: o.setV,
    points: o.points,
    temperatureC: o.temperatureC,
    // A limit for one module is shared by those that lie side by side under this lead.
    modules: Math.max(1, reach.possible.length),
    moduleLeastOhm: limitValue(pack.profile, 'moduleInsulationOhm'),
    // A separated section carries the whole pack's voltage against the chassis when it is back in the string.
    workingV: leastV,
    mostV,
    mounted: o.mounted,
    tester: o.tester,
    lockedOutV: o.lockedOutV,
  };
  const row: TestRow = {
    label: labelOf(pack, o.tested, reach.certain),
    part: o.tested.part,
    from: from!,
    to: to!,
    reached: reach.certain,
    mayReach: reach.possible,
    terminals,
    contactProven: o.contactProven ?? null,
    wetted: o.wetted === true,
    mounted: o.mounted,
    setV: o.setV,
    points: o.points,
    result: judgeSeries(input),
    query: seriesQuery(input),
  };
  return { ...row, lacks: passLacks(row) };
}

/** How a test is called: a whole pack of which the lead reached a part is called by that part. */
function labelOf(pack: Pack, tested: Tester['tested'], certain: readonly number[]): string {
  const n = pack.stringOrder.length;
  if (tested.part !== 'pack' || certain.length === 0 || certain.length === n) return testedLabel(tested);
  return runsWithout(
    pack.stringOrder.map((_, i) => !certain.includes(i)),
    (i) => pack.modules[pack.stringOrder[i]!]!.id,
  );
}

/** Every test among the observations, with what was open at its moment. */
export function judgeTests(
  pack: Pack,
  observations: readonly InsulationObservation[],
  position: ReadonlyMap<string, number>,
): TestRow[] {
  const then = linksThen(observations);
  return observations.flatMap((o, index) =>
    o.kind === 'tester' ? [{ ...judgeTest(o, pack, position, then[index]!), index }] : [],
  );
}

/** Places that a test speaks of: of a leak all that may have been reached, of a pass what was for certain. */
export const spokenOf = (t: TestRow): readonly number[] =>
  (t.result.verdict === 'pass' ? t.reached : t.mayReach) ?? range(t.from, t.to);

/** A test of one module alone, or of a piece of one. */
export const alone = (t: TestRow): boolean =>
  (t.part === 'section' || t.part === 'inside') && spokenOf(t).length === 1;

const range = (from: number, to: number): number[] =>
  from < 0 ? [] : Array.from({ length: to - from + 1 }, (_, k) => from + k);
