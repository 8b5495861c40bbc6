import { InputProblem } from '../problem';
import { add, cutBound, has, needed, numbered, ready, relevant, toolsLeft, type Numbered } from './bounds';
import type { StripOrder, StripProblem } from './problem';

/** States looked at before the best so far is taken with the bound so far. */
const MOST_STATES = 60_000;
const EPS = 1e-9;

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
