import {
  MendedSchema,
  NewOpenPointSchema,
  type OpenPoint,
  type OpenPointData,
} from '@cellmend/contract/stripdown';
import { normalisePack } from '@cellmend/core/pack';
import type { Stage } from '@cellmend/core/route';
import { buildOf } from '@cellmend/core/stripdown';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import { findJob } from '../jobs/find';
import { keepObservation } from '../records/observe';
import { namesOf } from '../safety/gate';

/** What a repair left behind, newest first, with what was put right since. */
export async function listOpenPoints(store: Store, number: unknown): Promise<OpenPoint[]> {
  const { job } = await findJob(store, number);
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'open-point' },
    order: [['seq', 'DESC']],
    limit: 1000,
  });
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  const by = (id: string | null): string => names[id ?? ''] ?? 'someone';
  const ended = new Map(rows.filter((r) => r.supersedes).map((r) => [r.supersedes, r]));
  return rows
    .filter((r) => r.kind === 'found')
    .map((r) => {
      const end = ended.get(r.id);
      return {
        ...(r.data as OpenPointData),
        id: r.id,
        place: r.subject,
        by: by(r.personId),
        at: r.observedAt.toISOString(),
        mended: end ? { how: end.reason, by: by(end.personId), at: end.recordedAt.toISOString() } : null,
      };
    });
}

/** @throws 400 for a place that the pack does not have */
export async function addOpenPoint(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<{ id: string }> {
  const { what, place, text, stage, observedAt } = NewOpenPointSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const pack = normalisePack(profile);
  if (
    place !== '' &&
    !buildOf(pack).parts.some((p) => p.id === place) &&
    !pack.modules.some((m) => m.id === place)
  )
    throw new Refusal('unacceptable', 'Cannot be accepted', `The pack has no ${place}.`, {
      fields: [{ field: 'place', message: 'A module, link or other part of its build, or empty.' }],
    });
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'open-point',
    kind: 'found',
    data: { what, text } satisfies OpenPointData,
    subjectKind: place === '' ? 'pack' : 'place',
    subject: place,
    stage,
    observedAt: new Date(observedAt),
  });
  await audit(store, doing, job.id, 'open point', [what, place].filter(Boolean).join(' at '), text);
  await announce(store, doing.tx, 'open-points', job.number);
  return { id: row.id };
}

/** @throws 404, 409 where somebody put it right already */
export async function mendOpenPoint(
  store: Store,
  doing: Doing,
  number: unknown,
  id: string,
  body: unknown,
): Promise<{ id: string }> {
  const { how } = MendedSchema.parse(body);
  const { job } = await findJob(store, number, doing.tx);
  const old = await store.models.Observation.findOne({
    where: { id, jobId: job.id, topic: 'open-point', kind: 'found' },
    transaction: doing.tx,
  });
  if (!old) throw notFound('That open point');
  const data = old.data as OpenPointData;
  await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'open-point',
    kind: 'mended',
    data,
    subjectKind: old.subject === '' ? 'pack' : 'place',
    subject: old.subject,
    stage: old.stage as Stage,
    corrects: { supersedes: id, reason: how },
  });
  await audit(store, doing, job.id, 'put right', [data.what, old.subject].filter(Boolean).join(' at '), how);
  await announce(store, doing.tx, 'open-points', job.number);
  return { id };
}
