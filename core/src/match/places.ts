import type { Pack } from '../pack';
import { reachOf } from './reach';
import type { Candidate, Objective } from './candidates';
import { selectModules } from './select';

/** A donor with the groups in series that make it fit a place. */
export interface SizedCandidate extends Candidate {
  groupCount: number;
}
/** Several places at once: which donors, and which of them where. */
export interface PlacesAsk {
  /** Modules of the pack by their ids. */
  places: readonly string[];
  donors: readonly SizedCandidate[];
  /** Modules that stay, where they are measured; they count in the aim. */
  staying: readonly Candidate[];
  /** Donors that somebody put at a place by hand; one that is of another size is not taken. */
  locks: Readonly<Record<string, string>>;
  /** `blocks`: modules that are sensed together add up alike from block to block. */
  aim: 'weakest-first' | 'alike' | 'blocks';
  tolerance: { capacityAh: number; resistanceMilliohm: number };
  /** Which of the chosen goes where: the weakest where it is reached soonest, or the strongest where it is hottest. */
  arrange?: 'reach' | 'hot' | undefined;
}
export interface PlacesAnswer {
  /** Donor by place; null where no choice is possible. */
  choice: Record<string, string> | null;
  objective: Objective | null;
  proved: boolean;
  reasons: string[];
  /** Minutes to reach each place again. */
  reachMin: Record<string, number>;
}

/**
 * Places from the hottest to the coolest: the middle of a pack lies among its like and gives its warmth off last, its ends first.
 * Common practice, no source; where sensors tell otherwise, they count.
 */
export function hottestFirst(pack: Pack, places: readonly string[]): string[] {
  const mean = (of: (p: (typeof pack.modules)[number]['place']) => number): number =>
    pack.modules.reduce((s, m) => s + of(m.place), 0) / pack.modules.length;
  const middle = { row: mean((p) => p.row), column: mean((p) => p.column), tier: mean((p) => p.tier) };
  const from = (id: string): number => {
    const { place } = pack.modules.find((m) => m.id === id)!;
    return Math.hypot(place.row - middle.row, place.column - middle.column, place.tier - middle.tier);
  };
  return [...places].sort((a, b) => from(a) - from(b) || (a < b ? -1 : 1));
}

/**
 * Positions of modules that one channel reads together; blocks with a module that nobody measured are left out. What stays is
 * named `stays M01`, as {@link stayingCandidates} does.
 */
export function sensedBlocks(
  pack: Pack,
  places: readonly string[],
  staying: readonly Candidate[],
): number[][] {
  const position = new Map<string, number>([
    ...places.map((p, i) => [p, i + 1] as const),
    ...staying.map((s, i) => [s.id.replace(/^stays /, ''), places.length + i + 1] as const),
  ]);
  return pack.channels
    .filter((c) => c.moduleIndices.length > 1)
    .map((c) => c.moduleIndices.map((m) => position.get(pack.modules[m]!.id)))
    .filter((b): b is number[] => b.every((p) => p !== undefined))
    .map((b) => b.sort((x, y) => x - y));
}

const together = (a: Objective | null, b: Objective | null): Objective | null => {
  if (!a || !b) return a ?? b;
  if ('cost' in a && 'cost' in b) return { cost: a.cost + b.cost };
  if ('leastCapacityAh' in a && 'leastCapacityAh' in b) {
    const least = Math.min(a.leastCapacityAh, b.leastCapacityAh);
    const most = Math.max(a.leastCapacityAh + a.capacitySpreadAh, b.leastCapacityAh + b.capacitySpreadAh);
    return { leastCapacityAh: least, capacitySpreadAh: most - least };
  }
  return a;
};

/**
 * Chooses donors for all places together by one aim, those of each size among the donors of that size, then puts the weakest of
 * them where they are reached soonest (what may have to come out again should not lie under the rest), or the strongest where it
 * is hottest, as is asked. Locks stay.
 * @throws InputProblem as {@link selectModules}
 */
export function fillPlaces(pack: Pack, ask: PlacesAsk): PlacesAnswer {
  const { donors, staying, locks, aim, tolerance } = ask;
  const answer: PlacesAnswer = {
    choice: {},
    objective: null,
    proved: true,
    reasons: [],
    reachMin: reachOf(pack, ask.places),
  };
  const sizeOf = (place: string): number => pack.modules.find((m) => m.id === place)!.groupIndices.length;
  const sizes = [...new Set(ask.places.map(sizeOf))];
  for (const size of sizes) {
    const places = ask.places.filter((p) => sizeOf(p) === size);
    const able = donors.filter((d) => d.groupCount === size);
    const fixed: Record<string, string> = {};
    places.forEach((p, i) => {
      if (able.some((d) => d.id === locks[p])) fixed[String(i + 1)] = locks[p]!;
    });
    staying.forEach((s, i) => (fixed[String(places.length + i + 1)] = s.id));
    const blocks = aim === 'blocks' ? sensedBlocks(pack, places, staying) : undefined;
    const found = selectModules({
      candidates: [...able, ...staying],
      positions: places.length + staying.length,
      fixed,
      limits: {},
      aim,
      tolerance,
      blocks,
    });
    answer.proved &&= found.proved;
    answer.objective = together(answer.objective, found.objective);
    answer.reasons.push(...found.reasons.map((r) => (sizes.length > 1 ? `Of ${size} groups: ${r}` : r)));
    if (!found.places || !answer.choice) {
      answer.choice = null;
      continue;
    }
    const free: string[] = [];
    const loose: Candidate[] = [];
    places.forEach((p, i) => {
      const id = found.places![i]!;
      // Which block a module lies in is what was chosen: it is not moved for being reached sooner.
      if (aim === 'blocks' || fixed[String(i + 1)] !== undefined) answer.choice![p] = id;
      else {
        free.push(p);
        loose.push(able.find((d) => d.id === id)!);
      }
    });
    const hot = ask.arrange === 'hot';
    const order = hot
      ? hottestFirst(pack, free)
      : free.sort((a, b) => answer.reachMin[a]! - answer.reachMin[b]!);
    loose.sort((a, b) => a.capacityAh - b.capacityAh || b.resistanceMilliohm - a.resistanceMilliohm);
    if (hot) loose.reverse();
    order.forEach((p, i) => (answer.choice![p] = loose[i]!.id));
  }
  return answer.choice ? answer : { ...answer, objective: null };
}
