import type { ChannelFit } from './channelModel';
import { ranked } from '../../numerics/robustStatistics';

/** Standard deviation of one reading's deviation and how much slow errors widen it, from the pack's own residuals. */
export function residualNoise(fits: ChannelFit[], floorV: number): { noiseV: number; inflation: number } {
  const rms = fits.map((f) =>
    Math.sqrt(
      f.residualV.reduce((s, r, i) => s + r * r * f.count[i]!, 0) / Math.max(1, f.residualV.length - 2),
    ),
  );
  const sorted = rms.filter((r) => Number.isFinite(r)).sort((a, b) => a - b);
  const noiseV = Math.max(floorV, sorted[Math.floor(sorted.length / 2)] ?? floorV);
  const factors = fits.map((f) => blockInflation(f, noiseV)).sort((a, b) => a - b);
  return { noiseV, inflation: Math.max(1, factors[Math.floor(factors.length / 2)] ?? 1) };
}

/** Variance of block means over what white noise would give: 1 for white residuals, more when errors last. */
export function blockInflation({ residualV, count }: ChannelFit, noiseV: number): number {
  const size = Math.floor(residualV.length / 16);
  if (size < 2) return 1;
  let sum = 0;
  for (let b = 0; b < 16; b++) {
    let total = 0;
    let weight = 0;
    for (let i = b * size; i < (b + 1) * size; i++) {
      total += residualV[i]! * count[i]!;
      weight += count[i]!;
    }
    sum += (total * total) / Math.max(1, weight);
  }
  return sum / 16 / (noiseV * noiseV);
}

/** Three in four readings of a normal error lie within this many standard deviations. */
const QUARTILES_SD = 1.15;
/**
 * What a fit leaves of a channel's readings, as a standard deviation, V: by the quartiles, since a reading that came late
 * in a step of current says nothing of the channel.
 */
export function leftV({ residualV }: Pick<ChannelFit, 'residualV'>): number {
  if (residualV.length === 0) return 0;
  return ranked(residualV.map(Math.abs), Math.floor(0.75 * (residualV.length - 1))) / QUARTILES_SD;
}
