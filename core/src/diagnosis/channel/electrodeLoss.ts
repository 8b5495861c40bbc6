import { heldRatio } from '../cell/retainedCapacity';
import { covarianceOf, varianceOf } from '../../numerics/linearAlgebra';
import type { DeviationSet } from './deviations';
import type { ChannelFit } from './channelModel';
import { byElectrode, PARAMETERS, type Hypothesis } from './parameters';
import { OFF_BY_MISFIT } from '../cell/typicalCellFit';

const [CAPACITY, SLIP, STRETCH] = (['capacity', 'slip', 'stretch'] as const).map((p) =>
  PARAMETERS.indexOf(p),
) as [number, number, number];

/** More than this no channel has of lithium or of an electrode's material beyond the others, as a share: nothing grows in a cell. From memory. */
const MOST_MORE = 0.05;

/** Whether a fit says of lithium or of an electrode that a channel has more of it than cells differ by. */
export function gains({ theta }: Pick<ChannelFit, 'theta'>): boolean {
  const [g, l, m] = [theta[CAPACITY]!, theta[SLIP]!, theta[STRETCH]!];
  // Charge is that of the positive electrode; the negative one goes on from there. A smaller one is fuller with the same lithium.
  const negative = 1 / ((1 + g) * (1 + m));
  const lithium = (1 - l) * negative;
  return Math.max(lithium, 1 / (1 + g), negative) > 1 + MOST_MORE;
}

/** Whether a fit says that the negative electrode is fuller than in the others when the channel is full: it may be, where it has become smaller. */
export const isFuller = ({ theta }: Pick<ChannelFit, 'theta'>): boolean => theta[SLIP]! < -MOST_MORE;

/** What a channel holds of what the typical one holds, by a fit, with the standard deviation that its readings leave. */
export function retainedCapacityOf(
  observed: Pick<DeviationSet, 'curve' | 'negative'>,
  { theta, info }: Pick<ChannelFit, 'theta' | 'info'>,
): {
  value: number;
  sd: number;
  /** What it would be known by if the readings said nothing. */
  beforeSd: (prior: Record<'capacity' | 'slip' | 'stretch', number>) => number;
} {
  const at = (g: number, l: number, m: number): number => heldRatio(observed, g, l, m);
  const [g, l, m] = [theta[CAPACITY]!, theta[SLIP]!, theta[STRETCH]!];
  const value = at(g, l, m);
  const STEP = 0.004;
  const slopes = [
    (at(g + STEP, l, m) - at(g - STEP, l, m)) / (2 * STEP),
    (at(g, l + STEP, m) - at(g, l - STEP, m)) / (2 * STEP),
    (at(g, l, m + STEP) - at(g, l, m - STEP)) / (2 * STEP),
  ];
  return {
    value,
    sd: Math.sqrt(varianceOf(slopes, covarianceOf(info, [CAPACITY, SLIP, STRETCH]))),
    beforeSd: (prior) =>
      Math.hypot(slopes[0]! * prior.capacity, slopes[1]! * prior.slip, slopes[2]! * prior.stretch),
  };
}

/** What a fit does not know of its own errors in a loss, as a share of it, and how well "the others" are known, however long the record. */
const SYSTEMATIC = 0.28;
const OTHERS_SD = 0.005;

/**
 * Standard deviation of what a channel holds, with what no reading says of it. Set by packs of each simulated world.
 * @param by the explanation; where it goes by an electrode, that is known no better than its half cells lie at the table
 */
export const heldSd = (
  { value, sd }: { value: number; sd: number },
  by: Hypothesis,
  { negative }: Pick<DeviationSet, 'negative'>,
): number =>
  Math.hypot(
    sd,
    OTHERS_SD,
    SYSTEMATIC * (1 - value),
    byElectrode(by) ? OFF_BY_MISFIT * (negative?.misfitV ?? 0) : 0,
  );
