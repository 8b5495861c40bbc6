import { factsOf } from './chemistry';
import { limitValue } from './limits';
import { ocvCurve } from './ocv';
import type { Pack } from './types';

/** Good in any pack, mV, where the curve is so flat that the charge that is accepted makes less. Common practice, no source. */
const FLAT_MV = 20;
/** A delta within its limit that may be more than this share of the charge tells nothing. */
const HIDES_SHARE = 0.1;
/** Of a hundred normal values the highest lies beyond so many standard deviations in one case of twenty (0.9995 to the hundredth is 0.95). */
const FURTHEST_SD = 3.3;
/** Where the limits near full and near empty hold, as shares of the charge. Common practice, no source. */
const FULL_SOC = 0.8;
const EMPTY_SOC = 0.2;
/** What a rested voltage is read to, V. From memory. */
const READ_V = 0.003;

/** A delta at rest, judged. */
export interface DeltaJudged {
  /** Most that is accepted at this charge, mV a cell. */
  limitMv: number;
  /** What it is in charge, least and most by what the readings tell, as shares of a full one. */
  share: { low: number; high: number };
  /** `cannot-tell` where the curve is so flat that a delta within its limit may hide more charge than is accepted. */
  state: 'within' | 'beyond' | 'cannot-tell';
}

/**
 * How far apart in charge the highest and the lowest group of a healthy pack may be, as a share: level when full, and apart by their capacities with
 * what has been drawn since.
 */
export function apartShare(pack: Pack, socFraction: number): number {
  const { healthy } = factsOf(pack.profile.chemistry);
  return 2 * FURTHEST_SD * Math.hypot(healthy.socFraction, healthy.capacity * (1 - socFraction));
}

/** The limit of a delta at a charge: near full and near empty the maker's figures, between them what the charge makes that a healthy pack is apart by. */
export function deltaLimitMv(pack: Pack, socFraction: number): number {
  const [full, empty] = [limitValue(pack.profile, 'deltaFullMv'), limitValue(pack.profile, 'deltaEmptyMv')];
  if (socFraction >= FULL_SOC) return full;
  if (socFraction <= EMPTY_SOC) return empty;
  return Math.min(Math.max(full, empty), Math.max(FLAT_MV, madeMv(pack, socFraction)));
}

/** What the accepted charge makes at a charge, mV of a cell. */
function madeMv(pack: Pack, socFraction: number): number {
  const { voltageAt } = ocvCurve(pack.profile.ocv);
  const half = apartShare(pack, socFraction) / 2;
  return 1000 * (voltageAt(socFraction + half) - voltageAt(socFraction - half));
}

/**
 * Judges the delta between the highest and the lowest group at rest, at whatever charge: one rule for a scan, a pack that is woken, the proof and a
 * used pack. Between the ends the limit is one of charge; millivolts follow from the curve.
 * @param deltaMv of a cell
 * @param socFraction of the typical group
 */
export function judgeDelta(deltaMv: number, socFraction: number, pack: Pack): DeltaJudged {
  const { socAt, voltageAt } = ocvCurve(pack.profile.ocv);
  const middleV = voltageAt(socFraction);
  const half = deltaMv / 2000;
  const [highV, lowV] = [middleV + half, middleV - half];
  const share = {
    low: Math.max(0, socAt(highV - READ_V) - socAt(lowV + READ_V)),
    high: socAt(highV + READ_V) - socAt(lowV - READ_V),
  };
  const limitMv = deltaLimitMv(pack, socFraction);
  return {
    limitMv,
    share,
    state: deltaMv > limitMv ? 'beyond' : share.high > HIDES_SHARE ? 'cannot-tell' : 'within',
  };
}
