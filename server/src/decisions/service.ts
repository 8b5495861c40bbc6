import { NewDecisionSchema, type Decision, type DecisionTopic } from '@cellmend/contract/decisions';
import { decisionWords } from '@cellmend/contract/words';
import { randomUUID } from 'node:crypto';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { markDue } from '../findings/due';
import { refreshNeed } from '../jobs/need';
import { findJob } from '../jobs/find';
import { borneOut } from './borneOut';
import { readDecision } from './current';
import { viewDecision } from './view';
import { reserve } from '../parts/reserve';
import { viewPerson } from '../people/service';

/** Decisions that send someone to open or close a high-voltage pack; signing them needs a valid qualification. */
const HIGH_VOLTAGE = new Set<DecisionTopic>(['measures', 'match', 'balance', 'prove', 'hand-over']);

/**
 * Signs a decision as a new version. If somebody else has signed one since the page was loaded, nothing is
 * stored and the answer shows theirs.
 */
export async function sign(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Decision> {
  const input = NewDecisionSchema.parse(body);
  const found = await findJob(store, number, doing.tx);
  const { job } = found;
  const { topic } = input.body;
  const person = viewPerson(doing.person);
  if (HIGH_VOLTAGE.has(topic) && !person.maySignHv)
    throw new Refusal(
      'notAllowed',
      'May not sign',
      `${person.name} may not sign work on high voltage. ${person.hvReason}`,
      { accepted: 'A signature by somebody whose qualification is valid.' },
    );
  await store.models.Job.findByPk(job.id, { transaction: doing.tx, lock: doing.tx.LOCK.NO_KEY_UPDATE });
  const newest = await store.models.Decision.findOne({
    where: { jobId: job.id, topic },
    order: [['version', 'DESC']],
    transaction: doing.tx,
  });
  if ((newest?.version ?? 0) !== input.baseVersion) {
    const current = newest ? await viewDecision(store, readDecision(newest)) : null;
    throw new Refusal(
      'conflict',
      'Decided meanwhile',
      newest
        ? `${current!.signedBy} signed version ${newest.version} meanwhile. Nothing of yours was stored.`
        : 'There is no earlier version to start from.',
      { current },
    );
  }
  const known = await store.models.Finding.count({
    where: { id: input.findingIds, jobId: job.id },
    transaction: doing.tx,
  });
  if (known !== new Set(input.findingIds).size)
    throw new Refusal('unacceptable', 'Cannot be accepted', 'A finding named here is not of this job.', {
      fields: [{ field: 'findingIds', message: 'Findings of this job.' }],
    });
  await borneOut(store, doing, found, input.body);
  const row = await store.models.Decision.create(
    {
      id: randomUUID(),
      jobId: job.id,
      topic,
      version: (newest?.version ?? 0) + 1,
      body: input.body,
      note: input.note,
      findingIds: input.findingIds,
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await reserve(store, doing, job, input.body);
  await audit(store, doing, job.id, 'decision signed', topic, decisionWords(input.body));
  // What the vehicle came with is weighed beside what was measured.
  if (input.body.topic === 'intake') await markDue(store, doing, job.id, 'insulation');
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'decisions', job.number);
  return {
    id: row.id,
    topic,
    version: row.version,
    body: input.body,
    note: row.note,
    findingIds: row.findingIds,
    signedBy: doing.person.name,
    signedAt: row.signedAt.toISOString(),
  };
}
