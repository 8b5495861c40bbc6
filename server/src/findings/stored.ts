import { UNBOUNDED_OHM } from '@cellmend/core/insulation';
import { migrateReport, type SpreadReport } from '@cellmend/core/diagnosis';
import type { FindingRow } from '../db/rows';

/** A stored spread report in today's form, whatever version computed it. */
export const reportOf = (row: Pick<FindingRow, 'result' | 'coreVersion'>): SpreadReport =>
  migrateReport(row.result, row.coreVersion);

/** Earlier versions had no upper bound as infinity, which is stored as null: today's say it by a figure. */
const bounded = (v: unknown): unknown =>
  Array.isArray(v)
    ? v.map(bounded)
    : typeof v === 'object' && v !== null
      ? Object.fromEntries(
          Object.entries(v).map(([k, x]) => [k, k === 'high' && x === null ? UNBOUNDED_OHM : bounded(x)]),
        )
      : v;

/** A stored result in today's form, for the border to read field by field. */
export const resultOf = (row: FindingRow): unknown => {
  if (row.topic === 'spread') return reportOf(row);
  return row.topic === 'insulation' ? bounded(row.result) : row.result;
};
