import { pairUp } from './pairBlocks';

/** Blocks that are alike: as many modules to take, and as much there already. */
export interface BlockKind {
  size: number;
  /** Of the modules that stay in it, in steps. */
  fixedSum: number;
  count: number;
}
/** What a search is for: sums of blocks within so little of each other, out of so many modules, each in steps of one whole number. */
export interface BlockTask {
  /** What each module holds, in steps. */
  steps: readonly number[];
  kinds: readonly BlockKind[];
  /** Sums of blocks that hold only what stays: least and most; null where there are none. */
  whole: readonly [number, number] | null;
}
/** Modules by index, block by block, in the order of the kinds. */
export type Assigned = number[][];
export interface BlockSearch {
  /** The best found: null where none is nearer than what was there before. */
  best: { assigned: Assigned; spread: number } | null;
  /** No choice has less than this, in steps. */
  bound: number;
}

/** More combinations than these are not listed. */
const MOST_COMBINATIONS = 300_000;
/** Combinations looked at before the search ends with what it has. */
const MOST_WORK = 12_000_000;

interface Combination {
  kind: number;
  sum: number;
  members: readonly number[];
  /** What its modules hold: one with others that hold the same is the same choice. */
  alike: string;
}

const combinationsOf = (n: number, k: number): number => {
  let c = 1;
  for (let i = 0; i < k; i++) c = (c * (n - i)) / (i + 1);
  return c;
};

/** Every choice for one block of each kind, by its sum; null where they are too many. */
function listed({ steps, kinds }: BlockTask): Combination[] | null {
  const total = kinds.reduce((s, k) => s + combinationsOf(steps.length, k.size), 0);
  if (total > MOST_COMBINATIONS) return null;
  const out: Combination[] = [];
  kinds.forEach(({ size, fixedSum }, kind) => {
    const members: number[] = [];
    const add = (from: number, sum: number): void => {
      if (members.length === size) {
        out.push({
          kind,
          sum,
          members: [...members],
          alike: `${kind}:${members.map((m) => steps[m]!).join()}`,
        });
        return;
      }
      for (let i = from; i <= steps.length - (size - members.length); i++) {
        members.push(i);
        add(i + 1, sum + steps[i]!);
        members.pop();
      }
    };
    add(0, fixedSum);
  });
  return out.sort((a, b) => a.sum - b.sum);
}

/** Work that may still be done. */
class Budget {
  constructor(private left: number) {}
  /** @returns whether it is used up */
  spend(work: number): boolean {
    this.left -= work;
    return this.left < 0;
  }
  get rest(): number {
    return Math.max(0, this.left);
  }
}

/**
 * Looks for blocks whose sums lie within a width, all of them among the given combinations: the module with the fewest combinations
 * goes first, into one of them or left over.
 * @returns the blocks; `none` where it looked at every choice; `gave up` where the work allowed was not enough
 */
function cover(
  task: BlockTask,
  among: readonly Combination[],
  width: number,
  budget: Budget,
): Combination[] | 'none' | 'gave up' {
  const n = task.steps.length;
  const picked: Combination[] = [];
  const need = task.kinds.map((k) => k.count);
  const used = new Uint8Array(n);
  let gaveUp = false;
  const toCover = (): number => need.reduce((s, c, kind) => s + c * task.kinds[kind]!.size, 0);
  const go = (list: readonly Combination[], low: number, high: number): boolean => {
    if (budget.spend(list.length + 1)) {
      gaveUp = true;
      return false;
    }
    const missing = toCover();
    if (missing === 0) return need.every((c) => c === 0);
    // How often each module is in one that is left: those in none are left over.
    const times = new Uint32Array(n);
    for (const c of list) for (const m of c.members) times[m]!++;
    let [able, fewest] = [0, -1];
    for (let m = 0; m < n; m++)
      if (times[m]! > 0) {
        able++;
        if (fewest < 0 || times[m]! < times[fewest]!) fewest = m;
      }
    if (able < missing) return false;
    const tried = new Set<string>();
    for (const c of list) {
      if (!c.members.includes(fewest)) continue;
      if (tried.has(c.alike)) continue;
      tried.add(c.alike);
      const [l, h] = [Math.min(low, c.sum), Math.max(high, c.sum)];
      if (h - l > width) continue;
      need[c.kind]!--;
      c.members.forEach((m) => (used[m] = 1));
      picked.push(c);
      const found = go(
        list.filter(
          (o) =>
            need[o.kind]! > 0 &&
            h - o.sum <= width &&
            o.sum - l <= width &&
            o.members.every((m) => used[m] === 0),
        ),
        l,
        h,
      );
      if (found) return true;
      picked.pop();
      c.members.forEach((m) => (used[m] = 0));
      need[c.kind]!++;
      if (gaveUp) return false;
    }
    return (
      able > missing &&
      go(
        list.filter((c) => !c.members.includes(fewest)),
        low,
        high,
      )
    );
  };
  const [low, high] = task.whole ?? [Infinity, -Infinity];
  return go(among, low, high) ? [...picked] : gaveUp ? 'gave up' : 'none';
}

/** Looks for blocks within a width, wherever their sums lie: in windows of sums that overlap by the width, the nearest to `about` first. */
function within(
  task: BlockTask,
  all: readonly Combination[],
  width: number,
  about: number,
  budget: Budget,
): Combination[] | 'none' | 'gave up' {
  const stride = Math.max(1, width);
  // Where all modules are taken, the sums lie about a middle that is known.
  const middle = task.whole ? null : middleSum(task);
  const windows: [number, number][] = [];
  for (let i = 0; i < all.length;) {
    const from = all[i]!.sum;
    let end = i;
    while (end < all.length && all[end]!.sum <= from + stride - 1 + width) end++;
    const top = from + stride - 1 + width;
    const fits = task.whole
      ? task.whole[0] >= from - width && task.whole[1] <= top
      : middle === null || (from <= middle && middle <= top);
    if (fits) windows.push([i, end]);
    while (i < all.length && all[i]!.sum < from + stride) i++;
  }
  windows.sort((a, b) => Math.abs(all[a[0]]!.sum - about) - Math.abs(all[b[0]]!.sum - about));
  let gaveUp = false;
  for (const [from, to] of windows) {
    const found = cover(task, all.slice(from, to), width, budget);
    if (found === 'gave up') gaveUp = true;
    else if (found !== 'none') return found;
    if (budget.rest === 0) return 'gave up';
  }
  return gaveUp ? 'gave up' : 'none';
}

/**
 * Narrows the least spread of sums from both sides: a width is either reached by a choice, or no choice reaches it.
 * @param spread of the best that is known, in steps. @param about its least sum.
 * @example
 * // Two pairs out of 5, 6, 7 and 8 add up alike: 5 + 8 and 6 + 7.
 */
export function searchBlocks(task: BlockTask, spread: number, about: number): BlockSearch {
  const floor = leastSpread(task);
  let best: BlockSearch['best'] = null;
  let [refuted, reached, open] = [floor - 1, spread, Infinity];
  if (refuted + 1 >= reached) return { best, bound: reached };
  const pairs = asPairs(task);
  if (pairs) return pairs;
  const all = listed(task);
  if (!all) return { best, bound: floor };
  const budget = new Budget(MOST_WORK);
  const look = (width: number, work: number): void => {
    const allowed = Math.min(work, budget.rest);
    const own = new Budget(allowed);
    const found = within(task, all, width, about, own);
    budget.spend(allowed - own.rest);
    if (found === 'gave up') open = Math.min(open, width);
    else if (found === 'none') refuted = Math.max(refuted, width);
    else {
      const sums = [...found.map((c) => c.sum), ...(task.whole ?? [])];
      reached = Math.max(...sums) - Math.min(...sums);
      best = { assigned: inOrder(task, found), spread: reached };
    }
  };
  while (refuted + 1 < Math.min(reached, open) && budget.rest > 0)
    look(refuted + Math.floor((Math.min(reached, open) - refuted) / 2), MOST_WORK / 6);
  // What is left of the work goes into one better than the best.
  while (refuted + 1 < reached && budget.rest > 0) {
    const before = reached;
    look(reached - 1, budget.rest);
    if (reached === before) break;
  }
  return { best, bound: refuted + 1 };
}

/** Mean of the sums where every module is taken; null where some are left over. */
function middleSum({ steps, kinds }: BlockTask): number | null {
  const count = kinds.reduce((s, k) => s + k.count, 0);
  const taken = kinds.reduce((s, k) => s + k.count * k.size, 0);
  const total = [...steps, ...kinds.map((k) => k.count * k.fixedSum)].reduce((s, x) => s + x, 0);
  return taken === steps.length ? total / count : null;
}

/** What the sums alone say: those of whole blocks lie apart, or all together cannot be shared out evenly. */
function leastSpread(task: BlockTask): number {
  if (task.whole) return task.whole[1] - task.whole[0];
  const middle = middleSum(task);
  return middle === null || Number.isInteger(middle) ? 0 : 1;
}

/** Blocks of two, all alike, are solved exactly. */
function asPairs({ steps, kinds, whole }: BlockTask): BlockSearch | null {
  const [kind] = kinds;
  if (kinds.length !== 1 || kind!.size !== 2) return null;
  const own = kind!.fixedSum;
  const found = pairUp(steps, kind!.count, whole && [whole[0] - own, whole[1] - own]);
  return found && { best: { assigned: found.pairs, spread: found.spread }, bound: found.spread };
}

/** The combinations of each kind, in the order in which the kinds stand. */
const inOrder = (task: BlockTask, found: readonly Combination[]): Assigned =>
  task.kinds.flatMap((_, kind) => found.filter((c) => c.kind === kind).map((c) => [...c.members]));
