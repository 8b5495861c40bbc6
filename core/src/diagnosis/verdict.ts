/** What can be wrong with a channel. The words are stable: files, the command line and the page use them. */
export const VERDICTS = [
  'healthy',
  'imbalance',
  'low-capacity',
  'high-resistance',
  'self-discharge',
  'sense-fault',
  'dead',
  'undetermined',
] as const;
export type Verdict = (typeof VERDICTS)[number];

/** Estimated magnitudes of one channel against the pack's typical channel. Only what the verdict rests on. */
export interface Estimate {
  /** State of charge at the start of the record, percentage points; negative = lower. */
  deltaSocPct?: number;
  deltaSocPctSd?: number;
  capacityRatio?: number;
  capacityRatioSd?: number;
  resistanceRatio?: number;
  resistanceRatioSd?: number;
  leakageMilliamp?: number;
  leakageMilliampSd?: number;
  offsetMillivolt?: number;
  offsetMillivoltSd?: number;
}

/** A figure whose interval reaches as far as next to nothing lost, and that is known no closer than this, says no more than the interval. */
const ROUGH = { sd: 0.03, whole: 0.97 };

/** What a channel holds of what the others hold, from and to, where the record tells it no closer; null where it does. */
export function heldFromTo({
  capacityRatio: ratio,
  capacityRatioSd: sd,
}: Estimate): { from: number; to: number } | null {
  if (ratio === undefined || sd === undefined || sd <= ROUGH.sd || ratio + 2 * sd < ROUGH.whole) return null;
  return { from: Math.max(0, ratio - 2 * sd), to: Math.min(1, ratio + 2 * sd) };
}

/** What a channel holds of what the others hold, in per cent or from which to which: no closer than the record tells it. */
export function heldText({ value, sd }: { value: number; sd: number }, digits = 0): string {
  const rough = heldFromTo({ capacityRatio: value, capacityRatioSd: sd });
  return rough
    ? `${(100 * rough.from).toFixed(0)} to ${(100 * rough.to).toFixed(0)} %`
    : `${(100 * value).toFixed(digits)} %`;
}

export interface Alternative {
  verdict: Verdict;
  confidence: number;
}

/** Where a high resistance sits. */
export type Seat = 'joint' | 'cell';

/** What the next scan shows of a channel if a cause is the right one. */
export interface Film {
  verdict: Verdict;
  /** Against the pack, mV of the channel, least and most. */
  shows: { after: 'charge' | 'drive' | 'standing'; deltaMv: [low: number, high: number] }[];
}

/** One odd channel: what it is, how sure, what else it could be, and why. */
export interface ChannelFinding {
  channel: string;
  module: string;
  verdict: Verdict;
  confidence: number;
  alternatives: Alternative[];
  estimate: Estimate;
  reasons: string[];
  /** How plainly it stands out and how far the next explanation is from fitting (chi-square). */
  detect: number;
  separate: number;
  /** What its likeliest explanation leaves of the readings, and what readings of this record scatter by, mV. */
  leftMv?: number;
  scatterMv?: number;
  /** What a next scan shows under each cause, where one state of charge is all there is. */
  films?: Film[];
  /** It shows under load at this temperature and not colder, °C. */
  onlyWarmC?: number;
  /** The other channel of a tap-wire pair. */
  pairedWith?: string;
  /** What the volts say by themselves, beyond the verdict. */
  absolute?: 'reversed' | 'over-charged';
  /**
   * Where a high resistance sits: in the cell if its slow part has risen as well. What comes at once with the current may be a joint or
   * the cell, and is left open. (Earlier versions called it a joint.)
   */
  seat?: Seat;
}
