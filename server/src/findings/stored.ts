import { modernReport, type SpreadReport } from '@cellmend/core/spread';
import type { FindingRow } from '../db/rows';

/** A stored spread report in today's form, whatever version computed it. */
export const reportOf = (row: Pick<FindingRow, 'result' | 'coreVersion'>): SpreadReport =>
  modernReport(row.result, row.coreVersion);
