import { exchangeBlocks } from './blockExchange';
import { searchBlocks, type BlockKind } from './blockSearch';
import type { Candidate, SelectAsk } from './candidates';

export interface Blocks {
  /** Block of each position that is in one. */
  of: Map<number, number>;
  count: number;
}
export interface Blocked {
  places: Map<number, Candidate>;
  spread: number;
  /** No choice has less. */
  bound: number;
}

/** Capacities are compared in steps of this at the finest, A·h: nobody measures a module nearer. */
const FINEST_AH = 1e-4;

/** The step that all capacities are whole numbers of, A·h; the finest where they have none. */
function stepOf(ah: readonly number[]): number {
  const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
  const whole = ah.map((x) => Math.round(x / FINEST_AH));
  return Math.max(1, whole.reduce(gcd, 0)) * FINEST_AH;
}

/**
 * Sums of blocks as near each other as may be: a good choice by exchanges, then the search that betters it or proves it.
 * The bound is of the capacities as given, less what rounding them to steps may have moved.
 */
export function blocked(
  ask: SelectAsk,
  able: Candidate[],
  at: (position: number) => Candidate | undefined,
  free: number[],
  blocks: Blocks,
): Blocked | null {
  if (able.length < free.length) return null;
  const stay: number[][] = Array.from({ length: blocks.count }, () => []);
  const places: number[][] = Array.from({ length: blocks.count }, () => []);
  for (let p = 1; p <= ask.positions; p++) {
    const b = blocks.of.get(p);
    if (b === undefined) continue;
    const there = at(p);
    if (there) stay[b]!.push(there.capacityAh);
    else places[b]!.push(p);
  }
  const sorted = [...able].sort((a, b) => b.capacityAh - a.capacityAh);
  const holds = sorted.map((c) => c.capacityAh);
  const step = stepOf([...holds, ...stay.flat()]);
  const inSteps = (ah: number): number => Math.round(ah / step);
  const open = places.flatMap((ps, block) => (ps.length > 0 ? [{ block, size: ps.length }] : []));
  const sumOf = (list: readonly number[]): number => list.reduce((s, x) => s + x, 0);
  let { of } = exchangeBlocks(holds, { open, fixedSum: stay.map(sumOf) });

  const stepsOf = (block: number): number => sumOf(stay[block]!.map(inSteps));
  const kinds: (BlockKind & { blocks: number[] })[] = [];
  for (const { block, size } of open) {
    const fixedSum = stepsOf(block);
    const kind = kinds.find((k) => k.size === size && k.fixedSum === fixedSum);
    if (kind) {
      kind.count++;
      kind.blocks.push(block);
    } else kinds.push({ size, fixedSum, count: 1, blocks: [block] });
  }
  const whole = places.flatMap((ps, block) => (ps.length === 0 ? [stepsOf(block)] : []));
  const sums = of.map((list, block) => stepsOf(block) + sumOf(list.map((i) => inSteps(holds[i]!))));
  const found = searchBlocks(
    {
      steps: holds.map(inSteps),
      kinds,
      whole: whole.length > 0 ? [Math.min(...whole), Math.max(...whole)] : null,
    },
    Math.max(...sums) - Math.min(...sums),
    Math.min(...sums),
  );
  if (found.best) {
    of = places.map(() => []);
    kinds
      .flatMap((k) => k.blocks)
      .forEach((block, i) => {
        of[block] = found.best!.assigned[i]!;
      });
  }
  const out = new Map<number, Candidate>();
  of.forEach((list, block) => list.forEach((c, i) => out.set(places[block]![i]!, sorted[c]!)));
  const taken = new Set(of.flat());
  const spare = sorted.filter((_, i) => !taken.has(i));
  free.filter((p) => !blocks.of.has(p)).forEach((p, i) => out.set(p, spare[i]!));
  const real = of.map((list, block) => sumOf(stay[block]!) + sumOf(list.map((i) => holds[i]!)));
  const spread = Math.max(...real) - Math.min(...real);
  const rounded = Math.max(...holds.concat(stay.flat()).map((x) => Math.abs(x - inSteps(x) * step)), 0);
  const most = Math.max(...places.map((ps, b) => ps.length + stay[b]!.length));
  // A rounding of nothing but the last digit of the machine is none.
  const slack = rounded < 1e-9 ? 0 : 2 * most * rounded;
  return { places: out, spread, bound: Math.min(spread, Math.max(0, found.bound * step - slack)) };
}
