import type { Pack, Scatter } from '../pack';
import { PARAMETERS, type ChannelFit } from './channelModel';
import { hypothesesFor } from './hypotheses';
import type { Judged, Majority } from './majority';
import type { Observed } from './observe';

/**
 * Channels that are off as much as their neighbour in the string, the other way: a tap wire between two channels moves
 * both, so the two speak together where neither does alone.
 */
export function suspectedTaps(
  m: Majority,
  plain: readonly number[],
  healthy: ReadonlyMap<number, ChannelFit>,
  limit: number,
): Set<number> {
  const offset = hypothesesFor(m.pack.profile.chemistry).find((h) => h.verdict === 'sense-fault')!.hypothesis;
  const found = new Set<number>();
  const look = new Map(plain.map((c) => [c, m.fit(c, offset, m.inflation, { passes: 1 })]));
  const at = PARAMETERS.indexOf('offset');
  for (const a of plain) {
    const b = a + 1;
    const [fa, fb] = [look.get(a), look.get(b)];
    if (!fa || !fb || fa.theta[at]! * fb.theta[at]! >= 0) continue;
    const gain = healthy.get(a)!.chiSquare - fa.chiSquare + healthy.get(b)!.chiSquare - fb.chiSquare;
    const variance = fa.sd[at]! ** 2 + fb.sd[at]! ** 2 + 2 * m.scatter.offsetV ** 2;
    const mismatch = (fa.theta[at]! + fb.theta[at]!) ** 2 / variance;
    if (mismatch < 6 && gain - mismatch > limit) found.add(a).add(b);
  }
  return found;
}

/** Neighbours off by opposite and equal volts: one tap wire, not two faults. */
export function tapPairs(
  judged: Judged[],
  scatter: Scatter,
  observed: Observed,
  pack: Pack,
): Map<number, number> {
  const pairs = new Map<number, number>();
  for (const a of judged) {
    const b = judged.find((j) => j.channelIndex === a.channelIndex + 1);
    if (!b || pairs.has(a.channelIndex)) continue;
    const fa = a.byVerdict.get('sense-fault');
    const fb = b.byVerdict.get('sense-fault');
    if (!fa || !fb) continue;
    const offsetA = fa.fit.theta[5]!;
    const offsetB = fb.fit.theta[5]!;
    if (offsetA * offsetB >= 0) continue;
    const slope =
      Math.abs(observed.curve.slopeAt(observed.trajectory.socFraction[0]!)) *
      pack.channels[a.channelIndex]!.cells;
    const healthyV = Math.hypot(scatter.offsetV, scatter.socFraction * slope);
    const mismatch = (offsetA + offsetB) ** 2 / (2 * healthyV ** 2 + fa.fit.sd[5]! ** 2 + fb.fit.sd[5]! ** 2);
    const least = (j: Judged): number => Math.min(...[...j.byVerdict.values()].map((v) => v.chiSquare));
    const worse = fa.chiSquare + fb.chiSquare - least(a) - least(b);
    if (mismatch < 9 && worse + mismatch < 14) {
      pairs.set(a.channelIndex, b.channelIndex);
      pairs.set(b.channelIndex, a.channelIndex);
    }
  }
  return pairs;
}
