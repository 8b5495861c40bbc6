import {
  NewClockSchema,
  NewReadingSchema,
  WithdrawReadingSchema,
  type Clock,
  type Reading,
  type TimelineEntry,
} from '@cellmend/contract/records';
import { QUANTITIES } from '@cellmend/core/jot';
import { parseCode, printCode } from '@cellmend/core/can';
import {
  cellsAt,
  judgeAt,
  normalisePack,
  OUT_OF_BOUNDS,
  possibleV,
  type Pack,
  type VoltagePlace,
} from '@cellmend/core/pack';
import { randomUUID } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import { selectRows } from '../db/select';
import type { ClockRow } from '../db/rows';
import { markDue, type DueTopic } from '../findings/due';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { findJob, jobIdOf } from '../jobs/find';
import { isGated, namesOf, requireGate } from '../safety/gate';
import { keepReading, readingOf, readingsOf, unitOf, type ReadingFact } from './readings';

/** What a voltage says by itself at its place; null for anything else. */
function judgedOf(r: ReadingFact, pack: Pack): Reading['judged'] {
  if (r.kind !== 'voltage' || r.value === null) return null;
  const place = r.conditions === 'per group' ? ({ kind: 'group' } as const) : placeOf(r.place, pack);
  if (!place) return null;
  const { state, says } = judgeAt(pack, place, r.value);
  return { state, says };
}
function placeOf(place: string, pack: Pack): VoltagePlace | null {
  if (place === '') return { kind: 'pack' };
  const module = pack.modules.find((m) => m.id === place);
  if (module) return { kind: 'module', index: module.index };
  const channel = pack.channels.find((c) => c.id === place);
  if (channel) return { kind: 'channel', index: channel.index };
  const board = pack.profile.boards?.findIndex((b) => b.id === place) ?? -1;
  return board >= 0 ? { kind: 'board', index: board } : null;
}

const view = (r: ReadingFact, by: string, supersededBy: string | null, pack: Pack): Reading => ({
  id: r.id,
  kind: r.kind,
  place: r.place,
  value: r.value,
  bound: r.bound,
  unit: unitOf(r.kind),
  text: r.text,
  instrument: r.instrument,
  conditions: r.conditions,
  stage: r.stage,
  observedAt: r.observedAt.toISOString(),
  recordedAt: r.recordedAt.toISOString(),
  recordedBy: by,
  supersedes: r.supersedes,
  supersededBy,
  reason: r.reason,
  judged: judgedOf(r, pack),
});

/** The findings that a reading concerns, as it would if a form had taken it. */
function reaches(kind: Reading['kind'], place: string, pack: Pack): { topic: DueTopic; subject: string }[] {
  const channel = pack.channels.some((c) => c.id === place);
  if (kind === 'voltage' && channel)
    return (['before', 'after'] as const).map((subject) => ({ topic: 'spread', subject }));
  const hint = kind === 'insulation' || (kind === 'voltage' && pack.modules.some((m) => m.id === place));
  return hint ? [{ topic: 'insulation', subject: '' }] : [];
}

/** Kinds of reading that nobody takes without the pack open. */
const INSIDE: ReadonlySet<string> = new Set(['torque']);

const PAGE = 500;

/** Newest readings first, each with what it superseded and what superseded it. */
export async function listReadings(store: Store, number: unknown): Promise<Reading[]> {
  const jobId = await jobIdOf(store, number);
  const [{ profile }, found] = await Promise.all([
    findJob(store, number),
    selectRows(
      store,
      store.models.Observation,
      `WHERE job_id = :jobId AND topic = 'reading' ORDER BY recorded_at DESC, seq DESC LIMIT ${PAGE}`,
      { jobId },
    ),
  ]);
  const pack = normalisePack(profile);
  const rows = found.map(readingOf);
  const people = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  const by = new Map(rows.filter((r) => r.supersedes).map((r) => [r.supersedes, r.id]));
  return rows.map((r) => view(r, people[r.personId ?? ''] ?? 'someone', by.get(r.id) ?? null, pack));
}

/** Records one reading. A correction is a reading of its own that names the one it supersedes and says why. */
export async function addReading(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<Reading> {
  const input = NewReadingSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const pack = normalisePack(profile);
  // Work inside the pack is what it is, under whatever stage it is posted.
  const joint = profile.links?.some((l) => l.id === input.place) ?? false;
  if (isGated(input.stage) || INSIDE.has(input.kind) || joint)
    await requireGate(store, job.id, profile, 'Recording work inside the pack', doing.person, doing.tx);
  if (
    input.place !== '' &&
    !pack.modules.some((m) => m.id === input.place) &&
    !pack.channels.some((c) => c.id === input.place) &&
    !joint
  ) {
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      `The pack has no module, channel or joint ${input.place}.`,
      {
        fields: [
          {
            field: 'place',
            message: `A module such as ${pack.modules[0]!.id}, a channel such as ${pack.channels[0]!.id}, or empty for the whole pack.`,
          },
        ],
      },
    );
  }
  if (input.kind === 'code') {
    input.text = printCode(parseCode(input.text));
    if (input.value !== null && !(Number.isInteger(input.value) && input.value >= 0 && input.value <= 255))
      throw new Refusal('unacceptable', 'Cannot be accepted', `${input.value} is no status byte.`, {
        fields: [{ field: 'value', message: '0 to 255, or left out.' }],
      });
  } else if (input.kind !== 'note') {
    const { least, most, unit } = QUANTITIES[input.kind];
    if (input.value !== null && (input.value < least || input.value > most))
      throw new Refusal(
        'unacceptable',
        'Cannot be accepted',
        `${input.value} ${unit} cannot be a ${input.kind}.`,
        {
          fields: [{ field: 'value', message: `${least} to ${most} ${unit}.` }],
        },
      );
    if (input.kind === 'voltage') {
      const place =
        input.conditions === 'per group' ? ({ kind: 'group' } as const) : placeOf(input.place, pack);
      const judged = place && judgeAt(pack, place, input.value!);
      if (place && judged?.state === 'impossible') {
        const { leastV, mostV } = possibleV(profile, cellsAt(pack, place));
        throw new Refusal('notPossible', 'Not possible there', judged.says, {
          fields: [
            { field: 'value', message: `${leastV.toFixed(1)} to ${mostV.toFixed(1)} V at this place.` },
          ],
        });
      }
    }
  }
  const unit = unitOf(input.kind);
  const row = await keepReading(store, doing, job.id, profile, {
    ...input,
    observedAt: new Date(input.observedAt),
  });
  const said =
    unit === ''
      ? input.text
      : input.bound === 'over-range'
        ? 'over range'
        : `${input.bound === 'at-least' ? 'at least ' : ''}${input.value} ${unit}`;
  await audit(
    store,
    doing,
    job.id,
    input.supersedes ? 'reading corrected' : input.kind === 'note' ? 'noted' : 'reading',
    `${input.place} ${input.kind}`.trim(),
    input.supersedes ? `${said} (${input.reason})` : said,
  );
  await weighIn(store, doing, job, pack, row);
  return view(row, doing.person.name, null, pack);
}

/** What a reading, or its going, changes: the findings it concerns, and the board. */
async function weighIn(
  store: Store,
  doing: Doing,
  job: { id: string; number: number },
  pack: Pack,
  row: ReadingFact,
): Promise<void> {
  for (const { topic, subject } of reaches(row.kind, row.place, pack))
    await markDue(store, doing, job.id, topic, subject);
  // A cell beyond its floor or ceiling shows on the board at once, and so does its correction.
  const state = judgedOf(row, pack)?.state;
  // Otherwise the board follows with the finding, once the write has committed.
  if (row.kind === 'voltage' && ((state && OUT_OF_BOUNDS.has(state)) || row.supersedes || row.place === ''))
    await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'readings', job.number);
}

/** The reading stays in the record with who took it back and why, and counts for nothing from here on. */
export async function withdrawReading(
  store: Store,
  doing: Doing,
  number: unknown,
  id: string,
  body: unknown,
): Promise<Reading> {
  const { reason, stage } = WithdrawReadingSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const pack = normalisePack(profile);
  const [old] = await readingsOf(store, job.id, { ids: [id], corrected: true }, doing.tx);
  if (!old || old.kind === 'withdrawn') throw notFound('That reading');
  const row = await keepReading(store, doing, job.id, profile, {
    kind: 'withdrawn',
    place: old.place,
    value: null,
    text: old.kind,
    instrument: '',
    conditions: '',
    stage,
    observedAt: new Date(),
    supersedes: old.id,
    reason,
  });
  await audit(store, doing, job.id, 'reading withdrawn', `${old.place} ${old.kind}`.trim(), reason);
  await weighIn(store, doing, job, pack, { ...old, supersedes: old.id });
  return view(row, doing.person.name, null, pack);
}

/** Everything that happened to a job, newest first. */
export async function timeline(
  store: Store,
  number: unknown,
  before: string | undefined,
): Promise<TimelineEntry[]> {
  const { job } = await findJob(store, number);
  const rows = await store.sequelize.query<{
    id: string;
    at: Date;
    who: string | null;
    what: string;
    subject: string;
    detail: string;
  }>(
    `SELECT a.id, a.at, p.name AS who, a.what, a.subject, a.detail FROM audit a LEFT JOIN people p ON p.id = a.person_id
      WHERE a.job_id = :job AND (:before::bigint IS NULL OR a.id < :before::bigint) ORDER BY a.id DESC LIMIT 200`,
    {
      replacements: { job: job.id, before: before && /^\d{1,18}$/.test(before) ? before : null },
      type: QueryTypes.SELECT,
    },
  );
  return rows.map((r) => ({
    id: String(r.id),
    at: r.at.toISOString(),
    who: r.who ?? 'the app',
    what: r.what,
    subject: r.subject,
    detail: r.detail,
  }));
}

const viewClock = (c: ClockRow, jobNumber: number | null): Clock => ({
  id: c.id,
  jobNumber,
  label: c.label,
  kind: c.kind,
  startedAt: c.startedAt.toISOString(),
  endsAt: c.endsAt.toISOString(),
  doneAt: c.doneAt?.toISOString() ?? null,
});

/** All clocks that nobody has put away yet. */
export async function openClocks(store: Store): Promise<Clock[]> {
  const rows = await store.models.Clock.findAll({
    where: { doneAt: null },
    order: [['endsAt', 'ASC']],
    limit: 100,
  });
  const jobs = new Map(
    (
      await store.models.Job.findAll({
        where: { id: [...new Set(rows.map((r) => r.jobId!))] },
        attributes: ['id', 'number'],
      })
    ).map((j) => [j.id, j.number]),
  );
  return rows.map((r) => viewClock(r, jobs.get(r.jobId!) ?? null));
}

export async function startClock(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Clock> {
  const input = NewClockSchema.parse(body);
  const { job } = await findJob(store, number, doing.tx);
  // The next temperature of a thermal watch takes the place of the one that was due.
  if (input.kind === 'thermal-watch')
    await store.models.Clock.update(
      { doneAt: new Date() },
      { where: { jobId: job.id, kind: 'thermal-watch', doneAt: null }, transaction: doing.tx },
    );
  const row = await store.models.Clock.create(
    {
      id: randomUUID(),
      jobId: job.id,
      label: input.label,
      kind: input.kind,
      stage: input.stage,
      endsAt: new Date(input.endsAt),
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await audit(store, doing, job.id, 'clock started', input.label, `until ${input.endsAt}`);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
  return viewClock(row, job.number);
}

export async function putAwayClock(store: Store, doing: Doing, id: string): Promise<Clock> {
  const row = await store.models.Clock.findByPk(id, { transaction: doing.tx });
  if (!row?.jobId) throw notFound('That clock');
  const job = (await store.models.Job.findByPk(row.jobId, { transaction: doing.tx }))!;
  if (!row.doneAt && row.kind === 'thermal-watch')
    throw new Refusal(
      'closed',
      'The watch goes on',
      'A thermal watch is not put away: log the next temperature, or end it under Make safe.',
    );
  if (!row.doneAt) {
    await row.update({ doneAt: new Date() }, { transaction: doing.tx });
    await audit(store, doing, row.jobId, 'clock put away', row.label);
    await refreshNeed(store, doing.tx, row.jobId);
    await announce(store, doing.tx, 'clocks', job.number);
  }
  return viewClock(row, job.number);
}
