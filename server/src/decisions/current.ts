import { bodyOf, type BodyOf, type Decision, type DecisionTopic } from '@cellmend/contract/decisions';
import { placesOf } from '@cellmend/core/route';
import type { Transaction } from 'sequelize';
import type { DecisionFacts } from '../db/rows';
import { selectRows } from '../db/select';
import type { Store } from '../domain/store';

/** A decision as it stands: the newest version of its topic, read in today's shape. */
export type Standing = Omit<Decision, 'signedBy' | 'signedAt'> & { personId: string; signedAt: Date };

const read = (row: DecisionFacts, placeThen: string): Standing => ({
  id: row.id,
  topic: row.topic,
  version: row.version,
  body: bodyOf(row.body, placeThen),
  note: row.note,
  findingIds: row.findingIds,
  personId: row.personId,
  signedAt: row.signedAt,
});

/** One decision in today's shape. A balance of before was for the one module that was replaced. */
export const readDecision = (row: DecisionFacts, others: readonly DecisionFacts[] = []): Standing => {
  const list = others.find((d) => d.topic === 'measures');
  const body = list && bodyOf(list.body);
  return read(row, body?.topic === 'measures' ? (placesOf(body.measures, 'replace-module')[0] ?? '') : '');
};

/** The newest version of each decision of a job. */
export async function currentDecisions(store: Store, jobId: string, tx?: Transaction): Promise<Standing[]> {
  const rows = await selectRows(
    store,
    store.models.Decision,
    'WHERE job_id = :jobId ORDER BY version DESC',
    { jobId },
    tx,
  );
  const seen = new Set<string>();
  const newest = rows.filter((r) => !seen.has(r.topic) && seen.add(r.topic));
  return newest.map((r) => readDecision(r, newest));
}

/** The body of one topic among decisions. */
export const bodyIn = <T extends DecisionTopic>(
  decisions: readonly Standing[],
  topic: T,
): BodyOf<T> | undefined => decisions.find((d) => d.body.topic === topic)?.body as BodyOf<T> | undefined;
