import { factsOf, type Pack, type Scatter } from '../../pack';
import { STANDING_S } from '../../scan';
import { negativeAt } from '../cell/halfCells';
import { heldRatio } from '../cell/retainedCapacity';
import { retainedCapacityOf, heldSd } from '../channel/electrodeLoss';
import type { Observation, DeviationSet } from '../channel/deviations';
import type { Trajectory } from '../cell/typicalCell';
import type { ChannelFit } from '../channel/channelModel';
import { byElectrode, type Hypothesis, type Parameter, PARAMETERS } from '../channel/parameters';

/** No healthy channel lies further from the others than this many standard deviations of healthy scatter. */
export const HEALTHY_WITHIN = 2.8;

/** Half of what counts as apart from a meter: 10 mV of a lithium group. Common practice, no source: 10 to 20 mV. */
const HARMLESS_SHARE = 0.5;

/** Changes of current below this share of the rated capacity an hour are the sensor's own. Common practice, no source. */
const LEAST_LOAD = 0.05;

/** Whether an explanation is a loss of capacity, of whichever electrode. */
const holdsLess = ({ name, free }: Hypothesis): boolean =>
  name !== 'open' && (free.capacity !== undefined || free.slip !== undefined);

/**
 * Whether an explanation says that something is wrong at all: one of the things it blames has to lie further from the
 * others than healthy channels do. A long record makes a healthy difference certain, not a fault.
 */
export function isMaterial(
  hypothesis: Hypothesis,
  fit: Pick<ChannelFit, 'theta' | 'info'>,
  scatter: Scatter,
  pack: Pack,
  observed: Pick<DeviationSet, 'curve' | 'negative'>,
): boolean {
  const { theta } = fit;
  const { leak, matters } = factsOf(pack.profile.chemistry);
  const healthy: Partial<Record<Parameter, number>> = {
    soc: Math.max(HEALTHY_WITHIN * scatter.socFraction, matters.socFraction),
    capacity: Math.max(HEALTHY_WITHIN * scatter.capacity, matters.capacity),
    ohmic: Math.max(HEALTHY_WITHIN * scatter.resistance, matters.resistance),
    slow: Math.max(HEALTHY_WITHIN * scatter.resistance, matters.resistance),
    leak: leak.healthyMostPerDay,
    // A board that is this little off does no harm, however certain it is.
    offset: Math.max(
      HEALTHY_WITHIN * scatter.offsetV,
      (factsOf(pack.profile.chemistry).meter.apartMv / 1000) * HARMLESS_SHARE,
    ),
  };
  if (holdsLess(hypothesis)) {
    const ratio = heldRatio(observed, theta[1]!, theta[6]!, theta[7]!);
    // What lithium or material is lost shows long before how much: as much as it may well be counts.
    const least = byElectrode(hypothesis)
      ? ratio - heldSd(retainedCapacityOf(observed, fit), hypothesis, observed)
      : ratio;
    return Math.abs(1 / least - 1) > healthy.capacity!;
  }
  return PARAMETERS.some(
    (p, j) => hypothesis.free[p] !== undefined && Math.abs(theta[j]!) > (healthy[p] ?? Infinity),
  );
}

/**
 * Whether a difference of charge or capacity shows in volts at all: somewhere in the record it has to move the channel by
 * more than boards and the curves of healthy cells differ by. On a flat curve some per cent of charge do not.
 */
export function isVisible(
  hypothesis: Hypothesis,
  { theta }: Pick<ChannelFit, 'theta'>,
  scatter: Scatter,
  observed: DeviationSet,
  cells: number,
): boolean {
  const { free } = hypothesis;
  if (free.soc === undefined && free.capacity === undefined && free.slip === undefined) return true;
  const { socFraction, drawnAh, capacityAh, timeS } = observed.trajectory;
  const level = hypothesis.levelAt === 'full' ? Math.max(0, 1 - socFraction[0]!) : 0;
  const least = HEALTHY_WITHIN * scatter.offsetV;
  return socFraction.some((s, k) => {
    const days = (timeS[k]! - timeS[0]!) / 86400;
    const d = theta[0]! - theta[1]! * (drawnAh[k]! / capacityAh + level) - theta[4]! * days;
    const slipped = observed.negative
      ? negativeAt(observed.negative, s + d).v -
        negativeAt(observed.negative, s + d - theta[6]! - theta[7]! * (1 - s)).v
      : 0;
    return cells * Math.abs(observed.curve.voltageAt(s + d) - observed.curve.voltageAt(s) + slipped) >= least;
  });
}

/** How much of a wrong reading has to be seen: what else healthy channels have may hide the rest. */
const SEEN_SHARE = 0.5;
const SEEN_FOR = 0.1;

/**
 * Whether a wrong reading is seen as one: apart from the load the channel lies off by at least half of it, on the same
 * side, for a tenth of the record at least. An offset that only appears in a fit, hidden from the eye by an opposite difference of charge in every reading,
 * is the bend of a curve that the table does not know.
 */
export function isSeen(
  hypothesis: Hypothesis,
  { theta }: Pick<ChannelFit, 'theta'>,
  { at, deviationV }: Pick<Observation, 'at' | 'deviationV'>,
  { ohmicV, slowV }: Pick<Trajectory, 'ohmicV' | 'slowV'>,
  cells: number,
): boolean {
  if (hypothesis.free.offset === undefined) return true;
  const offsetV = theta[PARAMETERS.indexOf('offset')]!;
  const slow = (hypothesis.tied ? theta[2]! : 0) + theta[3]!;
  // What the load does is resistance, not a reading.
  const along = Float64Array.from(
    deviationV,
    (d, i) => (d + cells * (theta[2]! * ohmicV[at[i]!]! + slow * slowV[at[i]!]!)) * Math.sign(offsetV),
  ).sort();
  return along[Math.floor((1 - SEEN_FOR) * (along.length - 1))]! >= SEEN_SHARE * Math.abs(offsetV);
}

/**
 * Whether a record can speak for an explanation: resistance needs a load that moves the typical channel by
 * more than the sensor's steps; self-discharge needs standing time.
 */
export function isIdentifiable(
  hypothesis: Hypothesis,
  observed: DeviationSet,
  pack: Pack,
  cells: number,
): boolean {
  const { timeS } = observed.trajectory;
  // At a current that never changes resistance is one explanation among others: without current it would be off by nothing.
  if (hypothesis.free.ohmic !== undefined && !loadShows(observed, pack, cells, 0)) return false;
  return hypothesis.free.leak === undefined || timeS[timeS.length - 1]! - timeS[0]! >= STANDING_S;
}

/** Whether the current changes, so that what follows it can be told from what does not. */
export const loadChanges = (observed: DeviationSet, pack: Pack, cells: number): boolean =>
  loadShows(observed, pack, cells, null);

/** Whether currents, and `fromA` where it is given, are as far apart as moves the typical channel by more than the sensor's steps. */
function loadShows(
  { trajectory: { currentA, resistanceOhm, typicalV } }: DeviationSet,
  pack: Pack,
  cells: number,
  fromA: number | null,
): boolean {
  let low = fromA ?? Infinity;
  let high = fromA ?? -Infinity;
  currentA.forEach((i, k) => {
    // What was drawn between records was judged, with no volts beside it.
    if (Number.isNaN(typicalV[k]!)) return;
    low = Math.min(low, i);
    high = Math.max(high, i);
  });
  const change = high - low;
  return (
    change >= LEAST_LOAD * pack.profile.ratedCapacityAh &&
    change * resistanceOhm * cells >= 2 * factsOf(pack.profile.chemistry).sensorStepV
  );
}
