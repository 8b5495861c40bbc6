import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { normalShareBelow } from '../insulation';
import { defaultOcvTable, ocvCurve } from '../pack';
import { findCurrentDirection, type ScanRecord } from '../scan';
import { Random } from '../simpack';
import { accumulateColumns, solveSpd, spdInverseDiagonal } from './linear';
import { median, medianAbsoluteDeviation, modifiedZScores } from './statistics';

/** Runs Debian's Python with numpy and scipy: the same problem solved by somebody else. */
function python<T>(code: string, input: unknown): T {
  const run = spawnSync(
    '/usr/bin/python3',
    ['-c', `import json, sys, numpy as np, scipy\nx = json.load(sys.stdin)\n${code}`],
    {
      input: JSON.stringify(input),
      encoding: 'utf8',
      maxBuffer: 1 << 26,
    },
  );
  if (run.status !== 0) throw new Error(run.stderr);
  return JSON.parse(run.stdout) as T;
}

describe('weighted least squares with priors', () => {
  it('agrees with scipy.optimize.least_squares, estimates and standard deviations alike', () => {
    const random = new Random(71);
    for (let k = 0; k < 6; k++) {
      const rows = 40 + 30 * k;
      const parameters = 3 + k;
      const columns = Array.from({ length: parameters }, () =>
        Array.from({ length: rows }, () => random.normal(1, 9)),
      );
      const truth = columns.map(() => random.normal(0.02, 9));
      const count = Array.from({ length: rows }, () => random.integer(1, 20));
      const y = Array.from(
        { length: rows },
        (_, r) => columns.reduce((s, c, j) => s + c[r]! * truth[j]!, 0) + random.normal(0.001, 9),
      );
      const priorSd = truth.map(() => random.uniform(0.005, 0.05));
      const weight = 1 / 0.001 ** 2;
      const info = new Float64Array(parameters ** 2);
      const rhs = new Float64Array(parameters);
      priorSd.forEach((sd, j) => (info[j * parameters + j] = 1 / sd ** 2));
      accumulateColumns(
        info,
        rhs,
        Float64Array.from(columns.flat()),
        Float64Array.from(y),
        Float64Array.from(count),
        weight,
      );
      const ours = solveSpd(info, rhs);
      const sd = spdInverseDiagonal(info).map(Math.sqrt);
      const theirs = python<{ x: number[]; sd: number[] }>(
        `from scipy.optimize import least_squares
A = np.array(x['columns']).T; w = np.sqrt(np.array(x['count']) * x['weight']); p = np.array(x['priorSd'])
f = lambda t: np.concatenate([w * (np.array(x['y']) - A @ t), t / p])
r = least_squares(f, np.zeros(A.shape[1]), xtol=1e-14, ftol=1e-14, gtol=1e-14)
print(json.dumps({'x': list(r.x), 'sd': list(np.sqrt(np.diag(np.linalg.inv(r.jac.T @ r.jac))))}))`,
        { columns, y, count, weight, priorSd },
      );
      theirs.x.forEach((v, j) => expect(ours[j]).toBeCloseTo(v, 7));
      theirs.sd.forEach((v, j) => expect(sd[j]! / v).toBeCloseTo(1, 6));
    }
  });

  it('agrees with scipy.linalg on badly scaled systems', () => {
    const random = new Random(72);
    const n = 9;
    const rows = 30;
    const columns = Float64Array.from(
      { length: n * rows },
      (_, i) => random.normal(1, 9) * 10 ** (Math.floor(i / rows) - 4),
    );
    const info = new Float64Array(n * n);
    const rhs = new Float64Array(n);
    accumulateColumns(
      info,
      rhs,
      columns,
      Float64Array.from({ length: rows }, () => random.normal(1, 9)),
      new Float64Array(rows).fill(1),
      1,
    );
    const ours = solveSpd(info, rhs);
    const theirs = python<number[]>(
      `from scipy.linalg import cho_factor, cho_solve
print(json.dumps(list(cho_solve(cho_factor(np.array(x['a']).reshape(9, 9)), np.array(x['b'])))))`,
      { a: [...info], b: [...rhs] },
    );
    theirs.forEach((v, j) => expect(ours[j]! / v).toBeCloseTo(1, 5));
  });
});

describe('robust statistics', () => {
  it('agree with numpy and scipy.stats on samples of every length', () => {
    const random = new Random(73);
    const samples = Array.from({ length: 30 }, (_, i) =>
      Array.from({ length: i + 1 }, () => Math.round(random.normal(20, 9))),
    );
    const theirs = python<{ median: number; mad: number; z: number[] }[]>(
      `from scipy.stats import median_abs_deviation
out = []
for s in x:
    m = float(np.median(s)); d = float(median_abs_deviation(s)); out.append({'median': m, 'mad': d, 'z': [0.6745 * (v - m) / max(d, 0.5) for v in s]})
print(json.dumps(out))`,
      samples,
    );
    samples.forEach((s, i) => {
      expect(median(s)).toBeCloseTo(theirs[i]!.median, 12);
      expect(medianAbsoluteDeviation(s)).toBeCloseTo(theirs[i]!.mad, 12);
      modifiedZScores(s, 0.5).forEach((z, j) => expect(z).toBeCloseTo(theirs[i]!.z[j]!, 10));
    });
  });

  it('the normal distribution is that of scipy.stats.norm', () => {
    const z = Array.from({ length: 161 }, (_, i) => (i - 80) / 10);
    const theirs = python<number[]>('from scipy.stats import norm\nprint(json.dumps(list(norm.cdf(x))))', z);
    z.forEach((v, i) => expect(Math.abs(normalShareBelow(v) - theirs[i]!)).toBeLessThan(1e-7));
  });
});

describe('the open-circuit curve', () => {
  it.each(['nmc', 'lfp', 'nimh'] as const)('of %s is interpolated as numpy does, both ways', (chemistry) => {
    const table = defaultOcvTable(chemistry);
    const curve = ocvCurve(table);
    const soc = Array.from({ length: 400 }, (_, i) => -0.05 + (1.1 * i) / 399);
    const volts = Array.from(
      { length: 400 },
      (_, i) => curve.minV - 0.1 + ((curve.maxV - curve.minV + 0.2) * i) / 399,
    );
    const theirs = python<{ v: number[]; s: number[] }>(
      `t = np.array(x['table'])
print(json.dumps({'v': list(np.interp(x['soc'], t[:,0], t[:,1])), 's': list(np.interp(x['volts'], t[:,1], t[:,0]))}))`,
      { table, soc, volts },
    );
    soc.forEach((s, i) => expect(curve.voltageAt(s)).toBeCloseTo(theirs.v[i]!, 10));
    volts.forEach((v, i) => expect(curve.socAt(v)).toBeCloseTo(theirs.s[i]!, 8));
  });
});

it('the direction of the current is the sign of scipy.stats.linregress', () => {
  const random = new Random(74);
  const timeS = Float64Array.from({ length: 300 }, (_, i) => i);
  const current = Float64Array.from(timeS, () => random.uniform(-80, 80));
  for (const sign of [1, -1]) {
    const volts = Float64Array.from(current, (i) => 3.7 - 0.0012 * i * sign + random.normal(0.001));
    const record: ScanRecord = {
      channelIds: ['ch1'],
      voltageV: [{ timeS, value: volts }],
      currentA: { timeS, value: current },
      temperatureC: null,
      reportedSocFraction: null,
      simultaneous: true,
      notices: [],
    };
    const slope = python<number>(
      'from scipy.stats import linregress\nprint(json.dumps(linregress(np.diff(x[0]), np.diff(x[1])).slope))',
      [[...current], [...volts]],
    );
    const found = findCurrentDirection(record);
    expect(found.positive).toBe(slope < 0 ? 'discharge' : 'charge');
    expect(found.slopeMilliohm / (-1000 * slope)).toBeCloseTo(1, 1);
  }
});
