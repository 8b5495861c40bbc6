import { coverageOf, type Coverage, type InsulationObservation } from '@cellmend/core/insulation';
import type { Pack } from '@cellmend/core/pack';
import { buildOf } from '@cellmend/core/stripdown';
import type { TickData } from '@cellmend/contract/stripdown';
import { linksOutAt, type LinkRecord } from './linksOut';

/** When a link or a module inside was last taken off or put on, ms; the service disconnect is outside the lid. */
function lastMovedMs(pack: Pack, { ticks }: LinkRecord): number {
  const inside = new Set(
    buildOf(pack).parts.flatMap((p) => (p.kind === 'link' || p.kind === 'module' ? [p.id] : [])),
  );
  for (const l of pack.profile.links ?? []) if (l.kind === 'service-disconnect') inside.delete(l.id);
  return Math.max(
    0,
    ...ticks.filter((t) => inside.has((t.data as TickData).part)).map((t) => t.recordedAt.getTime()),
  );
}

/** What the insulation tests of a job cover together since a moment: what was done inside after a test makes it worth nothing. */
export function coveredSince(
  pack: Pack,
  record: LinkRecord,
  sinceMs: number,
  fits: readonly { place: string; at: Date }[],
): Coverage {
  const corrected = new Set(record.insulation.map((r) => r.supersedes));
  const rows = record.insulation.filter((r) => !corrected.has(r.id));
  const observations = rows.map((row): InsulationObservation => {
    const o = row.data as InsulationObservation;
    // Tests from before what was open was kept with them: as the rest of the record tells it.
    return o.kind === 'tester' && !o.openLinks
      ? { ...o, openLinks: linksOutAt(pack, { ...record, insulation: rows }, row.recordedAt) }
      : o;
  });
  const from = Math.max(sinceMs, lastMovedMs(pack, record));
  const first = rows.findIndex((r) => r.recordedAt.getTime() >= from);
  const fitted = fits.map(({ place, at }) => ({
    module: place,
    after: rows.filter((r) => r.recordedAt < at).length,
  }));
  return coverageOf(pack, observations, { from: first < 0 ? rows.length : first, fitted });
}
