import { EndStopSchema, NewStopSchema, type Stop } from '@cellmend/contract/safety';
import { STOP_ADVICE, WATCH_EVERY_MIN, watchMayEnd } from '@cellmend/core/safety';
import { randomUUID } from 'node:crypto';
import type { JobRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { notFound } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { observationsOf, openLockout, viewStop } from './gate';
import { lock, mustSign, observe } from './observe';
import { mayEndWatch, putAwayWatch, watchTemperatures } from './watch';

/** Stop: outputs are off already, the gate closes at once, a thermal watch begins where there is heat to watch. */
export async function stopWork(
  store: Store,
  doing: Doing,
  job: JobRow,
  body: unknown,
  outputs: Stop['outputs'],
): Promise<Stop> {
  const input = NewStopSchema.parse(body);
  await lock(store, doing, job);
  const row = await store.models.Stop.create(
    { id: randomUUID(), jobId: job.id, ...input, personId: doing.person.id, at: new Date(), outputs },
    { transaction: doing.tx },
  );
  await audit(
    store,
    doing,
    job.id,
    'STOP',
    input.kind,
    [input.place, input.note, ...outputs.map((o) => `${o.instrument}: output ${o.output}`)]
      .filter(Boolean)
      .join(': '),
  );
  if (openLockout(await observationsOf(store, job.id, 'make-safe', doing.tx)))
    await observe(store, doing, job, 'close', { reason: 'stop', note: input.kind }, `stop: ${input.kind}`);
  if (STOP_ADVICE[input.kind].watch)
    await store.models.Clock.create(
      {
        id: randomUUID(),
        jobId: job.id,
        label: `Thermal watch: next temperature${input.place ? ` of ${input.place}` : ''}`,
        kind: 'thermal-watch',
        stage: 'make-safe',
        endsAt: new Date(Date.now() + WATCH_EVERY_MIN * 60_000),
        personId: doing.person.id,
      },
      { transaction: doing.tx },
    );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'safety', job.number);
  await announce(store, doing.tx, 'clocks', job.number);
  return viewStop(row, doing.person.name);
}

export async function endStop(
  store: Store,
  doing: Doing,
  job: JobRow,
  id: string,
  body: unknown,
): Promise<Stop> {
  mustSign(doing);
  const { reason } = EndStopSchema.parse(body);
  const row = await store.models.Stop.findOne({
    where: { id, jobId: job.id, endedAt: null },
    transaction: doing.tx,
  });
  if (!row) throw notFound('That stop');
  if (STOP_ADVICE[row.kind].watch)
    mayEndWatch(
      doing,
      watchMayEnd(
        await watchTemperatures(store, job.id, doing.tx),
        row.at.getTime() / 1000,
        store.clock.now().wallMs / 1000,
      ),
      reason,
    );
  await row.update(
    { endedAt: new Date(), endedBy: doing.person.id, endReason: reason },
    { transaction: doing.tx },
  );
  await putAwayWatch(store, doing, job);
  await audit(store, doing, job.id, 'stop ended', row.kind, reason);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'safety', job.number);
  await announce(store, doing.tx, 'clocks', job.number);
  return viewStop(row, doing.person.name);
}
