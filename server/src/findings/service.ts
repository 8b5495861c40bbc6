import { NewFindingSchema } from '@cellmend/contract/findings';
import type { Finding } from '@cellmend/contract/records';
import type { InsulationReport } from '@cellmend/core/insulation';
import { CORE_VERSION, type PackProfile } from '@cellmend/core/pack';
import { verdictName, type SpreadReport } from '@cellmend/core/spread';
import { randomUUID } from 'node:crypto';
import { isDeepStrictEqual } from 'node:util';
import type { Transaction } from 'sequelize';
import type { FindingRow, JobRow } from '../db/models';
import { announce, audit, type Doing, type Store } from '../http/context';
import { notFound } from '../http/problems';
import { compute } from './compute';

export const viewFinding = (row: FindingRow): Finding => ({
  id: row.id,
  topic: row.topic,
  coreVersion: row.coreVersion,
  inputIds: row.inputIds,
  parameters: row.parameters,
  result: row.result,
  createdAt: row.createdAt.toISOString(),
});

/** One line that says what a finding found, for the board and the timeline. */
export function headlineOf(topic: string, result: unknown): string {
  if (topic === 'insulation') return (result as InsulationReport).title;
  if (topic !== 'spread') return '';
  const report = result as SpreadReport;
  const first = report.findings[0];
  if (!first) return report.evenButAged ? 'Aged but even: no channel stands out.' : 'No channel stands out.';
  return `${first.module} ${verdictName(first.verdict)}${first.verdict === 'undetermined' ? '' : `, ${Math.round(first.confidence * 100)} % sure`}`;
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
  await announce(store, doing.tx, 'findings', job.number);
  return finding;
}

/** Computes a stored finding once more from its inputs and says whether the result is the same. */
export async function recompute(
  store: Store,
  tx: Transaction,
  job: JobRow,
  profile: PackProfile,
  id: string,
): Promise<{ same: boolean; storedVersion: string; nowVersion: string; result: unknown }> {
  const row = await store.models.Finding.findOne({ where: { id, jobId: job.id }, transaction: tx });
  if (!row) throw notFound('That finding');
  const ask = NewFindingSchema.parse(
    // Findings of the first days named the role only.
    row.topic === 'spread' && !row.parameters.scanIds
      ? { topic: 'spread', role: row.parameters.role, scanIds: row.inputIds }
      : row.parameters,
  );
  const { result } = await compute(store, job.id, profile, ask, tx);
  const now = JSON.parse(JSON.stringify(result)) as unknown;
  return {
    same: isDeepStrictEqual(now, row.result),
    storedVersion: row.coreVersion,
    nowVersion: CORE_VERSION,
    result: now,
  };
}

/** The newest finding of each topic; for spreads the newest of each scan role. */
export async function latestFindings(store: Store, jobId: string): Promise<Finding[]> {
  const rows = await store.models.Finding.findAll({
    where: { jobId },
    order: [
      ['createdAt', 'DESC'],
      ['id', 'ASC'],
    ],
    limit: 200,
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
