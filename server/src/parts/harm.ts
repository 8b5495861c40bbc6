import { awayFactsOf, notForTheShelf, type KnownOfModules } from '@cellmend/core/handover';
import { leakedAlone, type InsulationObservation } from '@cellmend/core/insulation';
import { normalisePack } from '@cellmend/core/pack';
import { QueryTypes, type Transaction } from 'sequelize';
import { bodyIn, currentDecisions } from '../decisions/current';
import type { Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { digestOfRow } from '../findings/digest';
import { newestSpread } from '../findings/newest';
import type { FoundJob } from '../jobs/find';
import { observationsOf, openLockout } from '../safety/gate';

/** The diagnosis of the records before or after the work, with the moment of the first of them. */
async function reportOfRole(
  store: Store,
  jobId: string,
  role: 'before' | 'after',
  tx: Transaction,
): Promise<KnownOfModules['reports']> {
  const spread = await newestSpread(store, jobId, tx, role);
  const scan = await store.models.Scan.findOne({
    where: { jobId, role },
    order: [['createdAt', 'ASC']],
    attributes: ['createdAt'],
    transaction: tx,
  });
  return spread && scan ? [{ at: scan.createdAt.toISOString(), report: spread.report }] : [];
}

/** Modules that the newest report of insulation found the leak at. */
async function leakingNow(store: Store, jobId: string, tx: Transaction): Promise<string[]> {
  const row = await store.models.Finding.findOne({
    where: { jobId, topic: 'insulation' },
    order: [['createdAt', 'DESC']],
    transaction: tx,
  });
  return row ? (digestOfRow(row).leak?.found?.split(' and ') ?? []) : [];
}

/** Why a module that comes out of a pack does not go onto the shelf; empty where nothing is known against it. */
async function harmAt(
  store: Store,
  { job, pack: standing, profile }: FoundJob,
  place: string,
  tx: Transaction,
): Promise<string> {
  const [since] = await store.sequelize.query<{ at: Date }>(
    `SELECT at FROM current_placements WHERE kind = 'pack' AND pack_id = $1 AND place = $2 AND job_id IS NOT NULL`,
    { bind: [standing.id, place], type: QueryTypes.SELECT, transaction: tx },
  );
  const insulation = await observationsOf(store, job.id, 'insulation', tx);
  const corrected = new Set(insulation.map((o) => o.supersedes));
  const entries = insulation
    .filter((row) => !corrected.has(row.id))
    .map((row) => ({ observation: row.data as InsulationObservation, at: row.recordedAt.toISOString() }));
  const pack = normalisePack(profile);
  const stops = await store.models.Stop.findAll({ where: { jobId: job.id }, transaction: tx });
  const reports: KnownOfModules['reports'] = [
    ...(await reportOfRole(store, job.id, 'before', tx)),
    ...(await reportOfRole(store, job.id, 'after', tx)),
  ];
  const intake = bodyIn(await currentDecisions(store, job.id, tx), 'intake');
  return notForTheShelf(
    awayFactsOf(
      {
        pack,
        hazards: openLockout(await observationsOf(store, job.id, 'make-safe', tx))?.hazards ?? [],
        stopKinds: stops.map((s) => s.kind),
        signs: intake?.signs ?? [],
        leaking: await leakingNow(store, job.id, tx),
        leakTests: leakedAlone(pack, entries),
        seen: entries.flatMap(({ observation: o, at }) =>
          o.kind === 'seen' ? [{ place: o.module, evidence: o.evidence, at }] : [],
        ),
        reports,
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
