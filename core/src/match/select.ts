import { InputProblem } from '../problem';
import { blocked, type Blocked } from './blocks';
import type { Candidate, Objective, SelectAnswer, SelectAsk } from './candidates';

const EPS = 1e-9;

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
    let best: Blocked | null = null;
    let bound = Infinity;
    for (const pool of pools) {
      const found = blocked(ask, pool, (p) => at.get(p), free, { of, count: blocks.length });
      if (!found) continue;
      bound = Math.min(bound, found.bound);
      if (!best || found.spread < best.spread - EPS) best = found;
    }
    if (!best) return nothing();
    const places = Array.from({ length: positions }, (_, i) => (at.get(i + 1) ?? best.places.get(i + 1)!).id);
    return {
      places,
      objective: { blockSpread: best.spread },
      proved: best.spread <= bound + EPS,
      bound: Math.min(bound, best.spread),
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
