/** Groups of a string and the donors that could take the place of the least of them. */
export interface RangeAsk {
  groupCapacityAh: number[];
  groupSoc: number[];
  /** State of charge at which the vehicle stops drawing, and at which it stops charging. */
  socLeast: number;
  socMost: number;
  donors: { capacityAh: number; soc: number }[];
}
export interface Replacement {
  k: number;
  /** Groups that are replaced, the least first. */
  replaced: number[];
  /** Once all are level. */
  balancedAh: number;
  /** As they are put in: what can be drawn and charged together, and what can be drawn at once. */
  unbalancedWindowAh: number;
  unbalancedNowAh: number;
}
export interface RangeAnswer {
  asIs: {
    /** At least 0, as is the headroom. */
    dischargeNowAh: number;
    chargeHeadroomAh: number;
    windowAh: number;
    /** Group that ends the drive, and group that ends the charge. */
    limitsDischarge: number;
    limitsCharge: number;
  };
  afterBalancingAh: number;
  limitsAfterBalancing: number;
  replacement: Replacement[];
  /** Fewest swaps that give most once all are level; 0 where no swap gives more. */
  bestKBalanced: number;
  gainOfBalancingAh: number;
}

const least = (values: readonly number[]): number =>
  values.reduce((best, v, i) => (v < values[best]! ? i : best), 0);

/** What a string gives in series: the least group ends the drive, the fullest ends the charge. */
function windowOf(
  capacityAh: readonly number[],
  soc: readonly number[],
  socLeast: number,
  socMost: number,
): RangeAnswer['asIs'] {
  const down = capacityAh.map((c, i) => (soc[i]! - socLeast) * c);
  const up = capacityAh.map((c, i) => (socMost - soc[i]!) * c);
  const [d, u] = [least(down), least(up)];
  return {
    // A group below the least, or above the most, gives nothing and takes nothing: no charge is drawn backwards.
    dischargeNowAh: Math.max(0, down[d]!),
    chargeHeadroomAh: Math.max(0, up[u]!),
    windowAh: Math.max(0, down[d]! + up[u]!),
    limitsDischarge: d,
    limitsCharge: u,
  };
}

/** What balancing and swapping bring: as it is, once level, and after each number of swaps. */
export function rangeAfterSwaps(ask: RangeAsk): RangeAnswer {
  const { groupCapacityAh, groupSoc, socLeast, socMost } = ask;
  const asIs = windowOf(groupCapacityAh, groupSoc, socLeast, socMost);
  const usable = (caps: readonly number[]): number => (socMost - socLeast) * Math.min(...caps);
  const afterBalancingAh = usable(groupCapacityAh);
  const order = groupCapacityAh
    .map((_, i) => i)
    .sort((a, b) => groupCapacityAh[a]! - groupCapacityAh[b]! || a - b);
  const donors = [...ask.donors].sort((a, b) => b.capacityAh - a.capacityAh);
  const replacement = Array.from({ length: Math.min(donors.length, order.length) }, (_, i): Replacement => {
    const replaced = order.slice(0, i + 1);
    const caps = [...groupCapacityAh];
    const socs = [...groupSoc];
    replaced.forEach((g, j) => {
      caps[g] = donors[j]!.capacityAh;
      socs[g] = donors[j]!.soc;
    });
    const now = windowOf(caps, socs, socLeast, socMost);
    return {
      k: i + 1,
      replaced,
      balancedAh: usable(caps),
      unbalancedWindowAh: now.windowAh,
      unbalancedNowAh: now.dischargeNowAh,
    };
  });
  let best = { k: 0, ah: afterBalancingAh };
  for (const r of replacement) if (r.balancedAh > best.ah + 1e-9) best = { k: r.k, ah: r.balancedAh };
  return {
    asIs,
    afterBalancingAh,
    limitsAfterBalancing: least(groupCapacityAh),
    replacement,
    bestKBalanced: best.k,
    gainOfBalancingAh: afterBalancingAh - asIs.windowAh,
  };
}
