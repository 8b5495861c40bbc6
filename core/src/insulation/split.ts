/** The string as a row of sections to be told apart: where the leak may be and what it costs to open between them. */
export interface SplitProblem {
  /** Probability of the leak in each section, in string order; they add up to 1. */
  probability: number[];
  /** Minutes to open the link between section i and i + 1; 0 where it is open already; Infinity where there is none. */
  linkMin: number[];
  /** Minutes of one test: clips, voltage up, a minute's reading, down. */
  testMin: number;
}

/** A test of the sections `from` to `to` (inclusive) against the chassis, separated from the rest. */
export interface SplitTest {
  from: number;
  to: number;
  /** Links to be opened for it, by position. */
  opens: number[];
  minutes: number;
}

export interface Expected {
  tests: number;
  minutes: number;
}
export interface SplitPlan {
  test: SplitTest | null;
  expected: Expected;
  /** Other first tests, best first, with what they lead to. */
  others: { test: SplitTest; expected: Expected }[];
}

/** Strings of up to this many places where the leak can be are solved exactly; longer ones by runs. */
export const EXACT_SECTIONS = 10;

/** The problem with the places alone where the leak can be, and what each stands for in the string. */
interface Places {
  problem: SplitProblem;
  /** Sections of the string that belong to each place: what hangs on it when its links are out. */
  within: { from: number; to: number }[];
  /** Position in the string of the link between place i and i + 1. */
  link: number[];
}

/**
 * Leaves only sections where the leak can be: what is clean already hangs on a neighbour or is off. Between two places
 * the cheapest link divides no worse than another, and one that is open does so for nothing.
 */
function placesOf({ probability, linkMin, testMin }: SplitProblem): Places {
  const at = probability.flatMap((p, i) => (p > 0 ? [i] : []));
  const openIn = (from: number, to: number): number[] =>
    linkMin.flatMap((m, i) => (m === 0 && i >= from && i < to ? [i] : []));
  const link = at.slice(1).map((to, i) => {
    const from = at[i]!;
    let best = from;
    for (let l = from; l < to; l++) if (linkMin[l]! < linkMin[best]!) best = l;
    return best;
  });
  const within = at.map((here, i) => {
    const before = openIn(i === 0 ? 0 : at[i - 1]!, here).at(-1);
    const after = openIn(here, at[i + 1] ?? probability.length - 1)[0];
    return {
      from: (before ?? (i === 0 ? -1 : link[i - 1]!)) + 1,
      to: after ?? link[i] ?? probability.length - 1,
    };
  });
  return {
    problem: { probability: at.map((i) => probability[i]!), linkMin: link.map((l) => linkMin[l]!), testMin },
    within,
    link,
  };
}

interface Choice {
  from: number;
  to: number;
}
interface Weighed extends Choice {
  minutes: number;
  /** Minutes and tests that follow, each times the chance that they are needed. */
  after: Expected;
}

/** Runs of neighbours that can be separated by links that there are. */
function ranges(n: number, linkMin: readonly number[]): Choice[] {
  const out: Choice[] = [];
  const opens = (l: number): boolean => l < 0 || l >= n - 1 || Number.isFinite(linkMin[l]!);
  for (let from = 0; from < n; from++)
    for (let to = from; to < n; to++)
      if ((from > 0 || to < n - 1) && opens(from - 1) && opens(to)) out.push({ from, to });
  return out;
}

/**
 * Cheapest way to find the leak in the expected sense, exactly: dynamic programming over where it can still be and
 * which links are open. Any run of neighbouring sections that hangs together may be tested; a link that was opened stays
 * open, and a tester reaches no further than that. One leak is assumed, so a clean test puts it into the rest. Grows as 3ⁿ.
 */
function byEveryStrategy({ probability: p, linkMin, testMin }: SplitProblem): Weighed[] {
  const n = p.length;
  const all = 2 ** n - 1;
  const openAlready = linkMin.reduce((m, c, i) => (c === 0 ? m | (1 << i) : m), 0);
  const choices = ranges(n, linkMin).map(({ from, to }) => {
    let mask = 0;
    let inside = 0;
    for (let i = from; i <= to; i++) mask |= 1 << i;
    for (let l = from; l < to; l++) inside |= 1 << l;
    return { from, to, mask, inside, links: (from > 0 ? 1 << (from - 1) : 0) | (to < n - 1 ? 1 << to : 0) };
  });
  const weight = new Float64Array(all + 1);
  for (let s = 1; s <= all; s++) {
    const low = 31 - Math.clz32(s & -s);
    weight[s] = weight[s & (s - 1)]! + p[low]!;
  }
  const linkCost = new Float64Array(2 ** Math.max(0, n - 1));
  for (let l = 1; l < linkCost.length; l++) {
    const low = 31 - Math.clz32(l & -l);
    linkCost[l] = linkCost[l & (l - 1)]! + linkMin[low]!;
  }
  const width = linkCost.length;
  const memo = new Map<number, Expected>();
  /** Cost weighed by probability: minutes × chance that they are spent. */
  const solve = (s: number, open: number): Expected => {
    if ((s & (s - 1)) === 0) return NOTHING;
    const key = s * width + open;
    const known = memo.get(key);
    if (known) return known;
    let best = { minutes: Infinity, tests: Infinity };
    for (const r of choices) {
      const inside = s & r.mask;
      if (inside === 0 || inside === s || (r.inside & open) !== 0) continue;
      const after = open | r.links;
      const own = (testMin + linkCost[r.links & ~open]!) * weight[s]!;
      if (own >= best.minutes) continue;
      const a = solve(inside, after);
      if (own + a.minutes >= best.minutes) continue;
      const b = solve(s & ~r.mask, after);
      const minutes = own + a.minutes + b.minutes;
      if (minutes < best.minutes - 1e-12) best = { minutes, tests: weight[s]! + a.tests + b.tests };
    }
    // Sections that no link divides stay together: found as far as it goes.
    if (best.minutes === Infinity) best = NOTHING;
    memo.set(key, best);
    return best;
  };
  return choices
    .filter((r) => (r.inside & openAlready) === 0)
    .map((r) => ({
      from: r.from,
      to: r.to,
      minutes: testMin + linkCost[r.links & ~openAlready]!,
      after: plus(solve(all & r.mask, openAlready | r.links), solve(all & ~r.mask, openAlready | r.links)),
    }));
}
const NOTHING: Expected = { minutes: 0, tests: 0 };
const plus = (a: Expected, b: Expected): Expected => ({
  minutes: a.minutes + b.minutes,
  tests: a.tests + b.tests,
});

/**
 * Any length, in n⁴: the best of all strategies that keep the leak within runs. A run is divided in two, or a part of it
 * is tested and, where that is clean, one of the two sides. Its cost is that of a strategy that can be carried out.
 */
function byRuns({ probability: p, linkMin, testMin }: SplitProblem): Weighed[] {
  const n = p.length;
  const upTo = [0];
  const openUpTo = [0];
  for (let i = 0; i < n; i++) {
    upTo.push(upTo[i]! + p[i]!);
    openUpTo.push(openUpTo[i]! + (linkMin[i] === 0 ? 1 : 0));
  }
  const weight = (from: number, to: number): number => upTo[to + 1]! - upTo[from]!;
  /** A run hangs together when no link inside it is open. */
  const whole = (from: number, to: number): boolean => openUpTo[to]! === openUpTo[from]!;
  const opens = (l: number): boolean => Number.isFinite(linkMin[l]!);
  const value: Expected[][] = Array.from({ length: n }, () => new Array<Expected>(n).fill(NOTHING));
  /** What follows a test of `a` to `b` within a run, times its chance; null where it cannot be tested. */
  const after = (from: number, to: number, a: number, b: number): Expected | null => {
    if (!whole(a, b) || (a > from && !opens(a - 1)) || (b < to && !opens(b))) return null;
    const left = a > from ? value[from]![a - 1]! : null;
    const right = b < to ? value[b + 1]![to]! : null;
    let sum = value[a]![b]!;
    if (left) sum = plus(sum, left);
    if (right) sum = plus(sum, right);
    if (!left || !right) return sum;
    if (!whole(from, a - 1) && !whole(b + 1, to)) return null;
    const rest = weight(from, a - 1) + weight(b + 1, to);
    return plus(sum, { minutes: rest * testMin, tests: rest });
  };
  const own = (from: number, to: number, a: number, b: number): number =>
    testMin + (a > from ? linkMin[a - 1]! : 0) + (b < to ? linkMin[b]! : 0);
  for (let length = 2; length <= n; length++)
    for (let from = 0; from + length <= n; from++) {
      const to = from + length - 1;
      const w = weight(from, to);
      let best: Expected | null = null;
      for (let a = from; a <= to; a++)
        for (let b = a; b <= to; b++) {
          if (a === from && b === to) continue;
          const minutes = w * own(from, to, a, b);
          if (best && minutes >= best.minutes) continue;
          const next = after(from, to, a, b);
          if (next && (!best || minutes + next.minutes < best.minutes - 1e-12))
            best = { minutes: minutes + next.minutes, tests: w + next.tests };
        }
      value[from]![to] = best ?? NOTHING;
    }
  return ranges(n, linkMin).flatMap(({ from, to }) => {
    const next = after(0, n - 1, from, to);
    return next ? [{ from, to, minutes: own(0, n - 1, from, to), after: next }] : [];
  });
}

function planOf(problem: SplitProblem, solve: (p: SplitProblem) => Weighed[]): SplitPlan {
  const places = placesOf(problem);
  const n = places.problem.probability.length;
  const total = places.problem.probability.reduce((a, b) => a + b, 0);
  if (n < 2) return { test: null, expected: NOTHING, others: [] };
  const firsts = solve(places.problem)
    .map(({ from, to, minutes, after }) => ({
      test: {
        from: places.within[from]!.from,
        to: places.within[to]!.to,
        opens: [from - 1, to].flatMap((l) =>
          l >= 0 && l < n - 1 && places.problem.linkMin[l] !== 0 ? [places.link[l]!] : [],
        ),
        minutes,
      },
      expected: { minutes: minutes + after.minutes / total, tests: 1 + after.tests / total },
    }))
    .sort(
      (x, y) =>
        x.expected.minutes - y.expected.minutes || x.test.to - x.test.from - (y.test.to - y.test.from),
    );
  const best = firsts[0];
  return { test: best?.test ?? null, expected: best?.expected ?? NOTHING, others: firsts.slice(1, 6) };
}

/** The optimum over every strategy; for strings with few places where the leak can be. */
export const exactSplit = (problem: SplitProblem): SplitPlan => planOf(problem, byEveryStrategy);

/**
 * The next test for a string of any length: exact up to `EXACT_SECTIONS` places where the leak can be, beyond that the
 * best strategy over runs. What is expected is what the strategy costs.
 */
export const planSplit = (problem: SplitProblem, most = EXACT_SECTIONS): SplitPlan =>
  planOf(problem, problem.probability.filter((p) => p > 0).length <= most ? byEveryStrategy : byRuns);

/** A way of searching: which run to test next, given where the leak can be. Null when no link divides it further. */
export type Policy = (problem: SplitProblem, from: number, to: number) => Choice | null;

/** The run below a link, or the one above it where an open link divides the one below; null where both are divided. */
function besideLink({ linkMin }: SplitProblem, from: number, to: number, link: number): Choice | null {
  const whole = (a: number, b: number): boolean => linkMin.slice(a, b).every((m) => m !== 0);
  if (whole(from, link)) return { from, to: link };
  return whole(link + 1, to) ? { from: link + 1, to } : null;
}
const linksOf = ({ linkMin }: SplitProblem, from: number, to: number): number[] =>
  linkMin.flatMap((m, l) => (l >= from && l < to && Number.isFinite(m) ? [l] : []));

/** Plain halving by count, at the link nearest to the middle that can be opened: the lower half first. */
export const halving: Policy = (p, from, to) => {
  const middle = (from + to - 1) / 2;
  const links = linksOf(p, from, to).sort((a, b) => Math.abs(a - middle) - Math.abs(b - middle));
  for (const l of links) {
    const test = besideLink(p, from, to, l);
    if (test) return test;
  }
  return null;
};
/** One module after the other, from the negative end. */
export const oneByOne: Policy = (p, from, to) => {
  const first = linksOf(p, from, to)[0];
  return first === undefined ? null : besideLink(p, from, to, first);
};

/** Expected tests and minutes of a policy that keeps the leak within one run. What is clean already counts as tested. */
export function expectedOf(problem: SplitProblem, policy: Policy): Expected {
  const { problem: places } = placesOf(problem);
  const { probability: p, linkMin, testMin } = places;
  const n = p.length;
  let tests = 0;
  let minutes = 0;
  const walk = (from: number, to: number): void => {
    const t = from < to ? policy(places, from, to) : null;
    if (!t) return;
    const weight = p.slice(from, to + 1).reduce((a, b) => a + b, 0);
    tests += weight;
    minutes +=
      weight * (testMin + (t.from > from ? linkMin[t.from - 1]! : 0) + (t.to < to ? linkMin[t.to]! : 0));
    walk(t.from, t.to);
    if (t.from > from) walk(from, t.from - 1);
    if (t.to < to) walk(t.to + 1, to);
  };
  walk(0, n - 1);
  const total = p.reduce((a, b) => a + b, 0) || 1;
  return { tests: tests / total, minutes: minutes / total };
}

/** How often a test says the wrong thing: a leak that passes today, a clean section that seems to leak. From memory. */
export const MISSED = 0.05;
export const FALSE_ALARM = 0.02;

/** Probabilities after a test that reached these sections, by Bayes' rule. A doubtful test moves little. */
export function afterTest(
  probability: readonly number[],
  reached: ReadonlySet<number>,
  outcome: 'leak' | 'pass' | 'doubtful' | 'not valid',
): number[] {
  if (outcome === 'not valid') return [...probability];
  const [inside, outside] =
    outcome === 'leak' ? [1, FALSE_ALARM] : outcome === 'pass' ? [MISSED, 1] : [0.6, 0.4];
  const raw = probability.map((p, i) => p * (reached.has(i) ? inside : outside));
  const total = raw.reduce((a, b) => a + b, 0);
  return total > 0 ? raw.map((p) => p / total) : [...probability];
}
