import { deltaLimitMv, factsOf, limitValue, ocvCurve, type Pack } from '../../pack';
import type { RestPoint } from '../../scan';
import { median, medianAbsoluteDeviation, MODIFIED_Z_LIMIT } from '../../numerics/robustStatistics';

/** One channel against the rest of the pack at one rest. */
export interface ChannelDeviation {
  channelIndex: number;
  voltageV: number | null;
  deviationMv: number | null;
  modifiedZ: number | null;
  odd: boolean;
  socFraction: number | null;
  /** State of charge against the pack's median, fraction; negative = lower. */
  deltaSocFraction: number | null;
  /** The same in charge, A·h of rated capacity. */
  deltaAh: number | null;
  /** Width of ΔSOC that ± one sensor step and the curve's slope leave open, fraction. Wide on a plateau. */
  deltaSocHalfWidth: number | null;
}

export interface Spread {
  timeS: number;
  medianV: number;
  madMv: number;
  minV: number;
  maxV: number;
  minChannelIndex: number;
  maxChannelIndex: number;
  deltaMv: number;
  medianSocFraction: number;
  /** How this delta is usually judged at rest. Common practice, no source. */
  grade: 'excellent' | 'good' | 'limit' | 'poor' | 'blocks-drive';
  channels: ChannelDeviation[];
  /** True where the curve is so flat that a sensor step is worth more than 1 % of charge. */
  onPlateau: boolean;
}

/** Of the limit at a charge: what is excellent and what is good there, as near full 10 and 30 mV are of 45. Common practice, no source. */
const OF_LIMIT = { excellent: 10 / 45, good: 30 / 45 };
/** Excellent at any charge, mV. Common practice, no source. */
const ALWAYS_EXCELLENT_MV = 10;

/**
 * Delta between groups at rest, mV of a cell, in the words of the trade, by the limit at that charge (`pack/deltaLimit`); where the maker says at
 * what delta the vehicle will not drive, that counts.
 */
export function gradeDelta(deltaMv: number, socFraction: number, pack: Pack): Spread['grade'] {
  if (deltaMv >= limitValue(pack.profile, 'driveBlockingMv')) return 'blocks-drive';
  const limitMv = deltaLimitMv(pack, socFraction);
  if (deltaMv <= Math.max(ALWAYS_EXCELLENT_MV, OF_LIMIT.excellent * limitMv)) return 'excellent';
  if (deltaMv <= OF_LIMIT.good * limitMv) return 'good';
  return deltaMv <= limitMv ? 'limit' : 'poor';
}

/** A channel that was not read at this rest: nothing is known of it, and nothing is said. */
const unread = (channelIndex: number): ChannelDeviation => ({
  channelIndex,
  voltageV: null,
  deviationMv: null,
  modifiedZ: null,
  odd: false,
  socFraction: null,
  deltaSocFraction: null,
  deltaAh: null,
  deltaSocHalfWidth: null,
});

/**
 * Spread of a pack at one rest: robust statistics per channel and what each deviation means in charge.
 * Channels beyond their floor or ceiling (`condemned`) are shown but have no part in what is typical.
 * Voltages are V per channel; those of blocks are compared per channel and converted per cell for the OCV curve.
 */
export function spreadAt(point: RestPoint, pack: Pack, condemned: ReadonlySet<number> = new Set()): Spread {
  const { profile, channels } = pack;
  const curve = ocvCurve(profile.ocv);
  const stepV = factsOf(profile.chemistry).sensorStepV;
  const perCell = point.voltageV.map((v, i) => v / channels[i]!.cells);
  const sound = perCell.filter((v, i) => !Number.isNaN(v) && !condemned.has(i));
  const medianCell = median(sound);
  const floor = stepV / (channels[0]?.cells ?? 1);
  const mad = Math.max(medianAbsoluteDeviation(sound, medianCell), floor);
  const z = perCell.map((v) => (0.6745 * (v - medianCell)) / mad);
  const medianSoc = curve.socAt(medianCell);
  const rows = channels.map((channel, i): ChannelDeviation => {
    const cellV = perCell[i]!;
    if (Number.isNaN(cellV)) return unread(i);
    const socFraction = curve.socAt(cellV);
    const [low, high] = curve.socInterval(cellV, stepV / channel.cells);
    return {
      channelIndex: i,
      voltageV: point.voltageV[i]!,
      deviationMv: (cellV - medianCell) * channel.cells * 1000,
      modifiedZ: z[i]!,
      odd: Math.abs(z[i]!) > MODIFIED_Z_LIMIT,
      socFraction,
      deltaSocFraction: socFraction - medianSoc,
      deltaAh: (socFraction - medianSoc) * profile.ratedCapacityAh,
      deltaSocHalfWidth: (high - low) / 2,
    };
  });
  let lo = 0;
  let hi = 0;
  perCell.forEach((v, i) => {
    if (Number.isNaN(perCell[lo]!)) lo = i;
    if (Number.isNaN(perCell[hi]!)) hi = i;
    if (v < perCell[lo]!) lo = i;
    if (v > perCell[hi]!) hi = i;
  });
  const deltaMv = point.voltageV[hi]! * 1000 - point.voltageV[lo]! * 1000;
  const counted = point.voltageV.filter((v, i) => !Number.isNaN(v) && !condemned.has(i));
  const [pl, ph] = curve.socInterval(medianCell, stepV);
  return {
    timeS: point.timeS,
    medianV: median(counted),
    madMv: medianAbsoluteDeviation(counted) * 1000,
    minV: point.voltageV[lo]!,
    maxV: point.voltageV[hi]!,
    minChannelIndex: lo,
    maxChannelIndex: hi,
    deltaMv,
    medianSocFraction: medianSoc,
    grade: gradeDelta(deltaMv / channels[lo]!.cells, medianSoc, pack),
    channels: rows,
    onPlateau: ph - pl > 0.02,
  };
}
