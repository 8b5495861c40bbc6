import { InputProblem } from '../problem';

/** One thing that can be taken off. */
export interface StripPart {
  id: string;
  minutes: number;
  /** Steps without a tool leave in the hand what is in it. */
  tool?: string | null | undefined;
  massKg?: number | null | undefined;
  /** Alternatives, each a set of parts that must all be off first; an empty one, or none at all, is free. */
  after: string[][];
}
export interface StripProblem {
  parts: StripPart[];
  targets: string[];
  /** Each time a step's tool differs from the last one's, minutes. */
  toolChangeMin: number;
}
export interface StripOrder {
  order: string[];
  minutes: number;
  /** No order takes less. */
  proved: boolean;
  lowerBoundMin: number;
}

/** States looked at before the best so far is taken with the bound so far. */
const MOST_STATES = 60_000;
const EPS = 1e-9;

/** The parts as numbers: what each needs, and who needs it. */
interface Numbered {
  n: number;
  minutes: Float64Array;
  /** Number of the tool; −1 where none is needed. */
  tool: Int32Array;
  tools: number;
  after: number[][][];
  targets: number[];
  changeMin: number;
}

function numbered(problem: StripProblem): Numbered {
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
const has = (set: Uint32Array, i: number): boolean => (set[i >> 5]! & (1 << (i & 31))) !== 0;
const add = (set: Uint32Array, i: number): void => {
  set[i >> 5]! |= 1 << (i & 31);
};

const ready = (p: Numbered, i: number, off: Uint32Array): boolean =>
  p.after[i]!.some((set) => set.every((j) => has(off, j)));

/** Parts that may be of use: what the targets need by any alternative, and what is not off yet of it. */
function relevant(p: Numbered, off: Uint32Array): number[] {
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
function needed(p: Numbered, off: Uint32Array, parts: readonly number[]): Uint32Array | null {
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
function cutBound(p: Numbered, off: Uint32Array, parts: readonly number[]): number {
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
function toolsLeft(p: Numbered, must: Uint32Array, off: Uint32Array, hand: number): number {
  const seen = new Set<number>();
  for (let i = 0; i < p.n; i++)
    if (has(must, i) && !has(off, i) && p.tool[i]! >= 0 && p.tool[i] !== hand) seen.add(p.tool[i]!);
  // The first tool of all costs nothing.
  return Math.max(0, seen.size - (hand < 0 ? 1 : 0));
}

interface State {
  off: Uint32Array;
  hand: number;
  spent: number;
  bound: number;
  path: Step | null;
}
interface Step {
  part: number;
  before: Step | null;
}
const orderOf = (p: Step | null): number[] => {
  const out: number[] = [];
  for (let s = p; s; s = s.before) out.push(s.part);
  return out.reverse();
};

/** A heap by bound; of equal ones the one that has come further. */
class Heap {
  private readonly items: State[] = [];
  get size(): number {
    return this.items.length;
  }
  private before(a: State, b: State): boolean {
    return a.bound < b.bound - EPS || (a.bound <= b.bound + EPS && a.spent > b.spent);
  }
  push(s: State): void {
    const { items } = this;
    items.push(s);
    for (let i = items.length - 1; i > 0;) {
      const up = (i - 1) >> 1;
      if (!this.before(items[i]!, items[up]!)) break;
      [items[i], items[up]] = [items[up]!, items[i]!];
      i = up;
    }
  }
  pop(): State {
    const { items } = this;
    const top = items[0]!;
    const last = items.pop()!;
    if (items.length > 0) {
      items[0] = last;
      for (let i = 0; ;) {
        let low = i;
        for (const c of [2 * i + 1, 2 * i + 2])
          if (c < items.length && this.before(items[c]!, items[low]!)) low = c;
        if (low === i) break;
        [items[i], items[low]] = [items[low]!, items[i]!];
        i = low;
      }
    }
    return top;
  }
}

const doneIn = (p: Numbered, off: Uint32Array): boolean => p.targets.every((t) => has(off, t));

/** Takes one part off. */
function takeOff(p: Numbered, s: State, part: number): State {
  const tool = p.tool[part]!;
  const off = s.off.slice();
  add(off, part);
  return {
    off,
    hand: tool < 0 ? s.hand : tool,
    spent: s.spent + p.minutes[part]! + (tool >= 0 && s.hand >= 0 && tool !== s.hand ? p.changeMin : 0),
    bound: 0,
    path: { part, before: s.path },
  };
}

/**
 * What is needed in any case and can be taken off with what is in the hand is taken off at once: whenever it came later,
 * moving it here breaks no order and adds no change of tools. Then the bound.
 */
function settled(p: Numbered, from: State): State | null {
  let s = from;
  for (;;) {
    const parts = relevant(p, s.off);
    if (doneIn(p, s.off)) return { ...s, bound: s.spent };
    const must = needed(p, s.off, parts);
    if (!must) return null;
    const free = parts.find(
      (i) => has(must, i) && (p.tool[i]! < 0 || p.tool[i] === s.hand) && ready(p, i, s.off),
    );
    if (free !== undefined) {
      s = takeOff(p, s, free);
      continue;
    }
    const minutes = cutBound(p, s.off, parts);
    if (!Number.isFinite(minutes)) return null;
    return { ...s, bound: s.spent + minutes + p.changeMin * toolsLeft(p, must, s.off, s.hand) };
  }
}

/** A plan that is good, not proven: along the cheapest alternatives, with the tool in the hand as long as it serves. */
function greedy(p: Numbered, from: State): State | null {
  const parts = relevant(p, from.off);
  const value = new Map<number, number>();
  const way = new Map<number, number[]>();
  let changed = true;
  const of = (j: number): number => (has(from.off, j) ? 0 : (value.get(j) ?? Infinity));
  while (changed) {
    changed = false;
    for (const i of parts)
      for (const set of p.after[i]!) {
        const v = set.reduce((s, j) => s + of(j), p.minutes[i]!);
        if (v < (value.get(i) ?? Infinity) - EPS) {
          value.set(i, v);
          way.set(i, set);
          changed = true;
        }
      }
  }
  const want = new Set<number>();
  const visit = (i: number): boolean => {
    if (want.has(i) || has(from.off, i)) return true;
    if (!way.has(i)) return false;
    want.add(i);
    return way.get(i)!.every(visit);
  };
  if (!p.targets.every(visit)) return null;
  let s = from;
  while (want.size > 0) {
    const able = [...want].filter((i) => ready(p, i, s.off));
    if (able.length === 0) return null;
    const same = able.find((i) => p.tool[i]! < 0 || p.tool[i] === s.hand);
    const count = (tool: number): number => able.filter((i) => p.tool[i] === tool).length;
    const next = same ?? able.reduce((a, b) => (count(p.tool[b]!) > count(p.tool[a]!) ? b : a));
    s = takeOff(p, s, next);
    want.delete(next);
    if (doneIn(p, s.off)) break;
  }
  return s;
}

/**
 * The least work that takes all targets off: minutes of every step and of every change of tools. Exact by best-first
 * search over what is off and what tool is in the hand; beyond `MOST_STATES` the best plan found, with the bound.
 * @throws InputProblem for parts that are not there, and for a target that no order reaches.
 */
export function leastWork(problem: StripProblem, mostStates = MOST_STATES): StripOrder {
  const p = numbered(problem);
  const name = (order: number[]): string[] => order.map((i) => problem.parts[i]!.id);
  const empty = new Uint32Array(Math.max(1, Math.ceil(p.n / 32)));
  const first = settled(p, { off: empty, hand: -1, spent: 0, bound: 0, path: null });
  if (!first) {
    const lost = p.targets.find(
      (t) => needed({ ...p, targets: [t] }, empty, relevant({ ...p, targets: [t] }, empty)) === null,
    );
    throw new InputProblem(
      'unreachable',
      `${problem.parts[lost ?? p.targets[0]!]!.id} cannot be reached: each way to it needs something that waits for itself.`,
      'parts[].after',
      'At least one alternative that begins with something free.',
    );
  }
  let best = greedy(p, first);
  const heap = new Heap();
  const cheapest = new Map<string, number>();
  const keyOf = (s: State): string => `${s.hand}:${s.off.join(',')}`;
  const offer = (s: State | null): void => {
    if (!s || (best && s.bound >= best.spent - EPS && !doneIn(p, s.off))) return;
    if (doneIn(p, s.off)) {
      if (!best || s.spent < best.spent - EPS) best = s;
      return;
    }
    const key = keyOf(s);
    const known = cheapest.get(key);
    if (known !== undefined && known <= s.spent + EPS) return;
    cheapest.set(key, s.spent);
    heap.push(s);
  };
  offer(first);
  let looked = 0;
  let bound = first.bound;
  let proved = true;
  while (heap.size > 0) {
    const s = heap.pop();
    if (best && s.bound >= best.spent - EPS) break;
    if (cheapest.get(keyOf(s))! < s.spent - EPS) continue;
    bound = Math.max(bound, s.bound);
    if (++looked > mostStates) {
      proved = false;
      break;
    }
    if (looked % 64 === 0) {
      const more = greedy(p, s);
      if (more && (!best || more.spent < best.spent - EPS)) best = more;
    }
    for (const i of relevant(p, s.off)) if (ready(p, i, s.off)) offer(settled(p, takeOff(p, s, i)));
  }
  const minutes = best!.spent;
  return {
    order: name(orderOf(best!.path)),
    minutes,
    proved,
    lowerBoundMin: proved ? minutes : Math.min(minutes, bound),
  };
}

/** Minutes of an order, tools included; what the solver counts. */
export function minutesOf(
  problem: Pick<StripProblem, 'parts' | 'toolChangeMin'>,
  order: readonly string[],
): number {
  const by = new Map(problem.parts.map((p) => [p.id, p]));
  let hand: string | null = null;
  let minutes = 0;
  for (const id of order) {
    const { tool, minutes: own } = by.get(id)!;
    minutes += own + (tool && hand && tool !== hand ? problem.toolChangeMin : 0);
    if (tool) hand = tool;
  }
  return minutes;
}
