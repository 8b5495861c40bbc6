import type { JobRow } from '../db/rows';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { viewPerson } from '../people/service';
import { keepObservation } from '../records/observe';
import { bootOf } from './gate';

export function mustSign(doing: Doing): void {
  const person = viewPerson(doing.person);
  if (!person.maySignHv)
    throw new Refusal(
      'notAllowed',
      'May not sign',
      `${person.name} may not prove a pack dead. ${person.hvReason}`,
      {
        accepted: 'Somebody whose high-voltage qualification is valid.',
      },
    );
}

export async function observe(
  store: Store,
  doing: Doing,
  job: JobRow,
  kind: string,
  data: object,
  said: string,
  corrects: { supersedes: string; reason: string } | null = null,
): Promise<string> {
  const moment = store.clock.now();
  const { id } = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'make-safe',
    kind,
    data: { ...data, boot: bootOf(moment) },
    stage: 'make-safe',
    observedAt: new Date(moment.wallMs),
    recordedAt: new Date(moment.wallMs),
    corrects,
  });
  await audit(
    store,
    doing,
    job.id,
    'make safe',
    kind,
    corrects ? `${said} (corrected: ${corrects.reason})` : said,
  );
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'safety', job.number);
  return id;
}

export const lock = (store: Store, doing: Doing, job: JobRow): Promise<unknown> =>
  store.models.Job.findByPk(job.id, { transaction: doing.tx, lock: doing.tx.LOCK.NO_KEY_UPDATE });
