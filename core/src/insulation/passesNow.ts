import { alone, spokenOf } from './judgeTest';
import { FALSE_PASSES, type FalsePass } from './series';
import type { InsulationObservation, PassesNow, TestRow } from './types';

/** Questions that the test itself answers. */
const saidByTest = (t: TestRow): Partial<Record<FalsePass, boolean>> => ({
  ...(t.mounted && { mounted: true }),
  ...(t.contactProven != null && { contact: t.contactProven }),
  ...(t.terminals === 'both' && { 'both poles': true }),
  // A pass below the working voltage is none.
  voltage: true,
  // Wetted again and clean: it is not the drying that hides it.
  ...(t.wetted && { dry: false, condensation: false }),
});

/**
 * Modules that leaked when they were tested alone and passed since. A leak does not heal: until it is answered how the pass may deceive, the
 * place stays suspect, and where an answer speaks against the pass it is not trusted. Answers from before the pass say nothing of it.
 * @param passes tests among which the pass may be: wetted, one answers a leak that was read dry, but not the other way round
 */
export function passesNow(
  tests: readonly TestRow[],
  observations: readonly InsulationObservation[],
  idAt: (i: number) => string,
  passes: readonly TestRow[] = tests,
): PassesNow[] {
  const leaks = tests.filter((t) => alone(t) && t.result.verdict === 'leak');
  const places = [...new Set(leaks.flatMap((t) => spokenOf(t)))].sort((a, b) => a - b);
  return places.flatMap((i): PassesNow[] => {
    const lastLeak = leaks.findLast((t) => spokenOf(t).includes(i))!;
    // Dry says nothing of a leak that came with water.
    const pass = passes.findLast(
      (t) =>
        t.result.verdict === 'pass' &&
        spokenOf(t).includes(i) &&
        t.index! > lastLeak.index! &&
        !(lastLeak.wetted && !t.wetted),
    );
    if (!pass) return [];
    const answers = new Map<FalsePass, boolean>(
      observations
        .slice(pass.index! + 1)
        .flatMap((o) => (o.kind === 'answer' ? [[o.question, o.yes] as const] : [])),
    );
    const said = saidByTest(pass);
    const told = FALSE_PASSES.map((f) => ({ ...f, yes: answers.get(f.id) ?? said[f.id] }));
    const ask = told.filter((f) => f.yes === undefined).map((f) => f.id);
    const against = told.filter((f) => f.yes !== undefined && f.yes !== f.trusts).map((f) => f.id);
    const state =
      against.length > 0 ? 'not trusted' : ask.length > 0 || pass.lacks !== '' ? 'open' : 'cleared';
    return [{ module: idAt(i), state, ask, against }];
  });
}
