import { NewOutcomeSchema, type Claim, type OutcomeData } from '@cellmend/contract/learn';
import type { InsulationReport } from '@cellmend/core/insulation';
import { sureness } from '@cellmend/core/diagnosis';
import { Op, type Transaction } from 'sequelize';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { digestOfRow } from '../findings/digest';
import { reportOf } from '../findings/stored';
import { findJob } from '../jobs/find';
import { keepObservation } from '../records/observe';
import { STANDING } from '../records/readings';
import { namesOf } from '../safety/gate';

/** A leak that a search found, as a verdict beside those of the voltages. */
export const LEAK = 'leak';
/** Where water or coolant came in, among the ways that the profile knows. */
export const WAY_IN = 'way in';
/** A way less likely than this is not asked about. */
const WAY_ASKED = 0.2;

/** What the findings of a job say that can be looked at: modules with a verdict, where a leak was found, and how it came in. */
async function said(
  store: Store,
  jobId: string,
  tx?: Transaction,
): Promise<Pick<Claim, 'place' | 'verdict' | 'confidence'>[]> {
  const newest = (topic: string, subject: string) =>
    store.models.Finding.findOne({
      where: { jobId, topic, subject },
      order: [['createdAt', 'DESC']],
      transaction: tx ?? null,
    });
  const [spread, leak] = [await newest('spread', 'before'), await newest('insulation', '')];
  const claims = new Map<string, Pick<Claim, 'place' | 'verdict' | 'confidence'>>();
  if (spread) {
    const { findings } = reportOf(spread);
    for (const f of findings)
      if (f.verdict !== 'undetermined' && f.verdict !== 'healthy')
        claims.set(`${f.module} ${f.verdict}`, {
          place: f.module,
          verdict: f.verdict,
          confidence: sureness(findings, f),
        });
  }
  const found = leak ? digestOfRow(leak).leak?.found : null;
  if (found) claims.set(`${found} ${LEAK}`, { place: found, verdict: LEAK, confidence: null });
  const ways = leak ? ((leak.result as Partial<InsulationReport>).ways?.rows ?? []) : [];
  for (const { entry, share } of ways)
    if (share >= WAY_ASKED)
      claims.set(`${entry.id} ${WAY_IN}`, { place: entry.id, verdict: WAY_IN, confidence: share });
  return [...claims.values()];
}

const answered = (store: Store, jobId: string, tx?: Transaction) =>
  store.models.Observation.findAll({
    where: { jobId, topic: 'outcome', kind: 'opened', [Op.and]: [STANDING] },
    order: [['seq', 'ASC']],
    limit: 500,
    transaction: tx ?? null,
  });

/** The verdicts of a job with what each turned out to be; what was answered stays, also where the finding has changed since. */
export async function claimsOf(store: Store, number: unknown): Promise<Claim[]> {
  const { job } = await findJob(store, number);
  const rows = await answered(store, job.id);
  const names = await namesOf(
    store,
    rows.flatMap((r) => r.personId ?? []),
  );
  const claims = new Map<string, Claim>(
    (await said(store, job.id)).map((c) => [`${c.place} ${c.verdict}`, { ...c, outcome: null }]),
  );
  for (const r of rows) {
    const { verdict, was, confidence, found } = r.data as OutcomeData;
    claims.set(`${r.subject} ${verdict}`, {
      place: r.subject,
      verdict,
      confidence,
      outcome: { was, found, by: names[r.personId ?? ''] ?? 'someone', at: r.observedAt.toISOString() },
    });
  }
  return [...claims.values()];
}

/** @throws 400 for a verdict that the findings of the job do not hold */
export async function addOutcome(
  store: Store,
  doing: Doing,
  number: unknown,
  body: unknown,
): Promise<{ id: string }> {
  const { place, verdict, was, found, stage, observedAt } = NewOutcomeSchema.parse(body);
  const { job } = await findJob(store, number, doing.tx);
  // Of two who answer at once the second corrects the first.
  await store.models.Job.findByPk(job.id, {
    attributes: ['id'],
    transaction: doing.tx,
    lock: doing.tx.LOCK.NO_KEY_UPDATE,
  });
  const before = (await answered(store, job.id, doing.tx)).find(
    (r) => r.subject === place && (r.data as OutcomeData).verdict === verdict,
  );
  const claim = (await said(store, job.id, doing.tx)).find((c) => c.place === place && c.verdict === verdict);
  if (!claim && !before)
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      `No finding of this job says ${verdict} at ${place}.`,
      {
        fields: [{ field: 'verdict', message: 'A verdict of the newest findings, with its module.' }],
      },
    );
  const confidence = before ? (before.data as OutcomeData).confidence : (claim?.confidence ?? null);
  const row = await keepObservation(store, doing, {
    jobId: job.id,
    topic: 'outcome',
    kind: 'opened',
    data: { verdict, was, confidence, found } satisfies OutcomeData,
    subjectKind: 'place',
    subject: place,
    stage,
    observedAt: new Date(observedAt),
    corrects: before ? { supersedes: before.id, reason: 'answered anew' } : null,
  });
  await audit(store, doing, job.id, `verdict ${was}`, `${verdict} at ${place}`, found);
  await announce(store, doing.tx, 'outcomes', job.number);
  return { id: row.id };
}
