import { NewTickSchema, type StripTick, type StripView, type TickData } from '@cellmend/contract/stripdown';
import { normalisePack } from '@cellmend/core/pack';
import {
  buildOf,
  inTheWay,
  offNow,
  partName,
  seenTimes,
  stagesOpen,
  tooEarly,
  type Standing,
} from '@cellmend/core/stripdown';
import { QueryTypes } from 'sequelize';
import type { ObservationFacts } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { findJob } from '../jobs/find';
import { refreshNeed } from '../jobs/need';
import { keepObservation } from '../records/observe';
import { namesOf, requireGate } from '../safety/gate';
import { moduleVoltages, openLinks } from '../safety/view';
import { tickRows } from './ticks';

/** A step that took longer was interrupted: its time says nothing of the step. */
const LONGEST_STEP_MIN = 90;
const MOST_TIMES = 4000;

const view = (row: ObservationFacts, by: string): StripTick => ({
  ...(row.data as TickData),
  id: row.id,
  by,
  at: row.observedAt.toISOString(),
});

/** What this workshop's own times say of the parts of a profile, over all its jobs. */
async function timesOf(store: Store, profileId: string): Promise<StripView['seen']> {
  // What was taken back was never done: the next tick of the same part in its job says so.
  const rows = await store.sequelize.query<{ part: string; minutes: number }>(
    `SELECT o.data->>'part' AS part, (o.data->>'minutes')::float8 AS minutes
       FROM observations o JOIN jobs j ON j.id = o.job_id JOIN packs p ON p.id = j.pack_id
      WHERE p.profile_id = :profileId AND o.topic = 'strip-down' AND o.data->>'off' = 'true' AND o.data->>'minutes' IS NOT NULL
        AND coalesce((SELECT n.data->>'mistake' FROM observations n WHERE n.job_id = o.job_id AND n.topic = 'strip-down' AND n.subject = o.subject AND n.seq > o.seq ORDER BY n.seq LIMIT 1), 'false') <> 'true'
      ORDER BY o.seq DESC LIMIT ${MOST_TIMES}`,
    { replacements: { profileId }, type: QueryTypes.SELECT },
  );
  return seenTimes(rows);
}

export async function viewStrip(store: Store, number: unknown): Promise<StripView> {
  const { job, pack } = await findJob(store, number);
  const rows = await tickRows(store, job.id);
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  return {
    ticks: rows.map((r) => view(r, names[r.personId ?? ''] ?? 'someone')),
    seen: await timesOf(store, pack.profileId),
  };
}

/**
 * Records that a part is off, or on again: behind the gate, a part of the build, in its order or with a reason why not.
 * @throws 423, 422 with what is in the way
 */
export async function addTick(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<StripTick> {
  const { observedAt, ...input } = NewTickSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const pack = normalisePack(profile);
  const part = buildOf(pack).parts.find((p) => p.id === input.part);
  if (!part)
    throw new Refusal('unacceptable', 'Cannot be accepted', `The build of this pack has no ${input.part}.`, {
      fields: [{ field: 'part', message: 'A part of its build.' }],
    });
  const name = partName(part);
  await requireGate(store, job.id, profile, `“${name} ${input.off ? 'off' : 'on'}”`, doing.person, doing.tx);
  // One after the other: of two ticks at once the second sees the first.
  await store.models.Job.findByPk(job.id, {
    attributes: ['id'],
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  const rows = await tickRows(store, job.id, doing.tx);
  const ticks = rows.map((r) => r.data as TickData);
  if (input.mistake && input.off)
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      'Taking a tick back leaves the part where it was: on.',
      {
        fields: [{ field: 'mistake', message: 'With off: false.' }],
      },
    );
  if (offNow(ticks).includes(part.id) === input.off)
    throw new Refusal(
      'conflict',
      input.off ? 'Off already' : 'On already',
      `${name} is ${input.off ? 'off' : 'on'} already.`,
    );
  const standing = async (): Promise<Standing> => ({
    ticks,
    moduleV: (await moduleVoltages(store, job.id, pack, doing.tx)).moduleV,
    open: await openLinks(store, job.id, profile, doing.tx),
  });
  const first = input.mistake
    ? []
    : input.off
      ? inTheWay(pack, await standing(), part.id)
      : tooEarly(pack, ticks, part.id);
  const missing = input.off || input.mistake ? [] : stagesOpen(part, input.confirmed ?? []);
  if (missing.length > 0)
    throw new Refusal(
      'unacceptable',
      'Not closed yet',
      `${name} closes in ${part.stages!.length} stages; not confirmed: ${missing.join(', ')}.`,
      { fields: [{ field: 'confirmed', message: 'Every stage, as it was seen or heard to close.' }] },
    );
  if (first.length > 0 && input.note === '')
    throw new Refusal(
      'notPossible',
      'Out of order',
      `Before ${name} ${input.off ? 'comes off' : 'goes on'}: ${first.map(partName).join(', ')}.`,
      { type: 'urn:cellmend:order', accepted: 'That first, or why it is done otherwise.' },
    );
  const before = rows.at(-1);
  const at = new Date(observedAt);
  const since = before ? (at.getTime() - before.observedAt.getTime()) / 60_000 : NaN;
  const minutes =
    input.minutes ??
    (input.off && since > 0.2 && since <= LONGEST_STEP_MIN ? Number(since.toFixed(2)) : null);
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'strip-down',
    kind: 'tick',
    data: { ...input, minutes } satisfies TickData,
    subjectKind: 'place',
    subject: part.id,
    stage: input.off || input.mistake ? 'strip-down' : 'rebuild',
    observedAt: at,
  });
  const figures = [
    input.torqueNm === null ? '' : `${input.torqueNm} N·m`,
    input.microohm === null ? '' : `${input.microohm} µΩ`,
    input.note,
  ];
  await audit(
    store,
    doing,
    job.id,
    input.mistake ? 'tick taken back' : input.off ? 'taken off' : 'put on',
    name,
    figures.filter(Boolean).join('; '),
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'strip-down', job.number);
  return view(row, doing.person.name);
}
