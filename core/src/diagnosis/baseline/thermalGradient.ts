import type { Pack } from '../../pack';
import type { Observation, DeviationSet } from '../channel/deviations';
import { median } from '../../numerics/robustStatistics';
import type { ChannelFit } from '../channel/channelModel';
import { slopesOf, slowDrop } from '../channel/channelTerms';
import { type Parameter, PARAMETERS } from '../channel/parameters';

/** Fewer channels than this show no course over the pack. */
const FEWEST = 12;
/** A course counts from this many standard errors on. */
const SURE = 4;

/** Where the channels lie along the string, and along rows and columns of the pack where it has them. */
function coordinates(pack: Pack): number[][] {
  const at = pack.channels.map((c) => c.index);
  const moduleOf = new Map(pack.modules.flatMap((m) => m.channelIndices.map((c) => [c, m] as const)));
  const along = (of: 'row' | 'column'): number[] =>
    pack.channels.map((c) => moduleOf.get(c.index)?.place[of] ?? 0);
  return [at, along('row'), along('column')].filter((x) => new Set(x).size > 2);
}

/** Straight line through points by medians of slopes (Theil 1950, Sen 1968), with how sure the slope is. */
export function robustLine(
  x: readonly number[],
  y: readonly number[],
): { slope: number; middle: number; t: number } {
  const slopes: number[] = [];
  for (let i = 0; i < x.length; i++)
    for (let j = i + 1; j < x.length; j++) if (x[i] !== x[j]) slopes.push((y[j]! - y[i]!) / (x[j]! - x[i]!));
  const slope = median(slopes);
  const middle = median(y.map((v, i) => v - slope * x[i]!));
  const scatter = 1.4826 * median(y.map((v, i) => Math.abs(v - middle - slope * x[i]!)));
  const mean = x.reduce((a, b) => a + b, 0) / x.length;
  const spread = Math.sqrt(x.reduce((s, v) => s + (v - mean) ** 2, 0));
  return { slope, middle, t: scatter > 0 ? Math.abs(slope) / ((1.25 * scatter) / spread) : 0 };
}

/**
 * One end of a pack is colder than the other, and its resistance higher, the slow part more so: where resistance follows
 * the place of the channels, what follows it is taken out of the readings. A single bad joint moves no median.
 * @param looks linear fits of the channels in `plain`, with everything free.
 */
export function withoutThermalGradient(
  observed: DeviationSet,
  pack: Pack,
  plain: readonly number[],
  looks: readonly ChannelFit[],
): DeviationSet {
  if (plain.length < FEWEST) return observed;
  const trendOf = (parameter: Parameter): ((c: number) => number) | null => {
    const excess = looks.map((f) => f.theta[PARAMETERS.indexOf(parameter)]!);
    const lines = coordinates(pack).map((x) => ({
      x,
      line: robustLine(
        plain.map((c) => x[c]!),
        excess,
      ),
    }));
    const best = lines.sort((a, b) => b.line.t - a.line.t)[0];
    if (!best || best.line.t < SURE) return null;
    const at = (c: number): number => best.line.middle + best.line.slope * best.x[c]!;
    const usual = median(plain.map(at));
    return (c) => at(c) - usual;
  };
  const [all, slow] = [trendOf('ohmic'), trendOf('slow')];
  if (!all && !slow) return observed;
  const { ohmicV } = observed.trajectory;
  const slowV = slowDrop(observed, slopesOf(observed));
  return {
    ...observed,
    channels: observed.channels.map((o, c): Observation => {
      const { cells } = pack.channels[c]!;
      const [r, s] = [cells * (all?.(c) ?? 0), cells * (slow?.(c) ?? 0)];
      return {
        ...o,
        deviationV: o.deviationV.map((d, i) => d + r * ohmicV[o.at[i]!]! + (r + s) * slowV[o.at[i]!]!),
      };
    }),
  };
}
