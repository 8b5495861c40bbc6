import type { Pack } from '../pack';
import { planStripdown } from '../stripdown';

/** A module that may have to come out again, and the place where it is reached sooner. */
export interface InReach {
  /** Its place now, and the place whose module it changes with. */
  from: string;
  to: string;
  /** Minutes to reach it there again, and where it is now. */
  reachMin: number;
  nowMin: number;
}

/** Less than this is worth no exchange, min. Common practice, no source. */
const LEAST_SAVED_MIN = 5;

/** Minutes to reach each place of the closed pack. */
export const reachOf = (pack: Pack, places: readonly string[]): Record<string, number> => {
  const moduleV = pack.modules.map(() => 0);
  return Object.fromEntries(
    places.map((p) => [p, planStripdown(pack, { targets: [p], ticks: [], moduleV }).leftMin]),
  );
};

/**
 * Modules that were wet, dried and stay are put where they are reached soonest of all places that are open anyway: those that
 * lie there already stay, the others change with a sound module of the same size. In series any place will do. Together they
 * are then reached in the least time that any arrangement of what is out gives.
 * @param out places of all modules that are out
 * @param suspects those of them that may have to come out again
 */
export function inReach(pack: Pack, out: readonly string[], suspects: readonly string[]): InReach[] {
  const reach = reachOf(pack, out);
  const sizeOf = (p: string): number => pack.modules.find((m) => m.id === p)!.groupIndices.length;
  const soonest = (a: string, b: string): number => reach[a]! - reach[b]! || (a < b ? -1 : 1);
  return [...new Set(suspects.map(sizeOf))].flatMap((size) => {
    const own = out.filter((p) => sizeOf(p) === size).sort(soonest);
    const here = suspects.filter((p) => sizeOf(p) === size);
    const best = own.slice(0, here.length);
    const moving = here.filter((p) => !best.includes(p)).sort((a, b) => soonest(b, a));
    const free = best.filter((p) => !here.includes(p));
    return moving.flatMap((from, i) => {
      const to = free[i]!;
      return reach[from]! - reach[to]! >= LEAST_SAVED_MIN
        ? [{ from, to, reachMin: reach[to]!, nowMin: reach[from]! }]
        : [];
    });
  });
}
