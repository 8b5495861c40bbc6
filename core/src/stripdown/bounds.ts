import { InputProblem } from '../problem';
import type { StripProblem } from './problem';

const EPS = 1e-9;

/** The parts as numbers: what each needs, and who needs it. */
export interface Numbered {
  n: number;
  minutes: Float64Array;
  /** Number of the tool; −1 where none is needed. */
  tool: Int32Array;
  tools: number;
  after: number[][][];
  targets: number[];
  changeMin: number;
}

export function numbered(problem: StripProblem): Numbered {
  const { parts, targets, toolChangeMin } = problem;
  const at = new Map<string, number>();
  parts.forEach((p, i) => {
    if (at.has(p.id))
      throw new InputProblem('part-twice', `Part ${p.id} is listed twice.`, `parts[${i}]`, 'Each part once.');
    if (!(p.minutes >= 0 && Number.isFinite(p.minutes)))
      throw new InputProblem(
        'minutes',
        `Part ${p.id} takes ${p.minutes} minutes.`,
        `parts[${i}].minutes`,
        'Minutes from 0.',
      );
    at.set(p.id, i);
  });
  const find = (id: string, where: string): number => {
    const i = at.get(id);
    if (i === undefined)
      throw new InputProblem(
        'unknown-part',
        `There is no part ${id}.`,
        where,
        'The id of a part in the list.',
      );
    return i;
  };
  const names = new Map<string, number>();
  return {
    n: parts.length,
    minutes: Float64Array.from(parts, (p) => p.minutes),
    tool: Int32Array.from(parts, (p) => {
      if (!p.tool) return -1;
      if (!names.has(p.tool)) names.set(p.tool, names.size);
      return names.get(p.tool)!;
    }),
    tools: names.size,
    after: parts.map((p, i) =>
      p.after.length === 0
        ? [[]]
        : p.after.map((set, k) => [...new Set(set.map((id) => find(id, `parts[${i}].after[${k}]`)))]),
    ),
    targets: [...new Set(targets.map((id, i) => find(id, `targets[${i}]`)))],
    changeMin: toolChangeMin,
  };
}

/** Sets of parts as words of 32 bits. */
export const has = (set: Uint32Array, i: number): boolean => (set[i >> 5]! & (1 << (i & 31))) !== 0;
export const add = (set: Uint32Array, i: number): void => {
  set[i >> 5]! |= 1 << (i & 31);
};

export const ready = (p: Numbered, i: number, off: Uint32Array): boolean =>
  p.after[i]!.some((set) => set.every((j) => has(off, j)));

/** Parts that may be of use: what the targets need by any alternative, and what is not off yet of it. */
export function relevant(p: Numbered, off: Uint32Array): number[] {
  const seen = new Uint8Array(p.n);
  const out: number[] = [];
  const visit = (i: number): void => {
    if (seen[i] || has(off, i)) return;
    seen[i] = 1;
    out.push(i);
    for (const set of p.after[i]!) set.forEach(visit);
  };
  p.targets.forEach(visit);
  return out;
}

/**
 * Parts that are off at the end of every plan from here: of each part itself and what all its alternatives need alike.
 * Null where a target cannot be reached.
 */
export function needed(p: Numbered, off: Uint32Array, parts: readonly number[]): Uint32Array | null {
  const words = off.length;
  const of = new Map<number, Uint32Array | null>(parts.map((i) => [i, null]));
  let changed = true;
  while (changed) {
    changed = false;
    for (const i of parts) {
      let common: Uint32Array | null = null;
      for (const set of p.after[i]!) {
        const all = new Uint32Array(words);
        let known = true;
        for (const j of set) {
          if (has(off, j)) continue;
          const own = of.get(j);
          if (!own) {
            known = false;
            break;
          }
          for (let w = 0; w < words; w++) all[w]! |= own[w]!;
        }
        if (!known) continue;
        if (!common) common = all;
        else for (let w = 0; w < words; w++) common[w]! &= all[w]!;
      }
      if (!common) continue;
      add(common, i);
      const before = of.get(i);
      // Sets only shrink from the first time they are known.
      if (!before || before.some((w, k) => w !== common[k])) {
        of.set(i, common);
        changed = true;
      }
    }
  }
  const out = new Uint32Array(words);
  for (const t of p.targets) {
    if (has(off, t)) continue;
    const own = of.get(t);
    if (!own) return null;
    for (let w = 0; w < words; w++) out[w]! |= own[w]!;
  }
  return out;
}

/**
 * Least minutes that any plan from here takes, tools left out: the landmark-cut bound of Helmert and Domshlak (2009),
 * where every part is one deed with one cost however many ways lead to it. Never more than the truth.
 */
export function cutBound(p: Numbered, off: Uint32Array, parts: readonly number[]): number {
  const index = new Map(parts.map((i, k) => [i, k]));
  const m = parts.length;
  const goal = p.targets.filter((t) => !has(off, t)).map((t) => index.get(t)!);
  if (goal.length === 0) return 0;
  const cost = Float64Array.from(parts, (i) => p.minutes[i]!);
  const sets = parts.map((i) =>
    p.after[i]!.filter((set) => set.every((j) => has(off, j) || index.has(j))).map((set) =>
      set.filter((j) => !has(off, j)).map((j) => index.get(j)!),
    ),
  );
  let bound = 0;
  for (let round = 0; round < 4 * m + 8; round++) {
    // What each costs by its dearest precondition, along its cheapest alternative.
    const value = new Float64Array(m).fill(Infinity);
    let changed = true;
    while (changed) {
      changed = false;
      for (let k = 0; k < m; k++)
        for (const set of sets[k]!) {
          let worst = 0;
          for (const j of set) worst = Math.max(worst, value[j]!);
          if (worst + cost[k]! < value[k]! - EPS) {
            value[k] = worst + cost[k]!;
            changed = true;
          }
        }
    }
    const top = goal.reduce((a, b) => (value[b]! > value[a]! ? b : a));
    if (!Number.isFinite(value[top]!)) return Infinity;
    if (value[top]! <= EPS) break;
    // Each way hangs on its dearest precondition; −1 is what is off already.
    const hangs = sets.map((ways) =>
      ways.map((set) => set.reduce((a, b) => (a < 0 || value[b]! > value[a]! ? b : a), -1)),
    );
    // From the goal backward as long as nothing costs.
    const near = new Uint8Array(m);
    const stack = [top];
    near[top] = 1;
    let freeToStart = false;
    while (stack.length > 0) {
      const k = stack.pop()!;
      if (cost[k]! > EPS) continue;
      for (const h of hangs[k]!) {
        if (h < 0) freeToStart = true;
        else if (!near[h]) {
          near[h] = 1;
          stack.push(h);
        }
      }
    }
    if (freeToStart) break;
    // From the start forward without entering there; what leads in from it is the cut: one of it must be done.
    const far = new Uint8Array(m);
    const cut = new Set<number>();
    let grown = true;
    while (grown) {
      grown = false;
      for (let k = 0; k < m; k++) {
        if (far[k]) continue;
        if (!hangs[k]!.some((h) => h < 0 || far[h])) continue;
        if (near[k]) cut.add(k);
        else {
          far[k] = 1;
          grown = true;
        }
      }
    }
    let least = Infinity;
    for (const k of cut) least = Math.min(least, cost[k]!);
    if (!(least > EPS) || !Number.isFinite(least)) break;
    bound += least;
    for (const k of cut) cost[k]! -= least;
  }
  return bound;
}

/** Tools that have to be picked up yet, beside the one in the hand. */
export function toolsLeft(p: Numbered, must: Uint32Array, off: Uint32Array, hand: number): number {
  const seen = new Set<number>();
  for (let i = 0; i < p.n; i++)
    if (has(must, i) && !has(off, i) && p.tool[i]! >= 0 && p.tool[i] !== hand) seen.add(p.tool[i]!);
  // The first tool of all costs nothing.
  return Math.max(0, seen.size - (hand < 0 ? 1 : 0));
}
