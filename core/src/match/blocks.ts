import { Random } from '../simpack/random';
import type { Candidate, SelectAsk } from './candidates';

const EPS = 1e-9;
/** States of the search for blocks before the best so far is taken with its bound. */
const MOST_STATES = 400_000;
/** Exchanges tried in one shaking. */
const SHAKES = 30_000;

export interface Blocks {
  /** Block of each position that is in one. */
  of: Map<number, number>;
  count: number;
}

/** Sums of blocks as near each other as may be: depth first, block by block, cut by what is left; then exchanges. */
export function blocked(
  ask: SelectAsk,
  able: Candidate[],
  at: (position: number) => Candidate | undefined,
  free: number[],
  blocks: Blocks,
): { places: Map<number, Candidate>; spread: number; proved: boolean; bound: number } | null {
  if (able.length < free.length) return null;
  const fixedSum = new Array<number>(blocks.count).fill(0);
  const open: number[][] = Array.from({ length: blocks.count }, () => []);
  for (let p = 1; p <= ask.positions; p++) {
    const b = blocks.of.get(p);
    if (b === undefined) continue;
    const there = at(p);
    if (there) fixedSum[b]! += there.capacityAh;
    else open[b]!.push(p);
  }
  const loose = free.filter((p) => !blocks.of.has(p));
  const sorted = [...able].sort((a, b) => b.capacityAh - a.capacityAh);
  const need = free.length - loose.length;
  const spreadOf = (sums: readonly number[]): number => Math.max(...sums) - Math.min(...sums);
  // A first choice: windows of neighbours by capacity, the largest into the emptiest block; then exchanges.
  const order = open.map((ps, b) => ({ ps, b })).filter((o) => o.ps.length > 0);
  const greedy = (pool: Candidate[]): { of: Candidate[][]; spread: number } => {
    const of: Candidate[][] = open.map(() => []);
    const sums = [...fixedSum];
    for (const c of pool) {
      const to = order
        .filter((o) => of[o.b]!.length < o.ps.length)
        .reduce((a, o) => {
          return sums[o.b]! < sums[a.b]! ? o : a;
        });
      of[to.b]!.push(c);
      sums[to.b]! += c.capacityAh;
    }
    let rest = sorted.filter((c) => !pool.includes(c));
    // Exchanges between any two blocks, and with what is left over: first until the sums lie together on the whole, then
    // until the outermost two do.
    const middleOf = (list: readonly number[]): number => list.reduce((x, y) => x + y, 0) / list.length;
    for (const worth of [
      (list: readonly number[]): number => {
        const mu = middleOf(list);
        return list.reduce((x, v) => x + (v - mu) ** 2, 0);
      },
      spreadOf,
    ])
      for (let round = 0; round < 400; round++) {
        const now = worth(sums);
        let gain = EPS;
        let act: (() => void) | null = null;
        const weigh = (a: number, da: number, c: number, dc: number, go: () => void): void => {
          const [sa, sc] = [sums[a]!, c < 0 ? 0 : sums[c]!];
          sums[a] = sa + da;
          if (c >= 0) sums[c] = sc + dc;
          const g = now - worth(sums);
          sums[a] = sa;
          if (c >= 0) sums[c] = sc;
          if (g > gain) {
            gain = g;
            act = go;
          }
        };
        for (const { b } of order)
          of[b]!.forEach((x, i) => {
            for (const { b: o } of order)
              if (o > b)
                of[o]!.forEach((y, j) => {
                  const d = y.capacityAh - x.capacityAh;
                  if (d !== 0)
                    weigh(b, d, o, -d, () => {
                      of[b]![i] = y;
                      of[o]![j] = x;
                      sums[b]! += d;
                      sums[o]! -= d;
                    });
                });
            rest.forEach((y, j) => {
              const d = y.capacityAh - x.capacityAh;
              if (d !== 0)
                weigh(b, d, -1, 0, () => {
                  of[b]![i] = y;
                  rest = rest.map((z, k) => (k === j ? x : z));
                  sums[b]! += d;
                });
            });
          });
        if (!act) break;
        (act as () => void)();
      }
    // Pairs of one kind only hinder each other: shaken, always alike, and cooled; the best on the way is kept.
    let bestHere = { of: of.map((l) => [...l]), spread: spreadOf(sums) };
    const random = new Random(1);
    const slots = order.flatMap(({ b }) => of[b]!.map((_, i): [number, number] => [b, i]));
    let total = sums.reduce((x, y) => x + y, 0);
    for (let step = 0; step < SHAKES && slots.length > 1 && bestHere.spread > EPS; step++) {
      const heat = 0.5 * (1e-4 / 0.5) ** (step / SHAKES);
      const [b, i] = slots[random.integer(0, slots.length - 1)]!;
      const withRest = rest.length > 0 && random.uniform() < 0.4;
      const mu = total / sums.length;
      const x = of[b]![i]!;
      if (withRest) {
        const j = random.integer(0, rest.length - 1);
        const d = rest[j]!.capacityAh - x.capacityAh;
        const worse = (sums[b]! + d - mu) ** 2 - (sums[b]! - mu) ** 2;
        if (worse > 0 && random.uniform() >= Math.exp(-worse / heat)) continue;
        of[b]![i] = rest[j]!;
        rest[j] = x;
        sums[b]! += d;
        total += d;
      } else {
        const [o, k] = slots[random.integer(0, slots.length - 1)]!;
        if (o === b) continue;
        const y = of[o]![k]!;
        const d = y.capacityAh - x.capacityAh;
        const worse =
          (sums[b]! + d - mu) ** 2 - (sums[b]! - mu) ** 2 + (sums[o]! - d - mu) ** 2 - (sums[o]! - mu) ** 2;
        if (worse > 0 && random.uniform() >= Math.exp(-worse / heat)) continue;
        of[b]![i] = y;
        of[o]![k] = x;
        sums[b]! += d;
        sums[o]! -= d;
      }
      const now = spreadOf(sums);
      if (now < bestHere.spread - EPS) bestHere = { of: of.map((l) => [...l]), spread: now };
    }
    return bestHere;
  };
  let best = greedy(sorted.slice(0, need));
  for (let from = 1; from + need <= sorted.length; from++) {
    const next = greedy(sorted.slice(from, from + need));
    if (next.spread < best.spread - EPS) best = next;
  }
  // The spread that what stays forces by itself where whole blocks are fixed.
  const whole = fixedSum.filter((_, b) => open[b]!.length === 0);
  const bound = whole.length > 1 ? spreadOf(whole) : 0;
  let proved = best.spread <= bound + EPS;
  if (!proved) {
    // Exact: each open block in turn takes a combination; cut where the sums so far are already further apart.
    let states = 0;
    const used = new Set<Candidate>();
    const picked: Candidate[][] = open.map(() => []);
    let gaveUp = false;
    const go = (k: number, low: number, high: number): void => {
      if (gaveUp || best.spread <= bound + EPS) return;
      if (k === order.length) {
        if (high - low < best.spread - EPS) best = { of: picked.map((l) => [...l]), spread: high - low };
        return;
      }
      const { b, ps } = order[k]!;
      const combine = (from: number, left: number, sum: number): void => {
        if (gaveUp) return;
        if (++states > MOST_STATES) {
          gaveUp = true;
          return;
        }
        if (left === 0) {
          const [l, h] = [Math.min(low, sum), Math.max(high, sum)];
          if (h - l < best.spread - EPS) go(k + 1, l, h);
          return;
        }
        for (let i = from; i <= sorted.length - left; i++) {
          const c = sorted[i]!;
          if (used.has(c)) continue;
          // The most and the least that the rest of the block can bring.
          if (Number.isFinite(low) && sum + left * c.capacityAh < high - best.spread) break;
          used.add(c);
          picked[b]!.push(c);
          combine(i + 1, left - 1, sum + c.capacityAh);
          picked[b]!.pop();
          used.delete(c);
        }
      };
      combine(0, ps.length, fixedSum[b]!);
    };
    go(0, whole.length ? Math.min(...whole) : Infinity, whole.length ? Math.max(...whole) : -Infinity);
    proved = !gaveUp;
  }
  const places = new Map<number, Candidate>();
  const taken = new Set(best.of.flat());
  best.of.forEach((list, b) => list.forEach((c, i) => places.set(open[b]![i]!, c)));
  const spare = sorted.filter((c) => !taken.has(c));
  loose.forEach((p, i) => places.set(p, spare[i]!));
  return { places, spread: best.spread, proved, bound: proved ? best.spread : bound };
}
