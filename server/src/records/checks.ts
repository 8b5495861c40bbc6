import { NewCheckSchema, type Check } from '@cellmend/contract/records';
import { EVIDENCE, type EvidenceId } from '@cellmend/core/route';
import type { ObservationRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { refreshNeed } from '../jobs/need';
import { findJob } from '../jobs/find';
import { isGated, namesOf, requireGate } from '../safety/gate';
import type { CheckData } from './checkFacts';
import { keepObservation } from './observe';

const view = (row: ObservationRow, by: string): Check => {
  const { passed, value, text } = row.data as CheckData;
  const check = row.kind as EvidenceId;
  return {
    id: row.id,
    check,
    place: row.subject,
    passed,
    value,
    unit: value === null ? '' : (EVIDENCE[check].check?.unit ?? ''),
    text,
    by,
    at: row.recordedAt.toISOString(),
  };
};

/** Every check of a job, newest first. */
export async function listChecks(store: Store, number: unknown): Promise<Check[]> {
  const { job } = await findJob(store, number);
  const rows = await store.models.Observation.findAll({
    where: { jobId: job.id, topic: 'work' },
    order: [['seq', 'DESC']],
    limit: 1000,
  });
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  return rows.map((r) => view(r, names[r.personId ?? ''] ?? 'someone'));
}

/** Records that some work was looked at and passed, or did not. Done again, the newest counts. */
export async function addCheck(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Check> {
  const input = NewCheckSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const { stage, check, need, per } = EVIDENCE[input.check];
  if (isGated(stage)) await requireGate(store, job.id, profile, `“${need}”`, doing.tx);
  const place = per === 'job' ? '' : input.place;
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'work',
    kind: input.check,
    data: { passed: input.passed, value: input.value, text: input.text } satisfies CheckData,
    subjectKind: place === '' ? 'pack' : 'place',
    subject: place,
    stage,
  });
  await audit(
    store,
    doing,
    job.id,
    input.passed ? 'checked' : 'check not passed',
    `${place} ${need}`.trim(),
    [check!.asks, input.value === null ? '' : `${input.value} ${check!.unit ?? ''}`.trim(), input.text]
      .filter(Boolean)
      .join('; '),
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'checks', job.number);
  return view(row, doing.person.name);
}
