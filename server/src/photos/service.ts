import {
  NewPhotoSchema,
  WithdrawPhotoSchema,
  type NewPhoto,
  type Photo,
  type PhotoData,
} from '@cellmend/contract/photos';
import { normalisePack } from '@cellmend/core/pack';
import { buildOf } from '@cellmend/core/stripdown';
import { QueryTypes, type Transaction } from 'sequelize';
import type { z } from 'zod';
import type { ObservationRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { notFound, Refusal } from '../domain/refusal';
import { findJob } from '../jobs/find';
import { keepObservation } from '../records/observe';
import { namesOf } from '../safety/gate';
import { Turns } from '../scans/turns';
import { makePicture, type Picture } from './picture';

/** Photographs a job may hold, and that are listed. */
const MOST_OF_A_JOB = 600;
const turns = new Turns(1, 40);

const view = (row: ObservationRow, by: string): Photo => {
  const { widthPx, heightPx, note } = row.data as PhotoData;
  return {
    id: row.id,
    place: row.subject,
    note,
    stage: row.stage as Photo['stage'],
    widthPx,
    heightPx,
    by,
    at: row.observedAt.toISOString(),
  };
};

/** A photograph that was read and drawn anew, before anything is written. */
export interface Taken {
  input: z.output<typeof NewPhotoSchema>;
  picture: Picture;
}
/** Draws what was sent anew; one picture at a time, so that no burst of them takes the machine. @throws 400, 422, 429 */
export async function readPhoto(who: string, body: unknown): Promise<Taken> {
  const input = NewPhotoSchema.parse(body as NewPhoto);
  const end = await turns.wait(who);
  try {
    return { input, picture: await makePicture(Buffer.from(input.image, 'base64')) };
  } finally {
    end();
  }
}

/** The sum of a small picture, which its photograph's own sum says nothing of. */
export async function keepSmallSum(store: Store, tx: Transaction, sha256: string): Promise<void> {
  await store.sequelize.query(
    `INSERT INTO sums (what, of, sha256) SELECT 'photo small', sha256, encode(sha256(small), 'hex') FROM photo_files WHERE sha256 = $1
     ON CONFLICT (what, of) DO NOTHING`,
    { bind: [sha256], transaction: tx },
  );
}

/** Keeps a photograph of a place. The same picture twice is one file. @throws 400 for a place that is not there, 409 */
export async function addPhoto(
  store: Store,
  doing: Doing,
  number: unknown,
  { input, picture }: Taken,
): Promise<Photo> {
  const { job, profile } = await findJob(store, number, doing.tx);
  const pack = normalisePack(profile);
  const known =
    input.place === '' ||
    buildOf(pack).parts.some((p) => p.id === input.place) ||
    pack.modules.some((m) => m.id === input.place) ||
    pack.channels.some((c) => c.id === input.place);
  if (!known)
    throw new Refusal('unacceptable', 'Cannot be accepted', `The pack has no ${input.place}.`, {
      fields: [{ field: 'place', message: 'A module, link or other part of its build, or empty.' }],
    });
  const held = await store.models.Observation.count({
    where: { jobId: job.id, topic: 'photo', kind: 'taken' },
    transaction: doing.tx,
  });
  if (held >= MOST_OF_A_JOB)
    throw new Refusal('conflict', 'Too many photographs', `A job holds up to ${MOST_OF_A_JOB} of them.`);
  await store.sequelize.query(
    'INSERT INTO photo_files (sha256, bytes, small) VALUES ($1, $2, $3) ON CONFLICT (sha256) DO NOTHING',
    { bind: [picture.sha256, picture.bytes, picture.small], transaction: doing.tx },
  );
  await keepSmallSum(store, doing.tx, picture.sha256);
  const { sha256, widthPx, heightPx } = picture;
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'photo',
    kind: 'taken',
    data: { sha256, widthPx, heightPx, note: input.note } satisfies PhotoData,
    subjectKind: input.place === '' ? 'pack' : 'place',
    subject: input.place,
    stage: input.stage,
    observedAt: new Date(input.observedAt),
  });
  await audit(store, doing, job.id, 'photograph', input.place || 'the pack', input.note);
  await announce(store, doing.tx, 'photos', job.number);
  return view(row, doing.person.name);
}

/** Photographs of a job that stand, newest first. */
export async function listPhotos(store: Store, number: unknown): Promise<Photo[]> {
  const { job } = await findJob(store, number);
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'photo' },
    order: [['seq', 'DESC']],
    limit: 2 * MOST_OF_A_JOB,
  });
  const gone = new Set(rows.map((r) => r.supersedes));
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  return rows
    .filter((r) => r.kind === 'taken' && !gone.has(r.id))
    .map((r) => view(r, names[r.personId ?? ''] ?? 'someone'));
}

/** The bytes of a photograph, as JPEG. @throws 404 */
export async function photoBytes(store: Store, id: string, size: 'whole' | 'small'): Promise<Buffer> {
  const [row] = await store.sequelize.query<{ bytes: Buffer }>(
    `SELECT f.${size === 'small' ? 'small' : 'bytes'} AS bytes FROM observations o JOIN photo_files f ON f.sha256 = o.data->>'sha256'
      WHERE o.id = :id AND o.topic = 'photo'`,
    { replacements: { id }, type: QueryTypes.SELECT },
  );
  if (!row) throw notFound('That photograph');
  return row.bytes;
}

/** It was taken by mistake: it stays in the record, and is shown no more. @throws 404, 409 */
export async function withdrawPhoto(
  store: Store,
  doing: Doing,
  number: unknown,
  id: string,
  body: unknown,
): Promise<{ id: string }> {
  const { reason } = WithdrawPhotoSchema.parse(body);
  const { job } = await findJob(store, number, doing.tx);
  const old = await store.models.Observation.findOne({
    where: { id, jobId: job.id, topic: 'photo', kind: 'taken' },
    transaction: doing.tx,
  });
  if (!old) throw notFound('That photograph');
  await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'photo',
    kind: 'withdrawn',
    data: { note: reason },
    subjectKind: old.subject === '' ? 'pack' : 'place',
    subject: old.subject,
    stage: old.stage as Photo['stage'],
    corrects: { supersedes: id, reason },
  });
  await audit(store, doing, job.id, 'photograph withdrawn', old.subject || 'the pack', reason);
  await announce(store, doing.tx, 'photos', job.number);
  return { id };
}
