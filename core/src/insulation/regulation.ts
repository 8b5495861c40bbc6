import type { Interval, LeakLocation } from './location';

/**
 * The regulation's figure where other sources bound the leak from above. From below they do not: that a pack is within its
 * limit is for the terminals to show, not for a vehicle's own figure or for what the rest may leak.
 */
export function narrowedBy(regulation: Interval, leak: Interval, location: LeakLocation | null): Interval {
  const high = Math.min(regulation.high, leak.high / (location ? largerShare(location).least : 0.5));
  return high < regulation.low
    ? regulation
    : { value: Math.min(high, regulation.value), low: regulation.low, high };
}

/** The larger of both shares of the string: at least and at most, by where the chassis itself may lie. */
function largerShare({ apparent: { low, high } }: LeakLocation): { least: number; most: number } {
  const share = (f: number): number => Math.max(f, 1 - f);
  // Between the ends of the interval the larger share is least where it comes nearest to the middle.
  return {
    least: low <= 0.5 && high >= 0.5 ? 0.5 : Math.min(share(low), share(high)),
    most: Math.max(share(low), share(high)),
  };
}

/** Ri of UN ECE R100 and FMVSS 305 by two voltages alone: what the terminals see, over the larger share, Ω. */
export function byTerminals(l: LeakLocation): Interval {
  // What the regulation asks is seen at the poles: where the chassis lies, not where the leak does.
  const { least, most } = largerShare(l);
  const { value } = l.apparent;
  return {
    value: l.equivalentOhm.value / Math.max(value, 1 - value),
    low: l.equivalentOhm.low / most,
    high: l.equivalentOhm.high / least,
  };
}
