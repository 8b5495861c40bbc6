import { observationSchema } from '@cellmend/contract/observations';
import type { ObservationTopic, SubjectKind } from '@cellmend/contract/records';
import type { Stage } from '@cellmend/core/route';
import { randomUUID } from 'node:crypto';
import type { ObservationRow } from '../db/rows';
import type { Doing, Store } from '../domain/store';
import { Refusal, notFound } from '../domain/refusal';

export interface NewObservation {
  /** Made where it was typed; otherwise here. */
  id?: string;
  /** Null for what was measured of a part outside any job. */
  jobId: string | null;
  partId?: string;
  topic: ObservationTopic;
  kind: string;
  data: object;
  subjectKind?: SubjectKind;
  /** Module or channel; empty for the whole pack, and for a part. */
  subject?: string;
  stage?: Stage;
  instrument?: string;
  conditions?: string;
  observedAt?: Date;
  recordedAt?: Date;
  corrects?: { supersedes: string; reason: string } | null;
}

/**
 * Keeps one observation. A correction is an observation that names the one it supersedes and says why: of the same job
 * and topic, and only once. @throws 404, 409, 400 without a reason
 */
export async function keepObservation(
  store: Store,
  doing: Pick<Doing, 'tx'> & { person: { id: string } },
  { corrects, ...what }: NewObservation,
): Promise<ObservationRow> {
  const schema = observationSchema(what.topic, what.kind);
  if (!schema) throw new Error(`There is no observation ${what.kind} of ${what.topic}.`);
  schema.parse(what.data);
  if (corrects) {
    if (corrects.reason === '')
      throw new Refusal('unacceptable', 'Cannot be accepted', 'A correction says why.', {
        fields: [{ field: 'reason', message: 'A few words.' }],
      });
    const old = await store.models.Observation.findOne({
      where: { id: corrects.supersedes, jobId: what.jobId, topic: what.topic },
      transaction: doing.tx,
    });
    if (!old) throw notFound('What is to be corrected');
    if (await store.models.Observation.findOne({ where: { supersedes: old.id }, transaction: doing.tx }))
      throw new Refusal(
        'conflict',
        'Corrected already',
        'Somebody corrected this one already. Correct the newer one.',
      );
  }
  const { id = randomUUID(), ...rest } = what;
  if (what.id && (await store.models.Observation.findByPk(id, { transaction: doing.tx })))
    throw new Refusal('conflict', 'Kept already', 'An entry with that number is on record already.');
  return store.models.Observation.create(
    {
      id,
      ...rest,
      personId: doing.person.id,
      supersedes: corrects?.supersedes ?? null,
      reason: corrects?.reason ?? '',
    },
    { transaction: doing.tx },
  );
}
