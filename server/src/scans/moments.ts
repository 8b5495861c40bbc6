import type { Transaction } from 'sequelize';
import type { ObservationFacts } from '../db/rows';
import { selectRows } from '../db/select';
import type { Store } from '../domain/store';

/** When a record was made, by what somebody said. */
export interface SaidMoment {
  /** Of the entry that says it. */
  id: string;
  at: Date;
  personId: string | null;
}

/** What was said of when the records of a job were made, by record: the newest word of each. */
export async function saidMoments(
  store: Store,
  jobId: string,
  tx?: Transaction,
  /** Only these entries. */
  among?: ReadonlySet<string>,
): Promise<Map<string, SaidMoment>> {
  const rows = await selectRows(
    store,
    store.models.Observation,
    "WHERE job_id = :jobId AND topic = 'record' AND kind = 'moment' ORDER BY seq",
    { jobId },
    tx,
  );
  return new Map(
    rows
      .filter((row) => among?.has(row.id) ?? true)
      .map((row) => [scanOf(row), { id: row.id, at: momentOf(row), personId: row.personId }]),
  );
}
const scanOf = (row: ObservationFacts): string => (row.data as { scanId: string }).scanId;
const momentOf = (row: ObservationFacts): Date => new Date((row.data as { at: string }).at);
