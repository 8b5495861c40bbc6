import { positionShareBelow, type LeakLocation } from './location';
import { FALSE_ALARM, MISSED } from './split';

/** Share of leaking packs with a second leak. From memory. */
const SECOND = 0.1;

/** What a test, or the voltages of a part's own ends, said of the places that it reached. */
export interface Outcome {
  /** Positions in the string; its length stands for outside the pack. */
  reached: readonly number[];
  outcome: 'leak' | 'pass' | 'doubtful' | 'not valid';
  /** It read less conductance than there is in all: what leaks in it is not all that leaks. */
  notAll?: boolean;
}

/**
 * Weighs that one place leaks against that two do, by Bayes' rule. Of two leaks the chassis lies between them, at the mean weighted by
 * conductance, each share as likely as the next.
 * @param places where each begins and ends along the string, in string order, 0 to 1
 * @param density how well the voltages fit one leak at each place; 1 at all of them where they say nothing
 * @param weight of what was seen at each place
 * @param outside how likely the one leak is outside the pack, before the tests
 * @returns how likely each place leaks, in string order and outside last: they add up to more than 1 where two may; and how likely two do
 */
export function weighLeaks(s: {
  places: readonly { low: number; high: number }[];
  density: readonly number[];
  weight: readonly number[];
  outside: number;
  location: LeakLocation | null;
  outcomes: readonly Outcome[];
}): { probability: number[]; two: number } {
  const { places, density, weight, outcomes } = s;
  const n = places.length;
  const reached = outcomes.map((o) => new Set(o.reached));
  const likelihood = (...at: number[]): number =>
    outcomes.reduce((l, o, k) => {
      const hits = at.filter((i) => reached[k]!.has(i)).length;
      return l * (o.notAll && hits === at.length ? MISSED : 1) * chanceOf(o.outcome, hits);
    }, 1);
  const prior = toOne(places.map((p, i) => (p.high - p.low) * weight[i]!));
  const single = prior.map((p, i) => p * density[i]!);
  const inside = single.reduce((a, b) => a + b, 0);
  const scaled = [...single.map((x) => (x / inside) * (1 - s.outside)), s.outside];
  const leaks = scaled.map((x, i) => (1 - SECOND) * inside * x * likelihood(i));
  const one = leaks.reduce((a, b) => a + b, 0);

  const between = betweenOf(s.location, places);
  const pairs = 1 - prior.reduce((a, p) => a + p * p, 0);
  let two = 0;
  for (let i = 0; i < n; i++)
    for (let j = i + 1; j < n; j++) {
      const w = ((SECOND * 2 * prior[i]! * prior[j]!) / (pairs || 1)) * between(i, j) * likelihood(i, j);
      leaks[i]! += w;
      leaks[j]! += w;
      two += w;
    }
  const all = one + two || 1;
  return { probability: leaks.map((x) => x / all), two: two / all };
}

/** How well the voltages at the terminals fit two leaks: 1 where they say nothing. */
export function betweenOf(
  location: LeakLocation | null,
  places: readonly { low: number; high: number }[],
): (i: number, j: number) => number {
  if (!location?.identifiable) return () => 1;
  const below = positionShareBelow(location);
  const middle = places.map((p) => (p.low + p.high) / 2);
  const share = middle.map(below);
  return (i, j) => Math.abs(share[j]! - share[i]!) / Math.max(1e-6, Math.abs(middle[j]! - middle[i]!));
}

/** What a test says where so many of the leaks were in its reach. */
function chanceOf(outcome: Outcome['outcome'], hits: number): number {
  if (outcome === 'not valid') return 1;
  if (outcome === 'doubtful') return hits > 0 ? 0.6 : 0.4;
  if (outcome === 'leak') return hits > 0 ? 1 : FALSE_ALARM;
  return MISSED ** hits;
}

const toOne = (p: readonly number[]): number[] => {
  const total = p.reduce((a, b) => a + b, 0);
  return p.map((x) => (total > 0 ? x / total : 1 / p.length));
};
