/** One series group: what it holds now and how full it is. */
export interface GroupState {
  capacityAh: number;
  socFraction: number;
}

export interface UsableCapacity {
  /** Charge the string can give between its first full and its first empty group, A·h. */
  usableAh: number;
  /** After perfect balance: the weakest group's capacity, A·h. */
  balancedAh: number;
  /** Index of the group that ends a discharge, and of the one that ends a charge. */
  emptyFirst: number;
  fullFirst: number;
}

/**
 * Usable capacity of a series string: a discharge ends with the first group empty, a charge with the first full.
 * Q = min(SOC·C) + min((1 − SOC)·C); after perfect balance min C.
 */
export function usableCapacity(groups: readonly GroupState[]): UsableCapacity {
  let emptyFirst = 0;
  let fullFirst = 0;
  let down = Infinity;
  let up = Infinity;
  let least = Infinity;
  groups.forEach(({ capacityAh, socFraction }, i) => {
    if (socFraction * capacityAh < down) {
      down = socFraction * capacityAh;
      emptyFirst = i;
    }
    if ((1 - socFraction) * capacityAh < up) {
      up = (1 - socFraction) * capacityAh;
      fullFirst = i;
    }
    least = Math.min(least, capacityAh);
  });
  return { usableAh: down + up, balancedAh: least, emptyFirst, fullFirst };
}

/** Range that a usable capacity gives, km, in proportion to the rated pair. */
export const rangeKm = (usableAh: number, ratedCapacityAh: number, ratedRangeKm: number): number =>
  (usableAh / ratedCapacityAh) * ratedRangeKm;

/**
 * What each suspect costs, A·h: usable capacity with every suspect mended (level with the typical group) minus
 * usable capacity with this one alone left as it is. Mending only the worst shows the next in line.
 */
export function costOfSuspects(
  groups: readonly GroupState[],
  suspects: readonly number[][],
  typical: GroupState,
): { mendedAh: number; costAh: number[] } {
  const usable = (left: readonly number[]): number =>
    usableCapacity(groups.map((g, i) => (all.has(i) && !left.includes(i) ? typical : g))).usableAh;
  const all = new Set(suspects.flat());
  const mendedAh = usable([]);
  return { mendedAh, costAh: suspects.map((own) => Math.max(0, mendedAh - usable(own))) };
}
