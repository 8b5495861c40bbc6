import { alternativesWith, testsWith } from '@cellmend/core/learn';
import type { ChannelFinding, SpreadReport } from '@cellmend/core/diagnosis';
import { useJobView } from '../shell/jobContext';
import { percent } from '../ui/words';
import { useMemoryHere, verdictWords } from './WasItSo';

export interface WithMemory {
  /** Of a place, and of what is open there; empty where nothing remembered bears on it. */
  of: (module: string, findings: readonly ChannelFinding[]) => string;
  /** The next test with what is remembered, where it is another; empty else. */
  next: string;
}

/** What is remembered of such packs beside what the readings say: which places failed, what open verdicts became, what to test. */
export function useWithMemory(report: SpreadReport | null): WithMemory {
  const { job, pack } = useJobView();
  const { data } = useMemoryHere(job.number);
  const model = data?.on ? data.model : null;
  if (!model || !report) return { of: () => '', next: '' };
  const of: WithMemory['of'] = (module, findings) => {
    const failed = model.places[module];
    const open = findings.find((f) => f.module === module && f.verdict === 'undetermined');
    const [first] = open
      ? [...alternativesWith(open.alternatives, model)].sort((a, b) => b.confidence - a.confidence)
      : [];
    const total = open ? open.alternatives.reduce((s, a) => s + a.confidence, 0) : 0;
    return [
      failed ? `${module} failed in ${failed} of ${model.jobs} such packs` : '',
      first && total > 0 && model.verdicts[first.verdict]
        ? `${verdictWords(first.verdict)} ${percent(first.confidence / total)} with what is remembered`
        : '',
    ]
      .filter(Boolean)
      .join(' · ');
  };
  const [best] = testsWith(report.tests, report.findings, pack, model);
  return { of, next: best && best.text !== report.nextTest ? best.text : '' };
}
