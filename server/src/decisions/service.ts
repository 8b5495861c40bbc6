import { NewDecisionSchema, REPAIR_LEVELS, type Decision } from '@cellmend/contract/jobs';
import { randomUUID } from 'node:crypto';
import { announce, audit, type Doing, type Store } from '../http/context';
import { HttpProblem } from '../http/problems';
import { refreshNeed } from '../jobs/need';
import { findJob, viewDecisions } from '../jobs/service';
import { borneOut } from './borneOut';
import { viewPerson } from '../people/service';

/** Decisions that send someone to open or close a high-voltage pack; signing them needs a valid qualification. */
const HIGH_VOLTAGE = new Set(['replace', 'match', 'balance', 'prove', 'hand-over']);

/**
 * Signs a decision as a new version. If somebody else has signed one since the page was loaded, nothing is
 * stored and the answer shows theirs.
 */
export async function sign(store: Store, doing: Doing, number: unknown, body: unknown): Promise<Decision> {
  const input = NewDecisionSchema.parse(body);
  const { job, profile } = await findJob(store, number, doing.tx);
  const { topic } = input.body;
  const person = viewPerson(doing.person);
  if (HIGH_VOLTAGE.has(topic) && !person.maySignHv)
    throw new HttpProblem(
      403,
      'May not sign',
      `${person.name} may not sign work on high voltage. ${person.hvReason}`,
      { accepted: 'A signature by somebody whose qualification is valid.' },
    );
  await store.models.Job.findByPk(job.id, { transaction: doing.tx, lock: doing.tx.LOCK.UPDATE });
  const newest = await store.models.Decision.findOne({
    where: { jobId: job.id, topic },
    order: [['version', 'DESC']],
    transaction: doing.tx,
  });
  if ((newest?.version ?? 0) !== input.baseVersion) {
    const current = newest ? (await viewDecisions(store, [newest]))[0] : null;
    throw new HttpProblem(
      409,
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
    throw new HttpProblem(400, 'Cannot be accepted', 'A finding named here is not of this job.', {
      fields: [{ field: 'findingIds', message: 'Findings of this job.' }],
    });
  await borneOut(store, doing, job, profile, input.body);
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
  await audit(store, doing, job.id, 'decision signed', topic, describe(row.body));
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'decisions', job.number);
  return {
    id: row.id,
    topic,
    version: row.version,
    body: row.body,
    note: row.note,
    findingIds: row.findingIds,
    signedBy: doing.person.name,
    signedAt: row.signedAt.toISOString(),
  };
}

function describe(body: Decision['body']): string {
  switch (body.topic) {
    case 'intake':
      return [...body.signs, ...body.codes].join(', ');
    case 'replace':
      return body.modules.length > 0 ? `replace ${body.modules.join(', ')}` : REPAIR_LEVELS[body.level];
    case 'match':
      return `donor for ${body.moduleId}`;
    case 'balance':
      return `${body.method === 'supply' ? `${body.currentA} A supply` : 'bleeders'}, ${body.goal === 'level-now' ? 'level now' : 'level when full'}`;
    case 'prove':
      return body.passed ? 'proven' : 'not proven';
    case 'hand-over':
      return 'sheet signed';
  }
}
