import * as ss from 'simple-statistics';
import { describe, expect, it } from 'vitest';
import { median, medianAbsoluteDeviation, MODIFIED_Z_LIMIT, modifiedZScores } from '../diagnosis';
import { Random } from '../simpack';
import { ranked } from './robustStatistics';

describe('robust statistics', () => {
  it('agree with an independent library on random samples', () => {
    const random = new Random(3);
    for (let n = 1; n < 60; n++) {
      const sample = Array.from({ length: n }, () => random.normal(5, 4) + random.integer(0, 2));
      expect(median(sample)).toBeCloseTo(ss.median(sample), 12);
      expect(medianAbsoluteDeviation(sample)).toBeCloseTo(ss.medianAbsoluteDeviation(sample), 12);
    }
  });

  it('have any rank as sorting has it, of ties, of what is in order already and of what was never read', () => {
    const random = new Random(4);
    const samples = Array.from({ length: 40 }, (_, n) =>
      Array.from({ length: 1 + 9 * n }, () => (random.integer(0, 9) === 0 ? NaN : random.integer(0, 30))),
    );
    samples.push([...Array(600).keys()], [...Array(600).keys()].reverse(), Array<number>(300).fill(7));
    for (const sample of samples) {
      // A typed array sorts by value, NaN last.
      const sorted = Float64Array.from(sample).sort();
      for (const k of [0, sample.length >> 2, sample.length >> 1, sample.length - 1])
        expect(ranked(sample, k), `${k} of ${sample.length}`).toBe(sorted[k]);
    }
    expect(median([])).toBeNaN();
  });

  it('follow the rule of the NIST/SEMATECH e-Handbook, 1.3.5.17', () => {
    // M_i = 0.6745 (x_i − median) / MAD, outlier beyond 3.5 (Iglewicz and Hoaglin 1993).
    const x = [1, 1, 2, 2, 4, 6, 9];
    const m = modifiedZScores(x);
    expect(m[6]).toBeCloseTo((0.6745 * (9 - 2)) / 1, 10);
    expect(x.filter((_, i) => Math.abs(m[i]!) > MODIFIED_Z_LIMIT)).toEqual([9]);
  });

  it('flag nothing in an even pack when the sensor step is the floor', () => {
    const even = [3.98, 3.98, 3.98, 3.98, 3.981, 3.979];
    expect(modifiedZScores(even, 0.001).every((z) => Math.abs(z) < MODIFIED_Z_LIMIT)).toBe(true);
    expect(modifiedZScores(even).some((z) => Math.abs(z) > MODIFIED_Z_LIMIT)).toBe(true);
  });
});
