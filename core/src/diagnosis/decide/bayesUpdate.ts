import { stillOpen } from './oneReading';
import type { Alternative, ChannelFinding, Verdict } from '../verdict';

/** Share of one explanation that makes it the verdict. */
const SETTLED = 0.9;
/** Nothing measured makes a cause surer than this. */
const SUREST = 0.99;
/** No explanation is ruled out by a list that left it out. */
const LEAST_SHARE = 0.01;
/** Shares below this are not listed. */
const LISTED = 0.004;

/** Causes of a finding with their shares; a wrong reading is always one of them. */
export function openCauses(finding: ChannelFinding): Map<Verdict, number> {
  const prior = new Map<Verdict, number>();
  for (const a of finding.alternatives) prior.set(a.verdict, Math.max(LEAST_SHARE, a.confidence));
  if (finding.verdict !== 'undetermined') prior.set(finding.verdict, finding.confidence);
  if (!prior.has('sense-fault')) prior.set('sense-fault', LEAST_SHARE);
  if (prior.size === 1) prior.set('imbalance', LEAST_SHARE);
  return prior;
}

interface How {
  /** That the reading is wrong is no surer than this by what is weighed in. */
  surestWrong?: number;
  /** Put in place of the estimate where the reading turns out to be wrong, mV. */
  offsetMillivolt?: number;
  /** Said where nothing that is open explains what was measured. */
  unlike?: string;
}

/**
 * A finding weighed anew by Bayes' rule: each open cause by how likely what was measured is under it. Of causes that one state of charge leaves
 * open, what is measured tells only whether it is the reading.
 * @param likelihood of what was measured under a cause, in any common unit
 * @param say the reason that is added, told whether the reading turns out to be wrong
 */
export function weighBy(
  finding: ChannelFinding,
  likelihood: (v: Verdict) => number,
  say: (wrong: boolean) => string,
  { surestWrong = SUREST, offsetMillivolt, unlike = '' }: How = {},
): ChannelFinding {
  const prior = openCauses(finding);
  const rows = [...prior].map(([verdict, p]) => ({ verdict, weight: p * likelihood(verdict) }));
  const total = rows.reduce((s, r) => s + r.weight, 0);
  if (!(total > 1e-30))
    return unlike === ''
      ? finding
      : {
          ...finding,
          verdict: 'undetermined',
          confidence: 0.5,
          alternatives: [...prior].map(([verdict, confidence]) => ({ verdict, confidence })),
          reasons: [...finding.reasons, unlike],
        };
  const ranked: Alternative[] = rows
    .map((r) => ({ verdict: r.verdict, confidence: r.weight / total }))
    .sort((a, b) => b.confidence - a.confidence);
  const best = ranked[0]!;
  const wrong = best.verdict === 'sense-fault';
  const reasons = [...finding.reasons, say(wrong)];
  if (finding.films && !wrong) return { ...finding, ...stillOpen(ranked), reasons };
  if (best.confidence < SETTLED)
    return {
      ...finding,
      verdict: 'undetermined',
      confidence: 1 - best.confidence,
      alternatives: ranked.filter((r) => r.confidence > LISTED),
      reasons,
    };
  const same = finding.verdict === best.verdict || finding.alternatives[0]?.verdict === best.verdict;
  return {
    ...finding,
    verdict: best.verdict,
    confidence: Math.min(wrong ? surestWrong : SUREST, best.confidence),
    alternatives: ranked.slice(1).filter((r) => r.confidence > LISTED),
    // The estimate belongs to the explanation it was fitted for.
    estimate: wrong
      ? offsetMillivolt === undefined
        ? finding.estimate
        : { offsetMillivolt }
      : same
        ? finding.estimate
        : {},
    reasons,
    separate: 1e3,
  };
}
