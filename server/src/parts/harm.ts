import { awayFactsOf, notForTheShelf } from '@cellmend/core/handover';
import type { InsulationObservation } from '@cellmend/core/insulation';
import { normalisePack } from '@cellmend/core/pack';
import { QueryTypes, type Transaction } from 'sequelize';
import { bodyIn, currentDecisions } from '../decisions/current';
import type { Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { newestSpread } from '../findings/newest';
import type { FoundJob } from '../jobs/find';
import { observationsOf, openLockout } from '../safety/gate';

/** Why a module that comes out of a pack does not go onto the shelf; empty where nothing is known against it. */
async function harmAt(
  store: Store,
  { job, pack, profile }: FoundJob,
  place: string,
  tx: Transaction,
): Promise<string> {
  const [since] = await store.sequelize.query<{ at: Date }>(
    `SELECT at FROM current_placements WHERE kind = 'pack' AND pack_id = $1 AND place = $2 AND job_id IS NOT NULL`,
    { bind: [pack.id, place], type: QueryTypes.SELECT, transaction: tx },
  );
  const [scan] = await store.sequelize.query<{ at: Date }>(
    `SELECT min(created_at) AS at FROM scans WHERE job_id = $1 AND role = 'before' HAVING count(*) > 0`,
    { bind: [job.id], type: QueryTypes.SELECT, transaction: tx },
  );
  const insulation = await observationsOf(store, job.id, 'insulation', tx);
  const corrected = new Set(insulation.map((o) => o.supersedes));
  const stops = await store.models.Stop.findAll({ where: { jobId: job.id }, transaction: tx });
  const spread = await newestSpread(store, job.id, tx);
  const intake = bodyIn(await currentDecisions(store, job.id, tx), 'intake');
  return notForTheShelf(
    awayFactsOf(
      {
        pack: normalisePack(profile),
        hazards: openLockout(await observationsOf(store, job.id, 'make-safe', tx))?.hazards ?? [],
        stopKinds: stops.map((s) => s.kind),
        signs: intake?.signs ?? [],
        leaking: [],
        seen: insulation.flatMap((row) => {
          const o = row.data as InsulationObservation;
          return o.kind === 'seen' && !corrected.has(row.id)
            ? [{ place: o.module, evidence: o.evidence, at: row.recordedAt.toISOString() }]
            : [];
        }),
        reports: scan && spread ? [{ at: scan.at.toISOString(), report: spread.report }] : [],
      },
      { place, since: since?.at.toISOString() ?? null, quarantined: false },
    ),
  );
}

/** Refuses the shelf to what is known to be swollen, wet, dead, leaking or out of a crash. @throws 422 */
export async function mustMayGoTo(
  store: Store,
  found: FoundJob,
  place: string,
  to: string,
  tx: Transaction,
): Promise<void> {
  if (to !== 'shelf') return;
  const harm = await harmAt(store, found, place, tx);
  if (harm !== '')
    throw new Refusal('notPossible', 'Not for the shelf', `What came out of ${place}: ${harm}.`, {
      fields: [{ field: 'out', message: 'Quarantine, or out of the workshop with proof.' }],
      accepted: 'Quarantine; the bench, to be looked at; or out of the workshop with proof.',
    });
}
