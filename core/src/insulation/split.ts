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

/** Strings of up to this many sections are solved exactly; longer ones are drawn together first. */
export const EXACT_SECTIONS = 10;

/** Ranges of sections that can be separated. */
function ranges(
  n: number,
  linkMin: readonly number[],
): { from: number; to: number; mask: number; links: number }[] {
  const out = [];
  for (let from = 0; from < n; from++)
    for (let to = from; to < n; to++) {
      if (from === 0 && to === n - 1) continue;
      let mask = 0;
      for (let i = from; i <= to; i++) mask |= 1 << i;
      let links = 0;
      if (from > 0) links |= 1 << (from - 1);
      if (to < n - 1) links |= 1 << to;
      if (
        (from > 0 && !Number.isFinite(linkMin[from - 1]!)) ||
        (to < n - 1 && !Number.isFinite(linkMin[to]!))
      )
        continue;
      out.push({ from, to, mask, links });
    }
  return out;
}

/**
 * Cheapest way to find the leak in the expected sense, exactly: dynamic programming over where it can still be and
 * which links are open. Any run of neighbouring sections may be tested; a link that was opened stays open. One leak is
 * assumed, so a clean test puts it into the rest. Grows as 3ⁿ.
 */
export function exactSplit(problem: SplitProblem): SplitPlan {
  const n = problem.probability.length;
  const { probability: p, linkMin, testMin } = problem;
  const all = 2 ** n - 1;
  const openAlready = linkMin.reduce((m, c, i) => (c === 0 ? m | (1 << i) : m), 0);
  const choices = ranges(n, linkMin);
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
  const memo = new Map<number, { minutes: number; tests: number }>();
  /** Cost weighed by probability: minutes × chance that they are spent. */
  const solve = (s: number, open: number): { minutes: number; tests: number } => {
    if ((s & (s - 1)) === 0) return NOTHING;
    const key = s * width + open;
    const known = memo.get(key);
    if (known) return known;
    let best = { minutes: Infinity, tests: Infinity };
    for (const r of choices) {
      const inside = s & r.mask;
      if (inside === 0 || inside === s) continue;
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
  const total = weight[all]! || 1;
  const firsts = choices
    .map((r) => {
      const after = openAlready | r.links;
      const minutes = testMin + linkCost[r.links & ~openAlready]!;
      const a = solve(all & r.mask, after);
      const b = solve(all & ~r.mask, after);
      return {
        test: {
          from: r.from,
          to: r.to,
          opens: [r.from - 1, r.to].filter(
            (l) => l >= 0 && l < n - 1 && !(openAlready & (1 << l)) && r.links & (1 << l),
          ),
          minutes,
        },
        expected: {
          minutes: minutes + (a.minutes + b.minutes) / total,
          tests: 1 + (a.tests + b.tests) / total,
        },
      };
    })
    .filter((f) => Number.isFinite(f.expected.minutes))
    .sort(
      (x, y) =>
        x.expected.minutes - y.expected.minutes || x.test.to - x.test.from - (y.test.to - y.test.from),
    );
  const best = firsts[0];
  return {
    test: best?.test ?? null,
    expected: best?.expected ?? { tests: 0, minutes: 0 },
    others: firsts.slice(1, 6),
  };
}
const NOTHING = { minutes: 0, tests: 0 };

/** Neighbouring sections drawn together until few enough are left: the pair that matters least goes first. */
function drawTogether(problem: SplitProblem, most: number): { problem: SplitProblem; members: number[][] } {
  let members = problem.probability.map((_, i) => [i]);
  let probability = problem.probability.slice();
  let linkMin = problem.linkMin.slice();
  while (probability.length > most) {
    let at = 0;
    let least = Infinity;
    for (let i = 0; i < linkMin.length; i++) {
      const closed = linkMin[i] === 0 ? 1 : 0;
      // A costly link between unlikely sections is given up first; an open one last.
      const worth = probability[i]! + probability[i + 1]! + closed - (Number.isFinite(linkMin[i]!) ? 0 : 1);
      if (worth < least) {
        least = worth;
        at = i;
      }
    }
    members = [...members.slice(0, at), [...members[at]!, ...members[at + 1]!], ...members.slice(at + 2)];
    probability = [
      ...probability.slice(0, at),
      probability[at]! + probability[at + 1]!,
      ...probability.slice(at + 2),
    ];
    linkMin = [...linkMin.slice(0, at), ...linkMin.slice(at + 1)];
  }
  return { problem: { ...problem, probability, linkMin }, members };
}

/**
 * The next test for a string of any length: exact up to `EXACT_SECTIONS` sections, beyond that neighbours that matter
 * least are drawn together, and each result brings the string closer. The expected effort of drawn-together sections
 * is that of telling them apart by halving.
 */
export function planSplit(problem: SplitProblem, most = EXACT_SECTIONS): SplitPlan {
  const { problem: small, members } = drawTogether(problem, most);
  const plan = exactSplit(small);
  const spread = (t: SplitTest): SplitTest => {
    const from = members[t.from]![0]!;
    const to = members[t.to]![members[t.to]!.length - 1]!;
    return {
      from,
      to,
      opens: [from - 1, to].filter((l) => l >= 0 && l < problem.linkMin.length && problem.linkMin[l] !== 0),
      minutes: t.minutes,
    };
  };
  const rest = members.reduce(
    (sum, group) => {
      if (group.length === 1) return sum;
      const inside = expectedOf(restrict(problem, group[0]!, group[group.length - 1]!), halving);
      const share = group.reduce((s, i) => s + problem.probability[i]!, 0);
      return { tests: sum.tests + share * inside.tests, minutes: sum.minutes + share * inside.minutes };
    },
    { tests: 0, minutes: 0 },
  );
  const plus = (e: Expected): Expected => ({
    tests: e.tests + rest.tests,
    minutes: e.minutes + rest.minutes,
  });
  return {
    test: plan.test && spread(plan.test),
    expected: plus(plan.expected),
    others: plan.others.map((o) => ({ test: spread(o.test), expected: plus(o.expected) })),
  };
}

/** The same problem for a run of its sections alone, probabilities scaled to 1. */
function restrict(problem: SplitProblem, from: number, to: number): SplitProblem {
  const probability = problem.probability.slice(from, to + 1);
  const total = probability.reduce((a, b) => a + b, 0);
  return {
    probability: probability.map((p) => (total > 0 ? p / total : 1 / probability.length)),
    linkMin: problem.linkMin.slice(from, to),
    testMin: problem.testMin,
  };
}

/** A way of searching: which run to test next, given where the leak can be. Null when it is found. */
export type Policy = (problem: SplitProblem, from: number, to: number) => { from: number; to: number } | null;

/** Plain halving by count: the lower half first. */
export const halving: Policy = (_p, from, to) =>
  from === to ? null : { from, to: Math.floor((from + to) / 2) };
/** One module after the other, from the negative end. */
export const oneByOne: Policy = (_p, from, to) => (from === to ? null : { from, to: from });

/** Expected tests and minutes of a policy that keeps the leak within one run of sections. */
export function expectedOf(problem: SplitProblem, policy: Policy): Expected {
  const { probability: p, linkMin, testMin } = problem;
  const n = p.length;
  let tests = 0;
  let minutes = 0;
  const walk = (from: number, to: number, open: ReadonlySet<number>): void => {
    const t = policy(problem, from, to);
    const weight = p.slice(from, to + 1).reduce((a, b) => a + b, 0);
    if (!t || weight === 0) return;
    const links = [t.from - 1, t.to].filter((l) => l >= 0 && l < n - 1);
    const own = links.reduce((s, l) => s + (open.has(l) ? 0 : Math.min(1e6, linkMin[l]!)), 0);
    const after = new Set([...open, ...links]);
    tests += weight;
    minutes += weight * (testMin + own);
    walk(t.from, t.to, after);
    if (t.from > from) walk(from, t.from - 1, after);
    if (t.to < to) walk(t.to + 1, to, after);
  };
  walk(0, n - 1, new Set(linkMin.flatMap((c, i) => (c === 0 ? [i] : []))));
  const total = p.reduce((a, b) => a + b, 0) || 1;
  return { tests: tests / total, minutes: minutes / total };
}

/** How often a test says the wrong thing: a leak that passes today, a clean section that seems to leak. From memory. */
export const MISSED = 0.05;
export const FALSE_ALARM = 0.02;

/** Probabilities after a test of the sections `from` to `to`, by Bayes' rule. A doubtful test moves little. */
export function afterTest(
  probability: readonly number[],
  from: number,
  to: number,
  outcome: 'leak' | 'pass' | 'doubtful' | 'not valid',
): number[] {
  if (outcome === 'not valid') return [...probability];
  const [inside, outside] =
    outcome === 'leak' ? [1, FALSE_ALARM] : outcome === 'pass' ? [MISSED, 1] : [0.6, 0.4];
  const raw = probability.map((p, i) => p * (i >= from && i <= to ? inside : outside));
  const total = raw.reduce((a, b) => a + b, 0);
  return total > 0 ? raw.map((p) => p / total) : [...probability];
}
