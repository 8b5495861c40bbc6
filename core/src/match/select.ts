import { InputProblem } from '../problem';
import { Random } from '../simpack';

export interface Candidate {
  id: string;
  capacityAh: number;
  resistanceMilliohm: number;
  restVoltageV: number;
}
export interface SelectAsk {
  candidates: Candidate[];
  positions: number;
  /** Position (from 1) to the id that stays there; it counts in every aim. */
  fixed: Record<string, string>;
  limits: {
    capacityLeastAh?: number | null | undefined;
    resistanceMostMilliohm?: number | null | undefined;
    restVoltageSpreadMostV?: number | null | undefined;
  };
  aim: 'weakest-first' | 'alike' | 'blocks';
  tolerance?: { capacityAh: number; resistanceMilliohm: number } | undefined;
  /** Positions that are sensed together. */
  blocks?: number[][] | undefined;
  blockQuantity?: 'capacityAh' | undefined;
}
export type Objective =
  { leastCapacityAh: number; capacitySpreadAh: number } | { cost: number } | { blockSpread: number };
export interface SelectAnswer {
  /** Id at each position. */
  places: string[] | null;
  objective: Objective | null;
  proved: boolean;
  /** What no choice can better, in the first figure of the objective. */
  bound: number | null;
  reasons: string[];
}

const EPS = 1e-9;
/** States of the search for blocks before the best so far is taken with its bound. */
const MOST_STATES = 400_000;
/** Exchanges tried in one shaking. */
const SHAKES = 30_000;

interface Chosen {
  ids: Candidate[];
  objective: Objective;
}

/** A limit on new ones that leaves too few, in words. */
function tooFew(
  ask: SelectAsk,
  free: number,
  able: readonly Candidate[],
  all: readonly Candidate[],
): string[] {
  const { capacityLeastAh, resistanceMostMilliohm, restVoltageSpreadMostV } = ask.limits;
  const out: string[] = [];
  if (all.length < free) out.push(`${all.length} candidates for ${free} free places.`);
  const byC = all.filter((c) => capacityLeastAh != null && c.capacityAh < capacityLeastAh).length;
  const byR = all.filter(
    (c) => resistanceMostMilliohm != null && c.resistanceMilliohm > resistanceMostMilliohm,
  ).length;
  if (able.length < free && byC > 0)
    out.push(`capacityLeastAh ${capacityLeastAh} leaves out ${byC} of ${all.length}.`);
  if (able.length < free && byR > 0)
    out.push(`resistanceMostMilliohm ${resistanceMostMilliohm} leaves out ${byR} of ${all.length}.`);
  if (out.length === 0 && restVoltageSpreadMostV != null)
    out.push(
      `restVoltageSpreadMostV ${restVoltageSpreadMostV}: no ${free} of them lie so near each other, and near what stays.`,
    );
  return out;
}

/** The candidates by windows of rest voltage that the spread allows, what stays included. */
function windows(
  able: readonly Candidate[],
  fixed: readonly Candidate[],
  spreadV: number | null | undefined,
): Candidate[][] {
  if (spreadV == null) return [[...able]];
  const low = Math.min(...fixed.map((f) => f.restVoltageV));
  const high = Math.max(...fixed.map((f) => f.restVoltageV));
  if (high - low > spreadV + EPS) return [];
  const starts = [...new Set([...able, ...fixed].map((c) => c.restVoltageV))].filter(
    (v) => fixed.length === 0 || v <= low + EPS,
  );
  return starts
    .map((from) => ({ from, to: from + spreadV }))
    .filter(({ to }) => fixed.length === 0 || to >= high - EPS)
    .map(({ from, to }) => able.filter((c) => c.restVoltageV >= from - EPS && c.restVoltageV <= to + EPS));
}

function weakestFirst(able: Candidate[], fixed: Candidate[], free: number): Chosen | null {
  if (able.length < free) return null;
  const sorted = [...able].sort((a, b) => b.capacityAh - a.capacityAh);
  const least = Math.min(
    ...fixed.map((f) => f.capacityAh),
    free > 0 ? sorted[free - 1]!.capacityAh : Infinity,
  );
  // Of all that are not below the least, the smallest: so the spread is least.
  const up = sorted.filter((c) => c.capacityAh >= least - EPS).reverse();
  const ids = up.slice(0, free);
  const all = [...fixed, ...ids].map((c) => c.capacityAh);
  const lowest = Math.min(...all);
  return { ids, objective: { leastCapacityAh: lowest, capacitySpreadAh: Math.max(...all) - lowest } };
}

const middle = (values: readonly number[]): number => {
  const s = [...values].sort((a, b) => a - b);
  const m = s.length >> 1;
  return s.length % 2 ? s[m]! : (s[m - 1]! + s[m]!) / 2;
};
/** Σ|C − median|/tol + Σ|R − median|/tol over all that are chosen. */
export const unlikeness = (
  chosen: readonly Candidate[],
  tol: { capacityAh: number; resistanceMilliohm: number },
): number => {
  const c = middle(chosen.map((x) => x.capacityAh));
  const r = middle(chosen.map((x) => x.resistanceMilliohm));
  return chosen.reduce(
    (s, x) =>
      s +
      Math.abs(x.capacityAh - c) / tol.capacityAh +
      Math.abs(x.resistanceMilliohm - r) / tol.resistanceMilliohm,
    0,
  );
};

/**
 * The alikest: a sum of distances to a median is the least sum to any point, so it is enough to try every capacity and every
 * resistance as that point and take the nearest. Exact.
 */
function alike(
  able: Candidate[],
  fixed: Candidate[],
  free: number,
  tol: { capacityAh: number; resistanceMilliohm: number },
): Chosen | null {
  if (able.length < free) return null;
  const all = [...able, ...fixed];
  let best: Chosen | null = null;
  let bestSum = Infinity;
  for (const { capacityAh: c } of all)
    for (const { resistanceMilliohm: r } of all) {
      const far = (x: Candidate): number =>
        Math.abs(x.capacityAh - c) / tol.capacityAh +
        Math.abs(x.resistanceMilliohm - r) / tol.resistanceMilliohm;
      const held = fixed.reduce((s, f) => s + far(f), 0);
      if (held >= bestSum) continue;
      const near = able
        .map((x) => ({ x, d: far(x) }))
        .sort((a, b) => a.d - b.d)
        .slice(0, free);
      const sum = near.reduce((s, n) => s + n.d, held);
      if (sum < bestSum - EPS) {
        bestSum = sum;
        best = { ids: near.map((n) => n.x), objective: { cost: 0 } };
      }
    }
  if (!best) return null;
  return { ids: best.ids, objective: { cost: unlikeness([...fixed, ...best.ids], tol) } };
}

interface Blocks {
  /** Block of each position that is in one. */
  of: Map<number, number>;
  count: number;
}

/** Sums of blocks as near each other as may be: depth first, block by block, cut by what is left; then exchanges. */
function blocked(
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

/**
 * Which of the candidates go in, and where, by one aim. What stays counts in every aim; capacity and resistance limits bind the new
 * ones only, the spread of voltage all.
 * @throws InputProblem for a fixed id that is not there, and for blocks that are not positions.
 */
export function selectModules(ask: SelectAsk): SelectAnswer {
  const { candidates, positions, limits, aim } = ask;
  const by = new Map(candidates.map((c) => [c.id, c]));
  if (by.size !== candidates.length)
    throw new InputProblem('twice', 'A candidate is listed twice.', 'candidates', 'Each id once.');
  const at = new Map<number, Candidate>();
  for (const [key, id] of Object.entries(ask.fixed)) {
    const p = Number(key);
    const c = by.get(id);
    if (!Number.isInteger(p) || p < 1 || p > positions)
      throw new InputProblem(
        'position',
        `There is no position ${key}.`,
        `fixed.${key}`,
        `1 to ${positions}.`,
      );
    if (!c)
      throw new InputProblem(
        'unknown',
        `There is no candidate ${id}.`,
        `fixed.${key}`,
        'The id of a candidate.',
      );
    at.set(p, c);
  }
  const fixed = [...at.values()];
  if (new Set(fixed).size !== fixed.length)
    throw new InputProblem('twice', 'One module is fixed at two places.', 'fixed', 'Each id once.');
  const free = Array.from({ length: positions }, (_, i) => i + 1).filter((p) => !at.has(p));
  const rest = candidates.filter((c) => !fixed.includes(c));
  const able = rest.filter(
    (c) =>
      (limits.capacityLeastAh == null || c.capacityAh >= limits.capacityLeastAh - EPS) &&
      (limits.resistanceMostMilliohm == null || c.resistanceMilliohm <= limits.resistanceMostMilliohm + EPS),
  );
  const pools = windows(able, fixed, limits.restVoltageSpreadMostV).filter((w) => w.length >= free.length);
  const nothing = (): SelectAnswer => ({
    places: null,
    objective: null,
    proved: true,
    bound: null,
    reasons: tooFew(ask, free.length, able, rest),
  });
  if (pools.length === 0) return nothing();
  if (aim === 'blocks') {
    const blocks = ask.blocks ?? [];
    const of = new Map<number, number>();
    blocks.forEach((ps, b) =>
      ps.forEach((p) => {
        if (!Number.isInteger(p) || p < 1 || p > positions || of.has(p))
          throw new InputProblem(
            'block',
            `Position ${p} is not there, or in two blocks.`,
            `blocks[${b}]`,
            `1 to ${positions}, each once.`,
          );
        of.set(p, b);
      }),
    );
    if (blocks.length === 0)
      throw new InputProblem('block', 'No blocks are given.', 'blocks', 'Lists of positions.');
    let best: ReturnType<typeof blocked> = null;
    let proved = true;
    let bound = Infinity;
    for (const pool of pools) {
      const found = blocked(ask, pool, (p) => at.get(p), free, { of, count: blocks.length });
      if (!found) continue;
      proved &&= found.proved;
      bound = Math.min(bound, found.bound);
      if (!best || found.spread < best.spread - EPS) best = found;
    }
    if (!best) return nothing();
    const places = Array.from({ length: positions }, (_, i) => (at.get(i + 1) ?? best.places.get(i + 1)!).id);
    return {
      places,
      objective: { blockSpread: best.spread },
      proved,
      bound: proved ? best.spread : bound,
      reasons: [],
    };
  }
  const tol = ask.tolerance ?? { capacityAh: 1, resistanceMilliohm: 1 };
  let best: Chosen | null = null;
  const better = (a: Objective, b: Objective): boolean =>
    'cost' in a && 'cost' in b
      ? a.cost < b.cost - EPS
      : 'leastCapacityAh' in a && 'leastCapacityAh' in b
        ? a.leastCapacityAh > b.leastCapacityAh + EPS ||
          (Math.abs(a.leastCapacityAh - b.leastCapacityAh) <= EPS &&
            a.capacitySpreadAh < b.capacitySpreadAh - EPS)
        : false;
  for (const pool of pools) {
    const chosen =
      aim === 'alike' ? alike(pool, fixed, free.length, tol) : weakestFirst(pool, fixed, free.length);
    if (chosen && (!best || better(chosen.objective, best.objective))) best = chosen;
  }
  if (!best) return nothing();
  const into = new Map(free.map((p, i) => [p, best.ids[i]!]));
  return {
    places: Array.from({ length: positions }, (_, i) => (at.get(i + 1) ?? into.get(i + 1)!).id),
    objective: best.objective,
    proved: true,
    bound:
      'cost' in best.objective
        ? best.objective.cost
        : 'leastCapacityAh' in best.objective
          ? best.objective.leastCapacityAh
          : null,
    reasons: [],
  };
}
