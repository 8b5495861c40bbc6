import { execFileSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import {
  joinMemories,
  leakStrength,
  memoryOf,
  placeStrength,
  placeWeights,
  staying,
  waysWith,
  wayStrength,
  withPlaces,
  withVerdicts,
  type ModelMemory,
} from '.';
import { Random } from '../simpack';

const python = (code: string, input: unknown): unknown =>
  JSON.parse(
    execFileSync('/usr/bin/python3', ['-c', code], { input: JSON.stringify(input), encoding: 'utf8' }),
  );
const model = (more: Partial<ModelMemory> = {}): ModelMemory => ({
  model: 'Quay lorry',
  chemistry: 'nmc',
  modules: 12,
  jobs: 0,
  places: {},
  leaks: {},
  ways: {},
  waysKnown: 0,
  donors: {},
  verdicts: {},
  healthy: { n: 0, nearFullMv: null, nearEmptyMv: null },
  ...more,
});

describe('what a workshop remembers', () => {
  it('finds the strength that scipy’s optimiser finds for the same counts', () => {
    const models = [
      model({ places: { M06: 9, M07: 4, M01: 1 } }),
      model({ modules: 16, places: { M01: 2, M09: 3, M16: 2 } }),
      model({ modules: 28, places: { S10: 6, S11: 5, S12: 1, S03: 1 } }),
    ];
    const theirs = python(
      `import json,sys
from scipy.special import gammaln
from scipy.optimize import minimize_scalar
import numpy as np
ms = json.load(sys.stdin)
def ll(ls):
    s = np.exp(ls); t = 0
    for m in ms:
        c = np.array(list(m['places'].values())); a = s / m['modules']; n = c.sum()
        t += gammaln(s) - gammaln(n + s) + (gammaln(c + a) - gammaln(a)).sum()
    return -t
print(json.dumps(float(np.exp(minimize_scalar(ll, bounds=(np.log(.5), np.log(2000)), method='bounded', options={'xatol':1e-10}).x))))`,
      models,
    ) as number;
    expect(placeStrength(models)).toBeCloseTo(theirs, 3);
  });

  it('learns a place that really fails more often, and nothing where none does', () => {
    const random = new Random(3);
    const drawn = (weights: number[]): ModelMemory => {
      const places: Record<string, number> = {};
      for (let i = 0; i < 60; i++) {
        let u = random.uniform(0, 1);
        const k = Math.max(
          0,
          weights.findIndex((w) => (u -= w) <= 0),
        );
        places[`M${k}`] = (places[`M${k}`] ?? 0) + 1;
      }
      return model({ places, modules: weights.length });
    };
    const even = Array.from({ length: 12 }, () => 1 / 12);
    const odd = even.map((_, k) => (k === 6 ? 0.45 : 0.55 / 11));
    const names = even.map((_, k) => `M${k}`);
    const evens = Array.from({ length: 6 }, () => drawn(even));
    expect(placeStrength(evens)).toBeGreaterThan(150);
    const flat = placeWeights(evens[0]!, names, placeStrength(evens));
    expect(Math.max(...flat)).toBeLessThan(1.6 / 12);
    const odds = Array.from({ length: 6 }, () => drawn(odd));
    const weights = placeWeights(odds[0]!, names, placeStrength(odds));
    expect(weights[6]).toBeGreaterThan(0.3);
    expect(weights.reduce((s, w) => s + w, 0)).toBeCloseTo(1, 12);
  });

  it('weighs places into a belief by Bayes’ rule, and never wipes out what the data say', () => {
    // By hand: 0.6·0.2 against 0.4·0.8.
    expect(withPlaces([0.6, 0.4], [0.2, 0.8])).toEqual([
      expect.closeTo(0.12 / 0.44, 12),
      expect.closeTo(0.32 / 0.44, 12),
    ]);
    expect(withPlaces([0.6, 0.4], [0.5, 0.5])).toEqual([expect.closeTo(0.6, 12), expect.closeTo(0.4, 12)]);
    // A place that never failed here, out of three hundred that did elsewhere, is still found by plain data.
    const never = placeWeights({ places: { M02: 300 } }, ['M01', 'M02'], 4);
    expect(withPlaces([0.9999, 0.0001], never)[0]).toBeGreaterThan(0.95);
    expect(placeWeights(null, ['a', 'b', 'c', 'd'], 10)).toEqual([0.25, 0.25, 0.25, 0.25]);
  });

  it('moves a verdict by what became of its like, as scipy’s beta posterior has it; none leaves it', () => {
    const memory = model({ verdicts: { 'low-capacity': { confirmed: 3, refuted: 9 } } });
    const [mean] = python(
      `import json,sys
from scipy.stats import beta
c,k,r,s = json.load(sys.stdin)
print(json.dumps([float(beta(s*c+k, s*(1-c)+r).mean())]))`,
      [0.9, 3, 9, 20],
    ) as [number];
    expect(withVerdicts(0.9, memory, 'low-capacity')).toMatchObject({
      value: expect.closeTo(mean, 9),
      here: { hits: 3, n: 12 },
    });
    expect(withVerdicts(0.9, memory, 'imbalance')).toEqual({ value: expect.closeTo(0.9, 12), here: null });
    expect(withVerdicts(0.9, null, 'imbalance').value).toBeCloseTo(0.9, 12);
  });

  it('joins what several workshops counted, a pack model at a time; a pack of other modules is another', () => {
    const a = model({
      jobs: 3,
      places: { M01: 1 },
      verdicts: { dead: { confirmed: 1, refuted: 0 } },
      leaks: { M01: 1 },
      ways: { V1: 2 },
      waysKnown: 3,
      donors: { R2: { fitted: 4, replaced: 1 } },
      healthy: { n: 1, nearFullMv: 8, nearEmptyMv: null },
    });
    const b = model({
      model: ' quay Lorry',
      jobs: 5,
      places: { M01: 2, M02: 1 },
      verdicts: { dead: { confirmed: 1, refuted: 2 } },
      leaks: { M01: 1, M05: 1 },
      ways: { V1: 1, F3: 1 },
      waysKnown: 4,
      donors: { R2: { fitted: 2, replaced: 0 }, R1: { fitted: 1, replaced: 1 } },
      healthy: { n: 3, nearFullMv: 12, nearEmptyMv: 20 },
    });
    const other = model({ modules: 16, jobs: 7 });
    const joined = joinMemories([[a], [b, other]]);
    expect(joined).toHaveLength(2);
    expect(memoryOf(joined, a)).toMatchObject({
      jobs: 8,
      places: { M01: 3, M02: 1 },
      leaks: { M01: 2, M05: 1 },
      ways: { V1: 3, F3: 1 },
      waysKnown: 4,
      donors: { R2: { fitted: 6, replaced: 1 }, R1: { fitted: 1, replaced: 1 } },
      verdicts: { dead: { confirmed: 2, refuted: 2 } },
      healthy: { n: 4, nearFullMv: 11, nearEmptyMv: 20 },
    });
    expect(memoryOf(joined, { ...a, chemistry: 'lfp' })).toBeNull();
    // What was given stays as it was.
    expect([a.places, a.donors]).toEqual([{ M01: 1 }, { R2: { fitted: 4, replaced: 1 } }]);
    // Five of six, by Wilson's interval as the standard tables have it (0.436 to 0.970).
    const stayed = staying(memoryOf(joined, a), ' r2 ')!;
    expect(stayed).toMatchObject({
      hits: 5,
      n: 6,
      low: expect.closeTo(0.4365, 4),
      high: expect.closeTo(0.9699, 4),
    });
    expect([staying(memoryOf(joined, a), ''), staying(null, 'R2'), staying(a, 'R9')]).toEqual([
      null,
      null,
      null,
    ]);
  });

  it('tells known ways in apart by where it came in before, and leaves what is open open', () => {
    // By hand: 0.4·0.75 against 0.4·0.25, of the 0.8 that the known ways have.
    expect(waysWith([0.4, 0.4], [0.75, 0.25])).toEqual([expect.closeTo(0.6, 12), expect.closeTo(0.2, 12)]);
    expect(waysWith([0.5, 0.3], [0.5, 0.5])).toEqual([expect.closeTo(0.5, 12), expect.closeTo(0.3, 12)]);
    expect(waysWith([], [])).toEqual([]);
    expect(waysWith([0.5, 0.3], [0, 0])).toEqual([0.5, 0.3]);
    // One way that always lets it in is learnt from a few packs, and no other is ruled out by them: (6 + 1) of (6 + 4), by hand.
    const always = [model({ waysKnown: 4, ways: { V1: 6 } }), model({ model: 'other', ways: { V9: 5 } })];
    const ranked = placeWeights({ places: always[0]!.ways }, ['V1', 'V2', 'F3', 'K1'], wayStrength(always));
    expect(ranked).toEqual([0.7, 0.1, 0.1, 0.1].map((w) => expect.closeTo(w, 12) as number));
    expect(wayStrength([always[1]!])).toBe(wayStrength([]));
    expect(leakStrength([model({ leaks: { M06: 5 } })])).toBe(placeStrength([model({ places: { M06: 5 } })]));
  });
});
