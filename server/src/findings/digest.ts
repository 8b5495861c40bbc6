import type { FindingDigest } from '@cellmend/contract/findings';
import type { InsulationReport } from '@cellmend/core/insulation';
import type { Comparison } from '@cellmend/core/prove';
import { sureness, verdictName, type SpreadReport } from '@cellmend/core/diagnosis';
import type { FindingRow } from '../db/rows';
import { reportOf } from './stored';

const EMPTY: FindingDigest = {
  headline: '',
  suspects: [],
  settledV: 0,
  low: false,
  leak: null,
  passed: null,
};

/** What a diagnosis says in one line. */
function spreadHeadline(report: SpreadReport): string {
  if (report.pack.verdict === 'over-discharged' || report.pack.verdict === 'over-charged')
    return `The pack is ${report.pack.verdict}: ${report.pack.reasons[0] ?? ''}`;
  const first = report.findings[0];
  if (!first)
    return report.pack.verdict === 'aged'
      ? 'Aged but even: no channel stands out.'
      : 'No channel stands out.';
  return `${first.module}${first.verdict === 'undetermined' ? ':' : ''} ${verdictName(first.verdict)}${first.verdict === 'undetermined' ? '' : `, ${Math.round(sureness(report.findings, first) * 100)} % sure`}`;
}

const LOW = new Set<string>(['reversed', 'dead', 'over-discharged']);

function ofSpread(report: SpreadReport): FindingDigest {
  return {
    ...EMPTY,
    headline: spreadHeadline(report),
    suspects: [
      ...new Set(
        report.findings.filter((f) => f.verdict !== 'undetermined').flatMap((f) => f.module.split(' + ')),
      ),
    ],
    settledV: report.settledV.reduce<number>((sum, v) => sum + Math.max(0, v ?? 0), 0),
    low: report.outOfBounds.some((o) => LOW.has(o.state)) || report.pack.verdict === 'over-discharged',
  };
}

function ofInsulation(report: InsulationReport): FindingDigest {
  return {
    ...EMPTY,
    headline: report.title,
    leak: {
      title: report.title,
      found: report.found,
      ...(report.suspected === undefined ? {} : { suspected: report.suspected }),
      packPassed: report.coverage?.complete === true,
      ...(report.before ? { before: report.before.title } : {}),
    },
  };
}

/** What the board and the route need of a result. */
export function digestOf(topic: string, result: unknown): FindingDigest {
  if (topic === 'spread') return ofSpread(result as SpreadReport);
  if (topic === 'insulation') return ofInsulation(result as InsulationReport);
  if (topic === 'prove') return { ...EMPTY, passed: (result as Comparison).passed };
  return EMPTY;
}

/** The same of a stored finding; those from before it was kept are read whole. */
export const digestOfRow = (row: FindingRow): FindingDigest =>
  row.digest ?? digestOf(row.topic, row.topic === 'spread' ? reportOf(row) : row.result);
