import { NewFindingSchema } from '@cellmend/contract/findings';
import type { Finding } from '@cellmend/contract/records';
import type { InsulationReport } from '@cellmend/core/insulation';
import { CORE_VERSION, type PackProfile } from '@cellmend/core/pack';
import { sureness, verdictName, type SpreadReport } from '@cellmend/core/spread';
import { randomUUID } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import { QueryTypes, type Transaction } from 'sequelize';
import type { FindingRow, JobRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../http/context';
import { notFound } from '../http/problems';
import { refreshNeed } from '../jobs/need';
import { compute } from './compute';
import { reportOf } from './stored';

export const viewFinding = (row: FindingRow): Finding => ({
  id: row.id,
  topic: row.topic,
  coreVersion: row.coreVersion,
  profileVersion: row.profileVersion,
  inputIds: row.inputIds,
  parameters: row.parameters,
  result: row.topic === 'spread' ? reportOf(row) : row.result,
  createdAt: row.createdAt.toISOString(),
});

/** One line that says what a finding found, for the board and the timeline. */
export function headlineOf(topic: string, result: unknown): string {
  if (topic === 'insulation') return (result as InsulationReport).title;
  if (topic !== 'spread') return '';
  const report = result as SpreadReport;
  if (report.pack.verdict === 'over-discharged' || report.pack.verdict === 'over-charged')
    return `The pack is ${report.pack.verdict}: ${report.pack.reasons[0] ?? ''}`;
  const first = report.findings[0];
  if (!first)
    return report.pack.verdict === 'aged'
      ? 'Aged but even: no channel stands out.'
      : 'No channel stands out.';
  return `${first.module} ${verdictName(first.verdict)}${first.verdict === 'undetermined' ? '' : `, ${Math.round(sureness(report.findings, first) * 100)} % sure`}`;
}

/** The version of the job's profile as it is now. */
async function profileVersionOf(store: Store, job: JobRow, tx: Transaction): Promise<number> {
  const row = await store.models.PackProfile.findByPk(job.packProfileId, {
    attributes: ['version'],
    transaction: tx,
    lock: tx.LOCK.SHARE,
  });
  return row!.version;
}

export async function storeFinding(
  store: Store,
  doing: Doing,
  job: JobRow,
  topic: string,
  inputIds: string[],
  parameters: Record<string, unknown>,
  result: unknown,
): Promise<Finding> {
  const headline = headlineOf(topic, result);
  const row = await store.models.Finding.create(
    {
      id: randomUUID(),
      jobId: job.id,
      topic,
      coreVersion: CORE_VERSION,
      profileVersion: await profileVersionOf(store, job, doing.tx),
      inputIds,
      parameters,
      result: JSON.parse(JSON.stringify(result)) as unknown,
      headline,
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, job.id, 'finding computed', topic, headline);
  return viewFinding(row);
}

export async function computeFinding(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
  body: unknown,
): Promise<Finding> {
  const ask = NewFindingSchema.parse(body);
  const { inputIds, result } = await compute(store, job.id, profile, ask, doing.tx);
  const finding = await storeFinding(store, doing, job, ask.topic, inputIds, ask, result);
  if (ask.topic === 'spread') await computeInsulation(store, doing, job, profile);
  await announce(store, doing.tx, 'findings', job.number);
  return finding;
}

/**
 * The report on a leak, from everything observed until now and the newest scan, whichever came first. Null where
 * nothing was observed of insulation.
 */
export async function computeInsulation(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
): Promise<Finding | null> {
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'insulation' },
    attributes: ['id', 'supersedes'],
    order: [['seq', 'ASC']],
    transaction: doing.tx,
  });
  const old = new Set(rows.map((r) => r.supersedes));
  const observationIds = rows.filter((r) => !old.has(r.id)).map((r) => r.id);
  if (observationIds.length === 0) return null;
  const spread = await store.models.Finding.findOne({
    where: { jobId: job.id, topic: 'spread' },
    attributes: ['id'],
    order: [['createdAt', 'DESC']],
    transaction: doing.tx,
  });
  return computeFinding(store, doing, job, profile, {
    topic: 'insulation',
    observationIds,
    spreadFindingId: spread?.id ?? null,
    readingIds: await typedVoltages(store, job.id, profile, doing.tx),
  });
}

/** The newest thousand voltages typed at modules and channels that nobody corrected. */
async function typedVoltages(
  store: Store,
  jobId: string,
  profile: PackProfile,
  tx: Transaction,
): Promise<string[]> {
  const places = [...profile.modules.map((m) => m.id), ...profile.channels.map((c) => c.id)];
  const rows = await store.sequelize.query<{ id: string }>(
    `SELECT r.id FROM readings r WHERE r.job_id = :jobId AND r.kind = 'voltage' AND r.conditions <> 'per group'
       AND r.place IN (:places) AND NOT EXISTS (SELECT 1 FROM readings n WHERE n.supersedes = r.id)
     ORDER BY r.observed_at DESC LIMIT 1000`,
    { replacements: { jobId, places }, type: QueryTypes.SELECT, transaction: tx },
  );
  return rows.map((r) => r.id);
}

/**
 * Computes a stored finding once more, from its inputs and the profile as it was then, and says whether the result is
 * the same. Findings from before versions were kept are computed with the profile as it is now.
 */
export async function recompute(
  store: Store,
  tx: Transaction,
  job: JobRow,
  profile: PackProfile,
  id: string,
): Promise<{ same: boolean; storedVersion: string; nowVersion: string; result: unknown }> {
  const row = await store.models.Finding.findOne({ where: { id, jobId: job.id }, transaction: tx });
  if (!row) throw notFound('That finding');
  const then =
    row.profileVersion === null
      ? null
      : await store.models.PackProfileVersion.findOne({
          where: { profileId: job.packProfileId, version: row.profileVersion },
          transaction: tx,
        });
  const ask = NewFindingSchema.parse(
    // Findings of the first days named the role only.
    row.topic === 'spread' && !row.parameters.scanIds
      ? { topic: 'spread', role: row.parameters.role, scanIds: row.inputIds }
      : row.parameters,
  );
  const { result } = await compute(store, job.id, then?.profile ?? profile, ask, tx);
  const now = JSON.parse(JSON.stringify(result)) as unknown;
  return {
    same: isDeepStrictEqual(now, row.result),
    storedVersion: row.coreVersion,
    nowVersion: CORE_VERSION,
    result: now,
  };
}

/**
 * Computes every newest finding of a job anew with the pack profile as it is now. What was computed before stays as it
 * is: the new findings stand beside it.
 */
export async function computeAnew(
  store: Store,
  doing: Doing,
  job: JobRow,
  profile: PackProfile,
): Promise<Finding[]> {
  const made: Finding[] = [];
  for (const old of await latestFindings(store, job.id, doing.tx))
    if (old.topic === 'spread') made.push(await computeFinding(store, doing, job, profile, old.parameters));
  const leak = await computeInsulation(store, doing, job, profile);
  await refreshNeed(store, doing.tx, job.id);
  return leak ? [...made, leak] : made;
}

/** The newest finding of each topic; for spreads the newest of each scan role. */
export async function latestFindings(store: Store, jobId: string, tx?: Transaction): Promise<Finding[]> {
  const rows = await store.models.Finding.findAll({
    where: { jobId },
    order: [
      ['createdAt', 'DESC'],
      ['id', 'ASC'],
    ],
    limit: 200,
    transaction: tx ?? null,
  });
  const seen = new Set<string>();
  return rows
    .filter((r) => {
      const key = r.topic === 'spread' ? `spread:${String(r.parameters.role)}` : r.topic;
      if (seen.has(key)) return false;
      seen.add(key);
      return true;
    })
    .map(viewFinding);
}
