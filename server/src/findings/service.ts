import {
  FindingSchema,
  NewFindingSchema,
  type Finding,
  type NewFinding,
  type TriedSchema,
} from '@cellmend/contract/findings';
import { CORE_VERSION } from '@cellmend/core/pack';
import { randomUUID } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import { isDeepStrictEqual } from 'node:util';
import type { z } from 'zod';
import { select } from '../db/select';
import type { FindingRow, JobRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import type { FoundJob } from '../jobs/find';
import { compute, type ComputeAsked, type Computed } from './compute';
import { digestOf } from './digest';
import { resultOf } from './stored';

/** What a finding was asked by, in today's shape: those of the first days named less. */
const askedBy = (row: FindingRow): unknown =>
  row.topic === 'spread' && !row.parameters.scanIds
    ? { topic: 'spread', role: row.parameters.role, scanIds: row.inputIds }
    : row.parameters;

/** Findings never change: what was read once is read. */
const read = new LRUCache<string, z.ZodSafeParseResult<Finding>>({ max: 150 });

/** A stored finding, read field by field; an earlier version's that lacks what today's must have is not one. */
function readFinding(row: FindingRow): z.ZodSafeParseResult<Finding> {
  const known = read.get(row.id);
  if (known) return known;
  const now = FindingSchema.safeParse({
    id: row.id,
    topic: row.topic,
    subject: row.subject,
    coreVersion: row.coreVersion,
    profileVersion: row.profileVersion,
    inputIds: row.inputIds,
    parameters: askedBy(row),
    result: resultOf(row),
    createdAt: row.createdAt.toISOString(),
  });
  read.set(row.id, now);
  return now;
}

/** @throws 409 Where an earlier version stored it in a shape that today's cannot read. */
export function viewFinding(row: FindingRow): Finding {
  const finding = readFinding(row);
  if (finding.success) return finding.data;
  const [first] = finding.error.issues;
  throw new Refusal(
    'conflict',
    'Finding of another version',
    `Version ${row.coreVersion} stored this ${row.topic} without what is shown of it today (${first!.path.join('.')}: ${first!.message}). Compute it anew.`,
  );
}

/** What of the job a finding is about; there is a newest one of each. */
export function subjectOf(ask: NewFinding): string {
  switch (ask.topic) {
    case 'spread':
      return ask.role;
    case 'match':
      return ask.moduleId;
    case 'balance':
      return ask.stockId;
    default:
      return '';
  }
}

/** Stores what was computed, with the version of the profile it was computed with. */
export async function storeFinding(
  store: Store,
  doing: Doing,
  job: JobRow,
  ask: NewFinding,
  { inputIds, result }: Computed,
  profileVersion: number,
): Promise<Finding> {
  const digest = digestOf(ask.topic, result);
  const row = await store.models.Finding.create(
    {
      id: randomUUID(),
      jobId: job.id,
      topic: ask.topic,
      subject: subjectOf(ask),
      coreVersion: CORE_VERSION,
      profileVersion,
      inputIds,
      parameters: ask,
      result: JSON.parse(JSON.stringify(result)) as unknown,
      headline: digest.headline,
      digest,
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, job.id, 'finding computed', ask.topic, digest.headline);
  await announce(store, doing.tx, 'findings', job.number);
  return viewFinding(row);
}

/** What would be found, from what is stored. Nothing of it is kept. */
export async function tryFinding(
  store: Store,
  found: FoundJob,
  body: unknown,
  asked: ComputeAsked = {},
): Promise<z.output<typeof TriedSchema>> {
  const parameters = NewFindingSchema.parse(body);
  const { inputIds, result } = await compute(
    store,
    found.job.id,
    found.profile,
    parameters,
    new Date(),
    asked,
  );
  return { inputIds, parameters, result: structuredClone(result) };
}

/**
 * Computes a stored finding once more, from its inputs and the profile as it was then, and says whether the result is
 * the same. Findings from before versions were kept are computed with the profile as it is now.
 */
export async function recompute(
  store: Store,
  { job, pack, profile }: FoundJob,
  id: string,
  asked: ComputeAsked = {},
): Promise<{ same: boolean; storedVersion: string; nowVersion: string; result: unknown }> {
  const row = await store.models.Finding.findOne({ where: { id, jobId: job.id } });
  if (!row) throw notFound('That finding');
  const then =
    row.profileVersion === null
      ? null
      : await store.models.PackProfileVersion.findOne({
          where: { profileId: pack.profileId, version: row.profileVersion },
        });
  const ask = NewFindingSchema.parse(askedBy(row));
  const { result } = await compute(store, job.id, then?.profile ?? profile, ask, row.createdAt, asked);
  const now = JSON.parse(JSON.stringify(result)) as unknown;
  return {
    same: isDeepStrictEqual(now, row.result),
    storedVersion: row.coreVersion,
    nowVersion: CORE_VERSION,
    result: now,
  };
}

/** The profile must still be the one something was computed with. @throws 409 */
export async function sameProfile(store: Store, doing: Doing, { pack, version }: FoundJob): Promise<void> {
  const row = await store.models.PackProfile.findByPk(pack.profileId, {
    attributes: ['version'],
    transaction: doing.tx,
    lock: doing.tx.LOCK.SHARE,
  });
  if (row!.version !== version)
    throw new Refusal(
      'conflict',
      'Changed meanwhile',
      'The pack profile was saved while this was computed. Nothing was stored; ask again.',
    );
}

/** The newest finding of each topic and subject. */
export async function latestFindings(store: Store, jobId: string): Promise<Finding[]> {
  const newest = await select<{ id: string; at: Date }>(
    store,
    `SELECT DISTINCT ON (topic, subject) id, created_at AS at FROM findings WHERE job_id = :jobId
      ORDER BY topic, subject, created_at DESC, id`,
    { jobId },
  );
  const known = new Map(newest.flatMap(({ id }) => (read.has(id) ? [[id, read.get(id)!] as const] : [])));
  const unread = newest.filter((f) => !known.has(f.id)).map((f) => f.id);
  if (unread.length > 0)
    for (const row of await store.models.Finding.findAll({ where: { id: unread } }))
      known.set(row.id, readFinding(row));
  return newest
    .sort((a, b) => b.at.getTime() - a.at.getTime())
    .flatMap(({ id }) => known.get(id)?.data ?? []);
}

export async function findFinding(store: Store, jobId: string, id: string): Promise<Finding> {
  const row = await store.models.Finding.findOne({ where: { id, jobId } });
  if (!row) throw notFound('That finding');
  return viewFinding(row);
}
