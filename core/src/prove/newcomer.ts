import { measured, notMeasured, type Measured } from '../measured';
import { factsOf, ocvCurve, type Pack } from '../pack';
import { median, type Ends, type Spread } from '../diagnosis';

/** A module that went in against those that stayed, by its rests at both ends. */
export interface Newcomer {
  module: string;
  /** Against the typical channel that stayed, mV a channel: above is positive. */
  nearFullMv: number | null;
  nearEmptyMv: number | null;
  /** Whether it holds more or less than they do; null where neither is told, or both hold alike. */
  holds: 'more' | 'less' | null;
  /** What it holds against them: 1 is as much. */
  ratio: Measured;
  /** What a group of it holds, A·h, where theirs is measured. */
  capacityAh: Measured;
  says: string;
}

/** What a board's reading may be off by itself beside noise and resolution, V. From memory. */
const BOARD_V = 0.0015;
const NOISE_V = 0.001;
/**
 * Cells of another age have another curve: charge by which they look apart at one rest where they are not, and what that takes off or
 * adds to a size that is not 1, as a share of how far it is from 1. From packs of particle cells.
 */
const SHAPE_SOC = 0.01;
const SHAPE_OFF = 0.45;
/** What the charge between the two rests is read to. From memory. */
const SPAN_OFF = 0.03;
/** Less charge than this between the two rests tells no size. */
const LEAST_SPAN = 0.25;
/** A size that is open by more than this is none. */
const MOST_OPEN = 0.2;
const OTHER_TEST = 'Its capacity on the bench, or a scan that rests near full and near empty.';

interface AtEnd {
  mv: number;
  soc: number;
  sd: number;
  medianSoc: number;
}

/** A module against those that stayed at one rest: in mV, and in charge with what reading and curve leave open. */
function atEnd(
  s: Spread | null,
  own: readonly number[],
  stayed: readonly number[],
  pack: Pack,
): AtEnd | null {
  if (!s) return null;
  const curve = ocvCurve(pack.profile.ocv);
  const cellV = (which: readonly number[]): number =>
    median(
      which.flatMap((i) => {
        const v = s.channels[i]!.voltageV;
        return v === null ? [] : [v / pack.channels[i]!.cells];
      }),
    );
  const [ownV, restV] = [cellV(own), cellV(stayed)];
  if (Number.isNaN(ownV) || Number.isNaN(restV)) return null;
  const cells = pack.channels[own[0]!]!.cells;
  const stepV = factsOf(pack.profile.chemistry).sensorStepV;
  const readV = Math.hypot(stepV / Math.sqrt(12), NOISE_V, BOARD_V) / cells;
  const width = (v: number): number => {
    const [low, high] = curve.socInterval(v, readV);
    return (high - low) / 2;
  };
  return {
    mv: 1000 * cells * (ownV - restV),
    soc: curve.socAt(ownV) - curve.socAt(restV),
    // Two readings, and two curves.
    sd: Math.hypot(Math.max(width(ownV), width(restV)) * Math.SQRT2, SHAPE_SOC),
    medianSoc: curve.socAt(restV),
  };
}

/**
 * How much more or less a module holds than those beside it: through all of them flows the same charge, so that over the charge ΔS which
 * the others give, one that falls from δfull to δlow of them holds 1 / (1 − (δlow − δfull) / ΔS) of theirs.
 *
 * @param capacityAh of the typical channel of the pack after the repair
 * @returns null where nothing stayed to hold it against, or it was read at no rest
 */
export function newcomerOf(
  after: Ends,
  module: { id: string; channelIndices: readonly number[] },
  stayed: readonly number[],
  capacityAh: Measured,
  pack: Pack,
): Newcomer | null {
  if (stayed.length === 0) return null;
  const full = atEnd(after.nearFull, module.channelIndices, stayed, pack);
  const low = atEnd(after.nearEmpty, module.channelIndices, stayed, pack);
  if (!full && !low) return null;
  // What of NiMH is seen at rest is where its voltage comes from, as much as what it holds.
  const { ratio, holds } =
    pack.profile.chemistry === 'nimh'
      ? notSized('the rest voltage of NiMH remembers where it comes from')
      : ratioOf(full, low);
  return {
    module: module.id,
    nearFullMv: full?.mv ?? null,
    nearEmptyMv: low?.mv ?? null,
    holds,
    ratio,
    capacityAh: times(ratio, capacityAh),
    says: words(module.id, holds, ratio, pack.profile.chemistry === 'nimh' ? null : low),
  };
}

const notSized = (why: string): Pick<Newcomer, 'ratio' | 'holds'> => ({
  ratio: notMeasured(why, OTHER_TEST),
  holds: null,
});

/** The curve of another age makes a difference look smaller or larger, never another way round: which way it goes is told by less. */
function ratioOf(full: AtEnd | null, low: AtEnd | null): Pick<Newcomer, 'ratio' | 'holds'> {
  if (!full || !low) return notSized(`it was not seen at rest near ${full ? 'empty' : 'full'}`);
  const span = full.medianSoc - low.medianSoc;
  if (span < LEAST_SPAN) return notSized('its two rests lie too close together');
  const apart = low.soc - full.soc;
  const value = 1 / (1 - apart / span);
  const readSd = (value ** 2 * Math.hypot(low.sd, full.sd, apart * SPAN_OFF)) / span;
  if (!(value > 0) || 2 * readSd > MOST_OPEN) return notSized('the curve is too flat at its rests to tell');
  return {
    ratio: measured(
      value,
      Math.hypot(readSd, SHAPE_OFF * (value - 1)),
      'its rests near full and near empty',
      0,
    ),
    holds: Math.abs(value - 1) <= 2 * readSd ? null : value > 1 ? 'more' : 'less',
  };
}

function times(ratio: Measured, of: Measured): Measured {
  if (!ratio.measured) return ratio;
  if (!of.measured) return of;
  const rel = Math.hypot(
    (ratio.high - ratio.low) / 4 / ratio.value,
    (of.high - of.low) / 4 / Math.max(1e-9, of.value),
  );
  const value = ratio.value * of.value;
  return measured(value, value * rel, `${ratio.from}; ${of.from}`, 0);
}

/** Level to this, mV, where nothing but the low end was seen. Common practice, no source. */
const LEVEL_MV = 5;
function words(module: string, holds: Newcomer['holds'], ratio: Measured, low: AtEnd | null): string {
  if (ratio.measured) {
    const percent = (v: number): number => Math.round(Math.abs(v) * 100);
    const [by, open] = [ratio.value - 1, (ratio.high - ratio.low) / 2];
    return holds
      ? `${module} holds ${holds} than its neighbours: by ${percent(by)} %, ${percent(Math.max(0, Math.abs(by) - open))} to ${percent(Math.abs(by) + open)} %.`
      : `${module} holds as much as its neighbours, within ${percent(Math.abs(by) + open)} %.`;
  }
  if (!low) return `How much ${module} holds against its neighbours is not told: ${ratio.why}.`;
  const lies = low.mv > LEVEL_MV ? 'above' : low.mv < -LEVEL_MV ? 'below' : null;
  return `${module} lies ${lies === null ? 'level with' : lies} its neighbours when low${
    lies === null
      ? ''
      : `: it holds ${lies === 'above' ? 'more' : 'less'} if it was level with them when full`
  }. Not sized: ${ratio.why}.`;
}
