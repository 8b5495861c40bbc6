import type { Spread } from './restSpread';

/** Spread near full and near empty of one record; null where the record has no such rest. */
export interface Ends {
  nearFull: Spread | null;
  nearEmpty: Spread | null;
}

/** The rests with the highest and the lowest charge; one alone is named by the half of the curve it lies in. */
export function endsOf(rests: readonly Spread[], apart = 0.2): Ends {
  const sorted = [...rests].sort((a, b) => b.medianSocFraction - a.medianSocFraction);
  const first = sorted[0];
  const last = sorted[sorted.length - 1];
  if (!first || !last) return { nearFull: null, nearEmpty: null };
  if (first.medianSocFraction - last.medianSocFraction >= apart) return { nearFull: first, nearEmpty: last };
  return first.medianSocFraction > 0.6
    ? { nearFull: first, nearEmpty: null }
    : { nearFull: null, nearEmpty: last };
}
