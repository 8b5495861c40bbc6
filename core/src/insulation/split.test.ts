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
        const links = [from - 1, to].filter((l) => l >= 0 && l < n - 1);
        const minutes = p.testMin + links.reduce((s, l) => s + (open.includes(l) ? 0 : p.linkMin[l]!), 0);
        const after = [...new Set([...open, ...links])];
        const rest = candidates.filter((c) => !inside.includes(c));
        best = Math.min(best, weight * minutes + solve(inside, after) + solve(rest, after));
      }
    return best;
  };
  const open = p.linkMin.flatMap((c, i) => (c === 0 ? [i] : []));
  return solve([...Array(n).keys()], open) / p.probability.reduce((a, b) => a + b, 0);
}

function randomProblem(random: Random, n: number): SplitProblem {
  const shape = random.uniform();
  const peak = random.uniform(0, n);
  const raw = Array.from({ length: n }, (_, i) =>
    shape < 0.3 ? 1 : shape < 0.7 ? Math.exp(-((i - peak) ** 2) / 4) + 0.01 : random.uniform(0.02, 1),
  );
  const total = raw.reduce((a, b) => a + b, 0);
  return {
    probability: raw.map((v) => v / total),
    linkMin: Array.from({ length: n - 1 }, () => random.pick([2, 5, 6, 6, 15])),
    testMin: 6,
  };
}

describe('the split planner', () => {
  it('is the optimum that plain recursion over every strategy finds', () => {
    const random = new Random(41);
    for (let n = 2; n <= 5; n++)
      for (let k = 0; k < 4; k++) {
        const p = randomProblem(random, n);
        expect(exactSplit(p).expected.minutes).toBeCloseTo(byBruteForce(p), 8);
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
        // Drawing sections together costs little.
        expect(plan.minutes).toBeLessThan(1.12 * exact.minutes);
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
  });

  it('takes results in by Bayes’ rule, doubtful ones with care', () => {
    const even = [0.25, 0.25, 0.25, 0.25];
    const clean = afterTest(even, 0, 1, 'pass');
    expect(clean[2]).toBeCloseTo(0.5 / 1.05, 10);
    expect(afterTest(even, 0, 1, 'leak')[0]).toBeCloseTo(0.5 / 1.02, 10);
    expect(afterTest(even, 0, 1, 'not valid')).toEqual(even);
    expect(afterTest(even, 0, 1, 'doubtful')[0]!).toBeLessThan(0.35);
  });
});
