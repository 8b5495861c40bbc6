import {
  coverageOf,
  judgeTest,
  openNow,
  type Coverage,
  type InsulationObservation,
  type TestThen,
} from '@cellmend/core/insulation';
import type { Pack } from '@cellmend/core/pack';
import { offNow } from '@cellmend/core/stripdown';
import type { TickData } from '@cellmend/contract/stripdown';
import type { ObservationFacts } from '../db/rows';

/** Links that were out at a moment: those noted as pulled for the search, and by the ticks of strip down, which have the last word on theirs. */
function openThen(pack: Pack, noted: readonly InsulationObservation[], ticks: readonly TickData[]): string[] {
  const ticked = new Set(ticks.map((t) => t.part));
  const isLink = (id: string): boolean => pack.profile.links?.some((l) => l.id === id) === true;
  return [...openNow(noted).filter((id) => !ticked.has(id)), ...offNow(ticks).filter(isLink)];
}

/** What the insulation tests of a job cover together since a moment: what was done inside after a test makes it worth nothing. */
export function coveredSince(
  pack: Pack,
  rows: readonly ObservationFacts[],
  tickRows: readonly ObservationFacts[],
  sinceMs: number,
): Coverage {
  const corrected = new Set(rows.map((r) => r.supersedes));
  const position = new Map(pack.stringOrder.map((m, i) => [pack.modules[m]!.id, i]));
  const noted: InsulationObservation[] = [];
  const tests: TestThen[] = [];
  for (const row of rows) {
    if (corrected.has(row.id)) continue;
    const o = row.data as InsulationObservation;
    noted.push(o);
    if (o.kind !== 'tester' || row.recordedAt.getTime() < sinceMs) continue;
    const ticks = tickRows.filter((t) => t.recordedAt <= row.recordedAt).map((t) => t.data as TickData);
    tests.push({ row: judgeTest(o, pack, position), openLinks: openThen(pack, noted, ticks) });
  }
  return coverageOf(pack, tests);
}
