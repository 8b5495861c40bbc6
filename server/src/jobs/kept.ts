import { LRUCache } from 'lru-cache';
import { select } from '../db/select';
import type { Store } from '../domain/store';
import { jobIdOf } from './find';
import { viewJob } from './service';

/** Answers of jobs that are kept, and how long one counts at most: a gate that runs out closes by the clock alone. */
const MOST = 100;
const LONGEST_MS = 2000;

/** Rows that may be changed count by their versions, rows that never are by how many there are. */
const versions = (table: string, where = ''): string =>
  `(SELECT concat(count(*), ':', sum(xmin::text::numeric)) FROM ${table} ${where})`;
const rows = (table: string, where = 'WHERE job_id = j.id'): string =>
  `(SELECT count(*) FROM ${table} ${where})`;
/** One line that is another as soon as anything changed that a job's page is made of. */
const STAMP = `
  SELECT concat_ws('|', j.xmin, k.xmin, p.xmin, v.xmin,
    (SELECT count(*) FROM decisions d JOIN jobs e ON e.id = d.job_id WHERE e.pack_id = j.pack_id OR e.vehicle_id = j.vehicle_id),
    (SELECT count(*) FROM observations o WHERE o.part_id IN (SELECT part_id FROM placements WHERE pack_id = k.id)),
    ${rows('observations')}, ${rows('findings')}, ${rows('decisions')}, ${rows('scans')}, ${rows('placements', '')},
    ${versions('instrument_runs', 'WHERE job_id = j.id')}, ${versions('stops')}, ${versions('settings')}, ${rows('safety_rules', '')}, ${versions('people')}
  ) AS stamp
  FROM jobs j JOIN packs k ON k.id = j.pack_id JOIN pack_profiles p ON p.id = k.profile_id
    LEFT JOIN vehicles v ON v.id = j.vehicle_id
  WHERE j.id = :id`;

interface Kept {
  stamp: string;
  json: Buffer;
}
const keptOf = new WeakMap<Store, LRUCache<string, Kept>>();

/**
 * A job as its page reads it, in JSON. Asked again while nothing of it has changed, it is answered as it was worked out: what
 * tells is read before the job is, so that an answer is never kept under something newer than itself.
 */
export async function jobAnswer(store: Store, number: unknown): Promise<Buffer> {
  const id = await jobIdOf(store, number);
  const [row] = await select<{ stamp: string }>(store, STAMP, { id });
  const { wallMs, bootId } = store.clock.now();
  const stamp = `${row!.stamp}|${bootId}|${Math.floor(wallMs / LONGEST_MS)}`;
  let kept = keptOf.get(store);
  if (!kept) keptOf.set(store, (kept = new LRUCache({ max: MOST })));
  const found = kept.get(id);
  if (found?.stamp === stamp) return found.json;
  const json = Buffer.from(JSON.stringify(await viewJob(store, number)));
  kept.set(id, { stamp, json });
  return json;
}
