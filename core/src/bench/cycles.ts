import type { Chemistry } from '../pack';

/** One discharge of a module, as far as it tells what the module holds. */
export interface Cycle {
  capacityAh: number;
  /** It ended before its cut-off: at least this. */
  lowerBound: boolean;
  /** Cells that ran empty on the way. */
  dropouts: number;
  /** Null where nobody wrote it down. */
  currentA?: number | null | undefined;
  /** Warmest of the run, °C; null where nobody took it. */
  hottestC?: number | null | undefined;
}
export type CycleVerdict = 'not measured' | 'fit' | 'go on' | 'once more' | 'worn' | 'falling' | 'fails warm';
export interface CyclesJudged {
  verdict: CycleVerdict;
  /** Of the last over the one before, as a share; null for a single cycle. */
  gain: number | null;
  lastShare: number | null;
  /** What another cycle likely gives, A·h; null where nothing was gained. */
  nextAh: number | null;
  says: string;
}

/** A module that holds this share of its rating fits. Common practice, no source. */
export const FIT_SHARE = 0.8;
/** A gain that is more than two runs of one module differ by themselves. From memory. */
const GAINS = 0.05;
const FALLS = 0.08;
/** Two runs whose currents differ by more than this share are not held against each other. From memory. */
const LIKE_CURRENT = 0.25;
/** Nor two whose warmest readings lie further apart than this, K. From memory. */
const LIKE_K = 10;
/** One that gives so much less warm than cool fails warm: a sound one gives as much or more. From memory. */
const FAILS_WARM = 0.15;
/** Each cycle of conditioning brings about this share of what the one before brought. From memory. */
const LESS_EACH = 0.55;

/** Whether two runs were at one current, as far as both were written down. */
const alikeInCurrent = ({ currentA: a }: Cycle, { currentA: b }: Cycle): boolean =>
  a == null || b == null || Math.abs(a - b) <= LIKE_CURRENT * Math.max(a, b);

/** A whole run that gave far less than a cooler one did, the widest apart; null where none did. */
function failsWarm(cycles: readonly Cycle[]): { warm: Cycle; cool: Cycle } | null {
  const whole = cycles.filter((c) => !c.lowerBound && c.hottestC != null);
  let worst: { warm: Cycle; cool: Cycle } | null = null;
  for (const warm of whole)
    for (const cool of whole)
      if (
        warm.hottestC! - cool.hottestC! > LIKE_K &&
        alikeInCurrent(warm, cool) &&
        warm.capacityAh < (1 - FAILS_WARM) * cool.capacityAh &&
        (!worst || warm.capacityAh / cool.capacityAh < worst.warm.capacityAh / worst.cool.capacityAh)
      )
        worst = { warm, cool };
  return worst;
}

/**
 * What a module's cycles say: whether it fits, gains and is worth another, or is worn. One cycle below the rating tells nothing
 * of wear: an unbalanced module and a worn one look alike until it is run again. NiMH gains by being cycled; lithium does not,
 * but gives more once its groups are level. Runs of unlike warmth are no series: what gives less warm than cool fails warm, whichever came last.
 */
export function judgeCycles(
  ratedAh: number,
  cycles: readonly Cycle[],
  chemistry: Chemistry = 'nimh',
  fitShare = FIT_SHARE,
): CyclesJudged {
  const nimh = chemistry === 'nimh';
  const last = cycles.at(-1);
  if (!last)
    return { verdict: 'not measured', gain: null, lastShare: null, nextAh: null, says: 'Not measured.' };
  const lastShare = last.capacityAh / ratedAh;
  const percent = `${(lastShare * 100).toFixed(0)} % of the rating`;
  const before = cycles.filter((c) => !c.lowerBound).at(last.lowerBound ? -1 : -2);
  const otherWarmth =
    before?.hottestC != null && last.hottestC != null && Math.abs(last.hottestC - before.hottestC) > LIKE_K;
  const otherCurrent = before !== undefined && !alikeInCurrent(last, before);
  const other = otherCurrent || otherWarmth;
  const gain = before && !other ? last.capacityAh / before.capacityAh - 1 : null;
  const answer = (verdict: CycleVerdict, says: string, nextAh: number | null = null): CyclesJudged => ({
    verdict,
    gain,
    lastShare,
    nextAh,
    says,
  });
  const steps = last.dropouts > 0 ? `${last.dropouts} of its cells ran empty first` : '';
  const warm = failsWarm(cycles);
  if (warm)
    return answer(
      'fails warm',
      `${warm.warm.capacityAh.toFixed(1)} A·h at ${warm.warm.hottestC!.toFixed(0)} °C, ${warm.cool.capacityAh.toFixed(1)} at ${warm.cool.hottestC!.toFixed(0)} °C: fails warm.`,
    );
  // What falls is not called fit, however much is left of it.
  if (!last.lowerBound && gain !== null && gain < -FALLS)
    return answer(
      'falling',
      `Fell by ${(-gain * 100).toFixed(0)} %, to ${percent}: stop, and see whether it ran warm.`,
    );
  if (lastShare >= fitShare) return answer('fit', `Fits, ${last.lowerBound ? 'at least ' : ''}${percent}.`);
  if (last.lowerBound)
    return answer('once more', `At least ${percent}: the run ended before its cut-off. Run it out.`);
  if (gain === null && other)
    return answer(
      'once more',
      `${percent}, ${otherCurrent ? 'at another current' : 'at another warmth'} than before: run it again at one of them.`,
    );
  if (gain === null && !nimh)
    return answer(
      'once more',
      `${percent} once: its weakest group ends it. Level its groups, then run it again.`,
    );
  if (gain === null)
    return answer(
      'go on',
      `${percent} once${steps ? `; ${steps}: unbalanced, charge it level and cycle again` : ': unbalanced or worn, one more cycle tells'}.`,
    );
  if (gain > GAINS && !nimh)
    return answer(
      'once more',
      `${percent}, ${(gain * 100).toFixed(0)} % more than before: was it level this time? Run it again.`,
    );
  if (gain > GAINS) {
    const nextAh = last.capacityAh * (1 + gain * LESS_EACH);
    return answer(
      'go on',
      `Unbalanced, gains ${(gain * 100).toFixed(0)} % a cycle: ${nextAh >= fitShare * ratedAh ? 'one more, then it likely fits' : 'go on'}.`,
      nextAh,
    );
  }
  const whole = cycles.filter((c) => !c.lowerBound);
  const earlier = whole.at(-3);
  const first = earlier ? whole.at(-2)!.capacityAh / earlier.capacityAh - 1 : null;
  if (!nimh) return answer('worn', `${percent} twice: worn.`);
  if (first !== null && first <= GAINS)
    return answer('worn', `${percent}, no gain in two cycles: worn, stop.`);
  return answer('once more', `${percent} with no gain: once more, then it is worn.`);
}
