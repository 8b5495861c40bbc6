import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { Random } from '../simpack/random';
import { medianInterval, schoolsOf } from './schools';

describe('what two schools have brought', () => {
  it('the interval of a median is the one that scipy’s binomial distribution gives (Conover, Practical Nonparametric Statistics, 3.2)', () => {
    const random = new Random(3);
    const samples = [4, 5, 6, 7, 9, 14, 25, 60].map((n) =>
      Array.from({ length: n }, () => Number((0.12 + random.normal(0.1)).toFixed(4))),
    );
    const script = `
import json, sys
from scipy.stats import binom
out = []
for x in json.load(sys.stdin):
    x = sorted(x); n = len(x)
    ks = [k for k in range(1, n // 2 + 1) if 2 * binom.cdf(k - 1, n, 0.5) <= 0.05]
    out.append([x[ks[-1] - 1], x[n - ks[-1]]] if ks else None)
print(json.dumps(out))`;
    const theirs = JSON.parse(
      execFileSync('/usr/bin/python3', ['-c', script], { input: JSON.stringify(samples), encoding: 'utf8' }),
    ) as ([number, number] | null)[];
    samples.forEach((x, i) => {
      const ours = medianInterval(x);
      expect(ours && [ours.low, ours.high], `${x.length}`).toEqual(theirs[i]);
    });
  });
  it('is told by the runs between two measurements, and by no mixture of both', () => {
    const run = (recipe: string, capacityAh: number | null = null) => ({ recipe, capacityAh });
    const found = schoolsOf([
      [run('capacity', 2), run('slow-balance'), run('capacity', 2.4)],
      [run('slow-balance', 3), run('slow-balance', 3.3)],
      [run('capacity', 2), run('hard-charge'), run('slow-balance'), run('capacity', 4)],
      [run('hard-charge', 2), run('hard-charge', 2.5), run('capacity', 2.6)],
      [run('capacity', 5), run('capacity', 5.2)],
      [run('slow-balance')],
    ]);
    expect(found.map((f) => [f.school, f.n, Number(f.median.toFixed(3))])).toEqual([
      ['slow-balance', 2, 0.15],
      ['hard-charge', 1, 0.25],
    ]);
    expect(found.every((f) => f.interval === null)).toBe(true);
    expect(schoolsOf([])).toEqual([]);
  });
});
