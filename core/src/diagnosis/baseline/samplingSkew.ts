import type { ChannelFit } from '../channel/channelModel';
import type { Observation, DeviationSet } from '../channel/deviations';
import { leftV } from '../channel/residuals';

/** A reading this many times the usual scatter beside everything that a channel can show came late, or was another's. */
const LATE_TIMES = 8;
/** One of less than so many times is not asked what the fit makes of the others without it. */
const ASKED_TIMES = 4;
/** More of a channel's readings than this share cannot all be late. */
const LATE_SHARE = 0.04;

/**
 * The reading of a channel that lies furthest beside what the others say of it, if no cell gives it; null where none does. By how far it lies off the fit
 * with it and without it: the root of their product is its distance in standard deviations of that distance, times the scatter (the externally
 * studentised residual; Belsley, Kuh and Welsch, Regression Diagnostics, 1980, from memory). So the one reading under load of a record, which
 * nothing else foretells, is never late, however a bad joint drops in it.
 */
function lateOne(
  reads: Observation,
  fit: ChannelFit,
  noiseV: number,
  lookAt: (reads: Observation) => ChannelFit,
): { at: number; reads: Observation; fit: ChannelFit } | null {
  const off = fit.residualV.map((r, k) => (reads.count[k]! > 0 ? Math.abs(r) : 0));
  const at = off.indexOf(Math.max(...off));
  if (at < 0 || off[at]! < ASKED_TIMES * Math.max(noiseV, leftV(fit))) return null;
  const without = { ...reads, count: reads.count.map((n, k) => (k === at ? 0 : n)) };
  const others = lookAt(without);
  const least = LATE_TIMES * Math.max(noiseV, leftV(others));
  const beside = (k: number): number => (without.count[k]! > 0 ? Math.abs(others.residualV[k]!) : 0);
  if (Math.sqrt(off[at]! * Math.abs(others.residualV[at]!)) < least) return null;
  // One alone: what a channel shows near the end of its charge is off in the readings beside it too.
  if (Math.max(beside(at - 1), beside(at + 1)) > least / 2) return null;
  return { at, reads: without, fit: others };
}

/**
 * Readings that no cell gives: one that came late in a step of current says nothing of the channel, and a fit would bend to it. They keep their
 * place and lose their weight.
 * @param looks linear fits of the channels in `plain` with everything free
 * @param lookAt the same of a channel by other readings
 */
export function downweightSkewedSamples(
  observed: DeviationSet,
  plain: readonly number[],
  looks: readonly ChannelFit[],
  noiseV: number,
  lookAt: (channel: number, reads: Observation) => ChannelFit,
): DeviationSet {
  const channels = [...observed.channels];
  plain.forEach((c, i) => {
    const most = LATE_SHARE * channels[c]!.at.length;
    const late: number[] = [];
    let reads = channels[c]!;
    let fit = looks[i]!;
    for (;;) {
      const found = lateOne(reads, fit, noiseV, (r) => lookAt(c, r));
      if (!found) break;
      late.push(found.at);
      if (late.length > most) return;
      ({ reads, fit } = found);
    }
    if (late.length > 0) channels[c] = reads;
  });
  return { ...observed, channels };
}
