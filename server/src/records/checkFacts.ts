import type {
  BoardMeteredSchema,
  BusTraceSchema,
  LeakTestSchema,
  WakeSchema,
} from '@cellmend/contract/records';
import type { CheckId } from '@cellmend/contract/jobs';
import type { ProofState } from '@cellmend/core/prove';
import type { Transaction } from 'sequelize';
import type { z } from 'zod';
import type { ObservationFacts } from '../db/rows';
import { columnsOf, select } from '../db/select';
import type { Store } from '../domain/store';

/** What is kept of a check of some work. */
export interface CheckData {
  passed: boolean;
  value: number | null;
  text: string;
  /** What it asks besides and was not done. */
  left?: string[];
  /** What it was worked out from, where it was. */
  wake?: z.output<typeof WakeSchema>;
  leak?: z.output<typeof LeakTestSchema>;
  bus?: z.output<typeof BusTraceSchema>;
  board?: z.output<typeof BoardMeteredSchema>;
  /** What was worked out of its figures, where that is more than passed or not. */
  found?: { state: ProofState; says: string };
}
export interface CheckFact {
  check: CheckId;
  place: string;
  passed: boolean;
  value: number | null;
  found?: { state: ProofState; says: string } | undefined;
  recordedAt: Date;
}

/** The newest check of each kind and place. */
export async function checksOf(store: Store, jobId: string, tx?: Transaction): Promise<CheckFact[]> {
  const rows = await select<ObservationFacts>(
    store,
    `SELECT DISTINCT ON (kind, subject) ${columnsOf(store.models.Observation)} FROM observations WHERE job_id = :jobId AND topic = 'work'
      ORDER BY kind, subject, seq DESC`,
    { jobId },
    tx,
  );
  return rows.map((r) => ({
    check: r.kind as CheckId,
    place: r.subject,
    passed: (r.data as CheckData).passed,
    value: (r.data as CheckData).value,
    found: (r.data as CheckData).found,
    recordedAt: r.recordedAt,
  }));
}
