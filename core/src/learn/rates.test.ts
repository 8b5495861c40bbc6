import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { calibration, forecastOf, hitRates, wilson, type Outcome } from '.';

/** Debian's scipy and numpy, an implementation of others. */
const python = (code: string, input: unknown): unknown =>
  JSON.parse(
    execFileSync('/usr/bin/python3', ['-c', code], { input: JSON.stringify(input), encoding: 'utf8' }),
  );
const of = (verdict: string, confidence: number | null, was: Outcome['was']): Outcome => ({
  verdict,
  confidence,
  was,
});

describe('what a workshop learns from its jobs', () => {
  it('the interval of a share is scipy’s Wilson interval', () => {
    const cases = [
      [0, 1],
      [1, 1],
      [14, 15],
      [7, 20],
      [0, 40],
      [199, 200],
    ] as const;
    const theirs = python(
      `import json,sys
from scipy.stats import binomtest
print(json.dumps([list(binomtest(k,n).proportion_ci(method='wilson')) for k,n in json.load(sys.stdin)]))`,
      cases,
    ) as [number, number][];
    cases.forEach(([k, n], i) => {
      const own = wilson(k, n)!;
      expect([own.low, own.high]).toEqual([
        expect.closeTo(theirs[i]![0], 9) as number,
        expect.closeTo(theirs[i]![1], 9) as number,
      ]);
    });
    expect(wilson(0, 0)).toBe(null);
  });

  it('what could not be told counts for neither side', () => {
    const outcomes = [
      ...Array.from({ length: 14 }, () => of('low-capacity', 0.9, 'confirmed')),
      of('low-capacity', 0.9, 'refuted'),
      of('low-capacity', 0.9, 'unclear'),
      of('sense-fault', 0.6, 'refuted'),
    ];
    expect(hitRates(outcomes).map((r) => [r.verdict, r.share.hits, r.share.n])).toEqual([
      ['low-capacity', 14, 15],
      ['sense-fault', 0, 1],
    ]);
    expect(hitRates([])).toEqual([]);
  });

  it('calibration by hand: 0.6 said of four of which two held, 0.9 of ten of which all did', () => {
    const outcomes = [
      ...Array.from({ length: 4 }, (_, i) => of('a', 0.6, i < 2 ? 'confirmed' : 'refuted')),
      ...Array.from({ length: 10 }, () => of('b', 0.9, 'confirmed')),
      of('c', null, 'refuted'),
    ];
    const { bins, error } = calibration(outcomes);
    expect(bins.map((b) => [b.from, b.to, b.said, b.was.value, b.was.n])).toEqual([
      [0.5, 0.7, 0.6, 0.5, 4],
      [0.85, 0.95, expect.closeTo(0.9, 9), 1, 10],
    ]);
    // 4/14 · 0.1 + 10/14 · 0.1
    expect(error).toBeCloseTo(0.1, 9);
    expect(calibration([of('c', null, 'refuted')])).toEqual({ bins: [], error: null });
    // Wholly sure lies in the last bin.
    expect(calibration([of('a', 1, 'confirmed')]).bins[0]).toMatchObject({ from: 0.95, to: 1 });
  });

  it('forecasts are told by numpy’s quantiles of their ratios, and none of two', () => {
    const pairs = [
      [10, 12],
      [20, 19],
      [30, 45],
      [40, 44],
      [12, 30],
    ].map(([foretold, actual]) => ({ foretold: foretold!, actual: actual! }));
    const theirs = python(
      `import json,sys,numpy as np
p=json.load(sys.stdin)
print(json.dumps(list(np.quantile([x['actual']/x['foretold'] for x in p],[.5,.1,.9]))))`,
      pairs,
    ) as number[];
    const own = forecastOf(pairs)!;
    expect([own.ratio, own.low, own.high]).toEqual(theirs.map((v) => expect.closeTo(v, 12) as number));
    expect(forecastOf(pairs.slice(0, 2))).toBe(null);
    expect(forecastOf([...pairs.slice(0, 2), { foretold: 0, actual: 3 }])).toBe(null);
  });
});
