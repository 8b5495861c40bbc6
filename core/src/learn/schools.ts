/** Ways of bringing a NiMH module back that workshops differ about. */
export const SCHOOLS = ['slow-balance', 'hard-charge'] as const;
export type School = (typeof SCHOOLS)[number];

/** One run of a module, in the order they were run. */
export interface SchoolRun {
  recipe: string;
  /** Measured whole; null where it was not. */
  capacityAh: number | null;
}
/** What one school has brought: gains of the capacity from one measurement to the next, as shares. */
export interface SchoolGain {
  school: School;
  n: number;
  median: number;
  /** Where the median lies, 19 times of 20; null where too few were measured to tell. */
  interval: { low: number; high: number } | null;
}

/**
 * The median of a sample, and between which of its own values the true one lies in at least so many of a hundred cases: a sign
 * test turned round, which asks nothing of how the values are spread. Null below six values.
 */
export function medianInterval(
  values: readonly number[],
  level = 0.95,
): { low: number; high: number } | null {
  const x = [...values].sort((a, b) => a - b);
  const n = x.length;
  // Chance that at most k of n fall below the median, k by k.
  let chance = 0.5 ** n;
  let below = chance;
  let k = -1;
  while (2 * below <= 1 - level) {
    k++;
    chance *= (n - k) / (k + 1);
    below += chance;
  }
  return k < 0 ? null : { low: x[k]!, high: x[n - 1 - k]! };
}
const median = (values: readonly number[]): number => {
  const x = [...values].sort((a, b) => a - b);
  const m = x.length >> 1;
  return x.length % 2 ? x[m]! : (x[m - 1]! + x[m]!) / 2;
};

/**
 * What each school has brought in this workshop. A gain counts for the school of the run that measured it, or of those run since
 * the measurement before; where both were used in between it counts for neither.
 * @param modules runs of each module
 */
export function schoolsOf(modules: readonly (readonly SchoolRun[])[]): SchoolGain[] {
  const gains = new Map<School, number[]>(SCHOOLS.map((s) => [s, []]));
  const isSchool = (r: string): r is School => (SCHOOLS as readonly string[]).includes(r);
  for (const runs of modules) {
    let before: number | null = null;
    const used = new Set<School>();
    for (const { recipe, capacityAh } of runs) {
      if (isSchool(recipe)) used.add(recipe);
      if (capacityAh === null || capacityAh <= 0) continue;
      const [only] = used;
      if (before !== null && used.size === 1) gains.get(only!)!.push(capacityAh / before - 1);
      before = capacityAh;
      used.clear();
    }
  }
  return [...gains].flatMap(([school, own]) =>
    own.length === 0 ? [] : [{ school, n: own.length, median: median(own), interval: medianInterval(own) }],
  );
}
