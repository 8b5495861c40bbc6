import { describe, expect, it } from 'vitest';
import { Random } from '../simpack';
import { afterTest, exactSplit, expectedOf, halving, oneByOne, planSplit, type SplitProblem } from './split';

/** Every strategy there is, by plain recursion without any of the planner's shortcuts: for small strings only. */
function byBruteForce(p: SplitProblem): number {
  const n = p.probability.length;
  const solve = (candidates: number[], open: number[]): number => {
    if (candidates.length < 2) return 0;
    const weight = candidates.reduce((s, i) => s + p.probability[i]!, 0);
    let best = Infinity;
    for (let from = 0; from < n; from++)
      for (let to = from; to < n; to++) {
        const inside = candidates.filter((c) => c >= from && c <= to);
        if (inside.length === 0 || inside.length === candidates.length) continue;
        // A tester reaches what hangs together, and no link that is not there can be opened.
        if (open.some((l) => l >= from && l < to)) continue;
        const links = [from - 1, to].filter((l) => l >= 0 && l < n - 1);
        if (links.some((l) => p.linkMin[l] === Infinity)) continue;
        const minutes = p.testMin + links.reduce((s, l) => s + (open.includes(l) ? 0 : p.linkMin[l]!), 0);
        const after = [...new Set([...open, ...links])];
        const rest = candidates.filter((c) => !inside.includes(c));
        best = Math.min(best, weight * minutes + solve(inside, after) + solve(rest, after));
      }
    return best === Infinity ? 0 : best;
  };
  const open = p.linkMin.flatMap((c, i) => (c === 0 ? [i] : []));
  const can = p.probability.flatMap((v, i) => (v > 0 ? [i] : []));
  return solve(can, open) / p.probability.reduce((a, b) => a + b, 0);
}

function randomProblem(random: Random, n: number, mixed = false): SplitProblem {
  const shape = random.uniform();
  const peak = random.uniform(0, n);
  const raw = Array.from({ length: n }, (_, i) =>
    mixed && random.uniform() < 0.2
      ? 0
      : shape < 0.3
        ? 1
        : shape < 0.7
          ? Math.exp(-((i - peak) ** 2) / 4) + 0.01
          : random.uniform(0.02, 1),
  );
  if (!raw.some((v) => v > 0)) raw[0] = 1;
  const total = raw.reduce((a, b) => a + b, 0);
  return {
    probability: raw.map((v) => v / total),
    linkMin: Array.from({ length: n - 1 }, () =>
      mixed ? random.pick<number>([0, 2, 5, 6, 6, 15, Infinity]) : random.pick([2, 5, 6, 6, 15]),
    ),
    testMin: 6,
  };
}

/** What it costs to do as the planner says, asked again after every result, over every place where the leak can be. */
function carriedOut(problem: SplitProblem): { minutes: number; tests: number } {
  let minutes = 0;
  let tests = 0;
  problem.probability.forEach((p, truth) => {
    let now = problem;
    for (;;) {
      const { test } = planSplit(now);
      if (!test || p === 0) break;
      const { linkMin } = now;
      const hit = truth >= test.from && truth <= test.to;
      // Nothing is tested that cannot tell something, across an open link, or by a link that is not there.
      const can = now.probability.flatMap((v, i) => (v > 0 ? [i] : []));
      const inside = can.filter((i) => i >= test.from && i <= test.to).length;
      expect(inside > 0 && inside < can.length).toBe(true);
      expect(linkMin.slice(test.from, test.to).every((m) => m !== 0)).toBe(true);
      expect(test.opens.every((l) => Number.isFinite(linkMin[l]!) && linkMin[l]! > 0)).toBe(true);
      for (const l of [test.from - 1, test.to])
        if (l >= 0 && l < linkMin.length) expect(linkMin[l] === 0 || test.opens.includes(l)).toBe(true);
      tests += p;
      minutes += p * (now.testMin + test.opens.reduce((s, l) => s + linkMin[l]!, 0));
      now = {
        ...now,
        probability: now.probability.map((v, i) => ((i >= test.from && i <= test.to) === hit ? v : 0)),
        linkMin: linkMin.map((m, l) => (test.opens.includes(l) ? 0 : m)),
      };
    }
  });
  return { minutes, tests };
}

describe('the split planner', () => {
  it('is the optimum that plain recursion over every strategy finds', () => {
    const random = new Random(41);
    for (let n = 2; n <= 5; n++)
      for (let k = 0; k < 4; k++) {
        const p = randomProblem(random, n);
        expect(exactSplit(p).expected.minutes).toBeCloseTo(byBruteForce(p), 8);
        const mixed = randomProblem(random, n, true);
        expect(exactSplit(mixed).expected.minutes).toBeCloseTo(byBruteForce(mixed), 8);
      }
  });

  it('against the exact optimum, halving and one by one, on strings of up to twelve sections', () => {
    const random = new Random(42);
    const rows: string[] = [];
    for (let n = 2; n <= 12; n++) {
      const sum = { plan: [0, 0], exact: [0, 0], half: [0, 0], one: [0, 0] };
      const count = n > 10 ? 3 : 6;
      for (let k = 0; k < count; k++) {
        const p = randomProblem(random, n);
        const add = (to: number[], e: { tests: number; minutes: number }): void => {
          to[0]! += e.tests / count;
          to[1]! += e.minutes / count;
        };
        const exact = exactSplit(p).expected;
        const plan = planSplit(p).expected;
        add(sum.exact, exact);
        add(sum.plan, plan);
        add(sum.half, expectedOf(p, halving));
        add(sum.one, expectedOf(p, oneByOne));
        expect(exact.minutes).toBeLessThanOrEqual(plan.minutes + 1e-9);
        expect(exact.minutes).toBeLessThanOrEqual(expectedOf(p, halving).minutes + 1e-9);
        expect(exact.minutes).toBeLessThanOrEqual(expectedOf(p, oneByOne).minutes + 1e-9);
        // Runs alone cost little more than every strategy there is.
        const runs = planSplit(p, 0).expected;
        expect(exact.minutes).toBeLessThanOrEqual(runs.minutes + 1e-9);
        expect(runs.minutes).toBeLessThan(1.02 * exact.minutes);
      }
      const f = ([t, m]: number[]): string => `${t!.toFixed(2)} tests ${m!.toFixed(1)} min`;
      rows.push(
        `${String(n).padStart(2)} sections: planner ${f(sum.plan)}, exact ${f(sum.exact)}, halving ${f(sum.half)}, one by one ${f(sum.one)}`,
      );
    }
    console.log(rows.join('\n'));
  });

  it('uses links that are open already, and never one that is not there', () => {
    const p: SplitProblem = { probability: [0.25, 0.25, 0.25, 0.25], linkMin: [Infinity, 0, 9], testMin: 6 };
    const plan = exactSplit(p);
    expect(plan.test).toMatchObject({ opens: [], minutes: 6 });
    expect(plan.others.every((o) => o.test.to !== 0 && o.test.from !== 1)).toBe(true);
    // Beside links that are not there, the plain ways of searching stay what they cost.
    expect(expectedOf(p, halving)).toEqual({ tests: 1.5, minutes: 6 + 0.5 * 15 });
    expect(expectedOf(p, oneByOne).minutes).toBeLessThan(40);
    const none = { probability: [0.5, 0.3, 0.2], linkMin: [Infinity, Infinity], testMin: 6 };
    expect(planSplit(none)).toMatchObject({ test: null, expected: { tests: 0, minutes: 0 } });
  });

  it('costs what it says, asked anew after every result: exactly where it is exact, no more where it is not', () => {
    const random = new Random(43);
    for (let k = 0; k < 60; k++) {
      const p = randomProblem(random, random.integer(2, 10), true);
      const { expected } = planSplit(p);
      const spent = carriedOut(p);
      expect(spent.minutes).toBeCloseTo(expected.minutes, 8);
    }
    for (const n of [14, 22, 40]) {
      const p = randomProblem(random, n, n !== 22);
      const { expected } = planSplit(p);
      const spent = carriedOut(p);
      expect(spent.minutes).toBeLessThanOrEqual(expected.minutes + 1e-9);
      expect(spent.minutes).toBeGreaterThan(0.95 * expected.minutes);
      expect(expected.minutes).toBeLessThanOrEqual(expectedOf(p, halving).minutes + 1e-9);
    }
  });

  it('counts what is clean already as tested, in every way of searching', () => {
    const p: SplitProblem = {
      probability: [0, 0, 0, 0.5, 0.5, 0, 0, 0],
      linkMin: Array(7).fill(6) as number[],
      testMin: 6,
    };
    expect(expectedOf(p, oneByOne)).toEqual({ tests: 1, minutes: 12 });
    expect(expectedOf(p, halving)).toEqual({ tests: 1, minutes: 12 });
    expect(planSplit(p)).toMatchObject({ test: { opens: [3] }, expected: { tests: 1, minutes: 12 } });
  });

  it('takes results in by Bayes’ rule, doubtful ones with care', () => {
    const even = [0.25, 0.25, 0.25, 0.25];
    const clean = afterTest(even, new Set([0, 1]), 'pass');
    expect(clean[2]).toBeCloseTo(0.5 / 1.05, 10);
    expect(afterTest(even, new Set([0, 1]), 'leak')[0]).toBeCloseTo(0.5 / 1.02, 10);
    expect(afterTest(even, new Set([0, 1]), 'not valid')).toEqual(even);
    expect(afterTest(even, new Set([0, 1]), 'doubtful')[0]!).toBeLessThan(0.35);
  });
});
