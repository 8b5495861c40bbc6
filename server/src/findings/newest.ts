import type { FindingDigest } from '@cellmend/contract/findings';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { LRUCache } from 'lru-cache';
import type { Transaction } from 'sequelize';
import { select } from '../db/select';
import type { Store } from '../domain/store';
import { digestOfRow } from './digest';
import { reportOf } from './stored';

/** The newest diagnosis of a job's cell voltages. */
export interface NewestSpread {
  id: string;
  report: SpreadReport;
  digest: FindingDigest;
}

/** A finding never changes: its report is read and brought into today's form once. */
const known = new WeakMap<Store, LRUCache<string, NewestSpread>>();
const MOST = 100;

/** The newest diagnosis of a job; null where there is none. What it holds is shared: nobody may change it. */
export async function newestSpread(
  store: Store,
  jobId: string,
  tx?: Transaction,
  /** Of the records of before or after the work; of whichever is newest where it is left out. */
  of?: 'before' | 'after',
): Promise<NewestSpread | null> {
  const [newest] = await select<{ id: string }>(
    store,
    `SELECT id FROM findings WHERE job_id = :jobId AND topic = 'spread' AND subject = coalesce(:of, subject)
      ORDER BY created_at DESC LIMIT 1`,
    { jobId, of: of ?? null },
    tx,
  );
  if (!newest) return null;
  let own = known.get(store);
  if (!own) known.set(store, (own = new LRUCache({ max: MOST })));
  const before = own.get(newest.id);
  if (before) return before;
  const row = (await store.models.Finding.findByPk(newest.id, { transaction: tx ?? null }))!;
  const found = { id: row.id, report: reportOf(row), digest: digestOfRow(row) };
  own.set(row.id, found);
  return found;
}
