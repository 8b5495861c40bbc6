import { openNow, type InsulationObservation } from '@cellmend/core/insulation';
import type { Pack } from '@cellmend/core/pack';
import { offNow } from '@cellmend/core/stripdown';
import type { TickData } from '@cellmend/contract/stripdown';
import type { ObservationFacts } from '../db/rows';
import type { Store } from '../domain/store';
import { observationsOf, openLockout } from '../safety/gate';
import { tickRows } from '../stripdown/ticks';
import type { Transaction } from 'sequelize';

/** What tells which links of a job are out, each in the order it was recorded. */
export interface LinkRecord {
  insulation: readonly ObservationFacts[];
  ticks: readonly ObservationFacts[];
  lockout: readonly ObservationFacts[];
}

const until = (rows: readonly ObservationFacts[], at: Date | null): readonly ObservationFacts[] =>
  at === null ? rows : rows.filter((r) => r.recordedAt <= at);

/**
 * Links that were out at a moment, or are out now where none is given. A tick of strip down has the last word on its link, then what was noted for the search; the service
 * disconnect, of which neither says anything, is out while the lock-out that took it out is open.
 */
export function linksOutAt(pack: Pack, record: LinkRecord, at: Date | null = null): string[] {
  const ticks = until(record.ticks, at).map((t) => t.data as TickData);
  const ticked = new Set(ticks.map((t) => t.part));
  const notes = until(record.insulation, at).map((r) => r.data as InsulationObservation);
  const noted = new Set(notes.flatMap((o) => (o.kind === 'link' ? [o.link] : [])));
  const links = pack.profile.links ?? [];
  const lockedOut = openLockout(until(record.lockout, at))?.entries.some((e) => e.step === 'disconnect');
  const disconnects = lockedOut ? links.filter((l) => l.kind === 'service-disconnect').map((l) => l.id) : [];
  return [
    ...new Set([
      ...openNow(notes).filter((id) => !ticked.has(id)),
      ...offNow(ticks).filter((id) => links.some((l) => l.id === id)),
      ...disconnects.filter((id) => !ticked.has(id) && !noted.has(id)),
    ]),
  ];
}

/** What tells which links of a job are out, corrections applied. */
export async function linkRecord(store: Store, jobId: string, tx?: Transaction): Promise<LinkRecord> {
  const insulation = await observationsOf(store, jobId, 'insulation', tx);
  const corrected = new Set(insulation.map((r) => r.supersedes));
  return {
    insulation: insulation.filter((r) => !corrected.has(r.id)),
    ticks: await tickRows(store, jobId, tx),
    lockout: await observationsOf(store, jobId, 'make-safe', tx),
  };
}
