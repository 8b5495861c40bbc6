import { describe, expect, it } from 'vitest';
import { Random } from '../simpack';
import { leastWork, minutesOf } from './least';
import type { StripPart, StripProblem } from './problem';

/** Every order of every set, by plain recursion: what the solver is held against. */
function exhaustive(problem: StripProblem): number {
  const { parts, targets, toolChangeMin } = problem;
  const best = new Map<string, number>();
  let least = Infinity;
  const go = (off: ReadonlySet<string>, hand: string, spent: number): void => {
    if (spent >= least) return;
    if (targets.every((t) => off.has(t))) {
      least = spent;
      return;
    }
    const key = `${hand}|${[...off].sort().join(',')}`;
    if ((best.get(key) ?? Infinity) <= spent) return;
    best.set(key, spent);
    for (const p of parts) {
      if (off.has(p.id)) continue;
      if (p.after.length > 0 && !p.after.some((set) => set.every((j) => off.has(j)))) continue;
      const change = p.tool && hand && p.tool !== hand ? toolChangeMin : 0;
      go(new Set([...off, p.id]), p.tool ?? hand, spent + p.minutes + change);
    }
  };
  go(new Set(), '', 0);
  return least;
}

function randomProblem(seed: number, n: number): StripProblem {
  const r = new Random(seed);
  const upTo = (k: number): number => Math.floor(r.uniform(0, 1) * k);
  const parts: StripPart[] = Array.from({ length: n }, (_, i) => ({
    id: `p${i}`,
    minutes: upTo(4) === 0 ? 0 : 1 + upTo(12),
    ...(upTo(5) > 0 ? { tool: `t${upTo(3)}` } : {}),
    after: Array.from({ length: upTo(4) === 0 ? 0 : 1 + upTo(3) }, () =>
      i === 0 ? [] : Array.from({ length: upTo(3) }, () => `p${upTo(4) === 0 ? upTo(n) : upTo(i)}`),
    ),
  }));
  return {
    parts,
    targets: [...new Set([`p${n - 1}`, `p${upTo(n)}`])],
    toolChangeMin: upTo(4),
  };
}
/** The order can be done: each step has an alternative of which all is off, and every target comes off. */
function holds(problem: StripProblem, order: string[]): void {
  const off = new Set<string>();
  const by = new Map(problem.parts.map((p) => [p.id, p]));
  for (const id of order) {
    const { after } = by.get(id)!;
    expect(after.length === 0 || after.some((set) => set.every((j) => off.has(j))), id).toBe(true);
    expect(off.has(id)).toBe(false);
    off.add(id);
  }
  for (const t of problem.targets) expect(off.has(t), t).toBe(true);
}

describe('the least work that reaches the targets', () => {
  it('equals exhaustive search on 240 random small instances', () => {
    let reached = 0;
    for (let seed = 1; seed <= 240; seed++) {
      const problem = randomProblem(seed, 5 + (seed % 6));
      const truth = exhaustive(problem);
      if (!Number.isFinite(truth)) {
        expect(() => leastWork(problem), `seed ${seed}`).toThrow(/cannot be reached/);
        continue;
      }
      reached++;
      const plan = leastWork(problem);
      expect(plan.minutes, `seed ${seed}`).toBeCloseTo(truth, 9);
      expect(plan.proved).toBe(true);
      expect(plan.lowerBoundMin).toBeCloseTo(truth, 9);
      expect(minutesOf(problem, plan.order)).toBeCloseTo(plan.minutes, 9);
      holds(problem, plan.order);
    }
    expect(reached).toBeGreaterThan(200);
  });

  it('proves plans of sixty parts with alternatives', () => {
    for (let seed = 1; seed <= 12; seed++) {
      const problem = randomProblem(1000 + seed, 60);
      problem.targets = ['p59', 'p58', 'p57'];
      const plan = leastWork(problem);
      holds(problem, plan.order);
      expect(plan.proved, `seed ${seed}`).toBe(true);
    }
  });

  it('gives a plan and an honest bound where it cannot prove', () => {
    for (let seed = 1; seed <= 20; seed++) {
      const problem = randomProblem(2000 + seed, 9);
      const truth = exhaustive(problem);
      if (!Number.isFinite(truth)) continue;
      const plan = leastWork(problem, 2);
      holds(problem, plan.order);
      expect(plan.minutes).toBeGreaterThanOrEqual(truth - 1e-9);
      expect(plan.lowerBoundMin).toBeLessThanOrEqual(truth + 1e-9);
    }
  });

  it('a step without a tool keeps what is in the hand; the first tool costs nothing', () => {
    const parts: StripPart[] = [
      { id: 'a', minutes: 1, tool: 'T30', after: [] },
      { id: 'b', minutes: 1, after: [['a']] },
      { id: 'c', minutes: 1, tool: 'T30', after: [['b']] },
    ];
    expect(leastWork({ parts, targets: ['c'], toolChangeMin: 5 })).toMatchObject({
      order: ['a', 'b', 'c'],
      minutes: 3,
    });
  });

  it('says what it cannot work with', () => {
    const part = (id: string, after: string[][]): StripPart => ({ id, minutes: 1, after });
    const ask = (parts: StripPart[], targets: string[]) => () =>
      leastWork({ parts, targets, toolChangeMin: 1 });
    expect(ask([part('a', [['b']]), part('b', [['a']])], ['a'])).toThrow(/a cannot be reached/);
    expect(ask([part('a', [['z']])], ['a'])).toThrow(/no part z.*parts\[0\]/s);
    expect(ask([part('a', [])], ['q'])).toThrow(/no part q.*targets\[0\]/s);
    expect(ask([part('a', []), part('a', [])], ['a'])).toThrow(/listed twice/);
    expect(leastWork({ parts: [part('a', [])], targets: [], toolChangeMin: 1 })).toMatchObject({
      order: [],
      minutes: 0,
      proved: true,
    });
  });
});
