import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { compareOptions, type OptionAsk, type Span } from './options';

const span = (low: number, likely: number, high: number): Span => ({ low, likely, high });
const option = (name: string, more: Partial<OptionAsk> = {}): OptionAsk => ({
  name,
  cost: span(800, 1200, 2200),
  rangeKm: span(90, 110, 120),
  yearsLeft: span(2, 4, 7),
  comebackProbability: 0.15,
  comebackCost: span(300, 500, 900),
  ...more,
});
const ask = (options: OptionAsk[], draws = 200_000, seed = 7) => ({
  horizonYears: 5,
  distanceKmPerYear: 12_000,
  currency: '€',
  draws,
  seed,
  options,
});

describe('choices compared', () => {
  it('give the quantiles that scipy.stats gives for the same draws of another generator', () => {
    const mine = compareOptions(ask([option('modules')])).options[0]!;
    const [p10, p50, p90] = JSON.parse(
      execFileSync(
        'python3',
        [
          '-c',
          `
import json
import numpy as np
from scipy.stats import triang
g = np.random.default_rng(3); n = 400000
t = lambda l, m, h: triang.rvs((m - l) / (h - l), loc=l, scale=h - l, size=n, random_state=g)
cost = t(800, 1200, 2200) + (g.random(n) < 0.15) * t(300, 500, 900)
print(json.dumps(list(np.quantile(cost / np.minimum(5, t(2, 4, 7)), [.1, .5, .9]))))`,
        ],
        { encoding: 'utf8' },
      ),
    ) as number[];
    expect(mine.costPerYear.p10 / p10!).toBeCloseTo(1, 2);
    expect(mine.costPerYear.p50 / p50!).toBeCloseTo(1, 2);
    expect(mine.costPerYear.p90 / p90!).toBeCloseTo(1, 2);
    expect(mine.costPer1000Km.p50).toBeCloseTo(mine.costPerYear.p50 / 12, 9);
  });
  it('the same seed gives the same figures; chances add up; the certain winner wins always', () => {
    const a = compareOptions(
      ask([option('a'), option('b'), option('c', { cost: span(900, 900, 900) })], 20_000),
    );
    expect(
      compareOptions(ask([option('a'), option('b'), option('c', { cost: span(900, 900, 900) })], 20_000)),
    ).toEqual(a);
    expect(a.options.reduce((s, o) => s + o.chanceCheapest, 0)).toBeCloseTo(1, 9);
    const sure = compareOptions(
      ask([option('dear'), option('cheap', { cost: span(1, 2, 3), comebackProbability: 0 })], 5000),
    );
    expect(sure.options[1]!.chanceCheapest).toBe(1);
  });
});
