import { type SafetyView } from '@cellmend/contract/safety';
import { watchMayEnd, watchPlan, type Hazard, type WatchPoint } from '@cellmend/core/safety';
import { randomUUID } from 'node:crypto';
import type { Transaction } from 'sequelize';
import type { JobRow, ObservationFacts } from '../db/rows';
import { announce, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { readingsOf } from '../records/readings';
import { observationsOf, openStops } from './gate';
import { observe } from './observe';

/** Temperatures logged for a thermal watch of a job, corrections applied, by the time they were taken. */
export async function watchTemperatures(
  store: Store,
  jobId: string,
  tx?: Transaction,
): Promise<WatchPoint[]> {
  const rows = await readingsOf(store, jobId, { kind: 'temperature', conditions: 'thermal watch' }, tx);
  return rows
    .filter((r) => r.value !== null)
    .map((r) => ({ timeS: r.observedAt.getTime() / 1000, temperatureC: r.value! }))
    .sort((a, b) => a.timeS - b.timeS);
}

/** The thermal watch that a lock-out's hazards began and nothing has ended. */
export async function openWatch(
  store: Store,
  jobId: string,
  rows: readonly ObservationFacts[],
  tx?: Transaction,
): Promise<SafetyView['watch']> {
  const begun = [...rows].reverse().find((r) => r.kind === 'watch' || r.kind === 'watch-end');
  if (begun?.kind !== 'watch') return null;
  const { everyMin, leastHours, why } = begun.data as { everyMin: number; leastHours: number; why: string };
  const points = await watchTemperatures(store, jobId, tx);
  const sinceS = begun.recordedAt.getTime() / 1000;
  const end = watchMayEnd(points, sinceS, store.clock.now().wallMs / 1000, leastHours);
  return {
    since: begun.recordedAt.toISOString(),
    everyMin,
    leastHours,
    why,
    mayEnd: end.ok,
    whyNot: end.why,
  };
}

/** A pack that may still catch fire is watched from the moment it was put where it stands. */
export async function beginWatch(
  store: Store,
  doing: Doing,
  job: JobRow,
  hazards: readonly Hazard[],
  place: string,
): Promise<void> {
  const plan = watchPlan(hazards);
  if (!plan) return;
  await observe(
    store,
    doing,
    job,
    'watch',
    plan,
    `every ${plan.everyMin} min for at least ${plan.leastHours} h`,
  );
  await store.models.Clock.create(
    {
      id: randomUUID(),
      jobId: job.id,
      label: `Thermal watch: next temperature, ${place}`.slice(0, 120),
      kind: 'thermal-watch',
      stage: 'make-safe',
      endsAt: new Date(store.clock.now().wallMs + plan.everyMin * 60_000),
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
}

/** A watch ends when its rule is met; before that only a lead ends it, with a written reason. */
export function mayEndWatch(doing: Doing, end: { ok: boolean; why: string }, reason: string): void {
  if (end.ok) return;
  if (doing.person.role !== 'lead')
    throw new Refusal(
      'closed',
      'The watch goes on',
      `${end.why} Before that only a lead may end it, with a written reason.`,
    );
  if (reason.trim().length < 3)
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      `${end.why} A lead may end it all the same, and writes why.`,
      {
        fields: [{ field: 'reason', message: 'Why the watch may end.' }],
      },
    );
}

/** Clocks of a watch go when nothing asks for one any more. */
export async function putAwayWatch(store: Store, doing: Doing, job: JobRow): Promise<void> {
  const rows = await observationsOf(store, job.id, 'make-safe', doing.tx);
  const watching = (await openWatch(store, job.id, rows, doing.tx)) !== null;
  const stopped = (await openStops(store, job.id, doing.tx)).length > 0;
  if (watching || stopped) return;
  await store.models.Clock.update(
    { doneAt: new Date() },
    { where: { jobId: job.id, kind: 'thermal-watch', doneAt: null }, transaction: doing.tx },
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'clocks', job.number);
}
