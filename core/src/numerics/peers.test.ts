import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { normalShareBelow } from '../insulation';
import { defaultOcvTable, factsOf, normalisePack, ocvCurve } from '../pack';
import { findCurrentDirection, type ScanRecord } from '../scan';
import { driveLegs, healthyPack, Random, simulateRecord } from '../simpack';
import { fitChannel } from '../diagnosis/channel/channelModel';
import { slopesOf } from '../diagnosis/channel/channelTerms';
import { hypothesesFor, OPEN } from '../diagnosis/channel/hypotheses';
import { accumulateColumns, solveSpd, spdInverseDiagonal } from './linearAlgebra';
import { observe } from '../diagnosis/channel/deviations';
import { added, type Direction, Evidence, opposed } from './marginalLikelihood';
import { SHAPE } from '../diagnosis/channel/parameters';
import { sampledCurve } from '../diagnosis/cell/sampledOcvCurve';
import { SCREENED, screened } from '../diagnosis/channel/screening';
import { median, medianAbsoluteDeviation, modifiedZScores } from './robustStatistics';

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

describe('the linear look at a channel', () => {
  const pack = normalisePack({
    name: 'twelve pairs',
    chemistry: 'nmc',
    ratedCapacityAh: 40,
    channels: Array.from({ length: 12 }, (_, i) => ({ id: `c${i + 1}`, cells: 2 })),
    modules: [{ id: 'M1', channels: Array.from({ length: 12 }, (_, i) => `c${i + 1}`) }],
    nominalGroupResistanceMilliohm: 1.5,
    ocv: defaultOcvTable('nmc'),
  });
  const random = new Random(33);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.8;
  sim.channels[4]!.ohmicRatio = 1.6;
  const observed = observe(simulateRecord(sim, driveLegs(random, 25, 4, 30), random), pack);
  const slopes = slopesOf(observed);
  const channel = observed.channels[4]!;
  const { healthy } = factsOf('nmc');
  const { columns, info, rhs } = screened(observed, slopes, channel, 2);
  const data = {
    columns: Array.from({ length: SCREENED }, (_, j) => [
      ...columns.subarray(j * channel.at.length, (j + 1) * channel.at.length),
    ]),
    y: [...channel.deviationV],
    count: [...channel.count],
  };
  const weight = 1 / (0.001 ** 2 * 1.5);
  const priorOf = (free: Partial<Record<string, number>>, slow: number): number[] => [
    free.soc ?? healthy.socFraction,
    free.capacity ?? healthy.capacity,
    free.ohmic ?? healthy.resistance,
    free.slow ?? slow,
    free.leak ?? healthy.leakPerDay,
    free.offset ?? healthy.offsetV,
    free.slip ?? healthy.slip,
    free.stretch ?? healthy.stretch,
    ...Array.from({ length: SCREENED - SHAPE }, () => 2 * healthy.shapeV),
  ];

  it('agrees with numpy.linalg.lstsq, whatever hangs together in the explanation', () => {
    const level = 1 - observed.trajectory.socFraction[0]!;
    const chosen = [OPEN, ...hypothesesFor('nmc').map((h) => h.hypothesis)].filter(
      (h) => !h.positive || h.name === 'joint' || h.levelAt === 'full',
    );
    expect(chosen.length).toBeGreaterThan(4);
    for (const h of chosen) {
      const slow = h.tied ? healthy.slow : Math.hypot(healthy.resistance, healthy.slow);
      const ours = fitChannel(observed, slopes, channel, 2, healthy, h, 0.001, 1.5, 1);
      const theirs = python<{ x: number[]; sd: number[]; cost: number }>(
        `A = np.array(x['columns']).T
if not x['tied']: A[:, 2] -= A[:, 3]
A[:, 1] -= x['level'] * A[:, 0]
w = np.sqrt(np.array(x['count']) * x['weight']); p = np.array(x['prior'])
B = np.vstack([w[:, None] * A, np.diag(1 / p)]); b = np.concatenate([w * np.array(x['y']), np.zeros(len(p))])
t = np.linalg.lstsq(B, b, rcond=None)[0]
print(json.dumps({'x': list(t), 'sd': list(np.sqrt(np.diag(np.linalg.pinv(B.T @ B)))), 'cost': float(np.sum((b - B @ t) ** 2))}))`,
        {
          ...data,
          tied: h.tied,
          level: h.levelAt === 'full' ? level : 0,
          weight,
          prior: priorOf(h.free, slow),
        },
      );
      theirs.x.forEach((v, j) => {
        expect(ours.theta[j]! / theirs.sd[j]!, `${h.name} ${j}`).toBeCloseTo(v / theirs.sd[j]!, 5);
        expect(ours.sd[j]! / theirs.sd[j]!, `${h.name} ${j}`).toBeCloseTo(1, 5);
      });
      if (!h.positive || theirs.x[h.positive === 'ohmic' ? 2 : 1]! > 0)
        expect(ours.chiSquare, h.name).toBeCloseTo(theirs.cost, 5);
      else expect(ours.chiSquare).toBe(Infinity);
    }
  });

  it('weighs healthy differences as scipy.stats.multivariate_normal does, changed one after another', () => {
    const usual = priorOf({}, healthy.slow);
    const sums = { info: info.map((v) => weight * v), rhs: rhs.map((v) => weight * v) };
    const shapes = Array.from({ length: SCREENED - SHAPE }, (_, j) => SHAPE + j);
    const steps: [number[], number[]][] = [
      [[0], [3 * usual[0]!]],
      [[2], [usual[2]! / 3]],
      [shapes, shapes.map((j) => 5 * usual[j]!)],
      [[1], [2 * usual[1]!]],
    ];
    const evidence = new Evidence(sums, usual);
    const before = evidence.now;
    const ours: number[] = [];
    const priors: number[][] = [usual];
    for (const [of, to] of steps) {
      ours.push(evidence.under(of, to).now - before);
      evidence.set(of, to);
      expect(evidence.now - before).toBeCloseTo(ours.at(-1)!, 9);
      priors.push(priors.at(-1)!.map((p, j) => to[of.indexOf(j)] ?? p));
    }
    const theirs = python<number[]>(
      `from scipy.stats import multivariate_normal as mn
A = np.array(x['columns']).T; R = np.diag(1 / (np.array(x['count']) * x['weight']))
f = lambda p: mn.logpdf(x['y'], np.zeros(len(R)), R + A @ np.diag(np.array(p) ** 2) @ A.T)
print(json.dumps([float(f(p) - f(x['priors'][0])) for p in x['priors'][1:]]))`,
      { ...data, weight, priors },
    );
    ours.forEach((v, i) => expect(v, String(i)).toBeCloseTo(theirs[i]!, 4));
  });

  it('weighs one thing that is wrong, and one wire for two channels, as scipy.stats.multivariate_normal does', () => {
    const usual = priorOf({}, healthy.slow);
    const directions: [number, number][][] = [
      [[0, 1]],
      [[1, 1]],
      [[5, 1]],
      [[6, 1]],
      [
        [2, 1],
        [3, -1],
      ],
    ];
    const along = (of: [number, number][]): Direction => ({
      at: of.map(([j]) => j),
      units: of.map(([, u]) => u),
    });
    const two = [4, 5].map((c) => {
      const seen = observed.channels[c]!;
      const sums = screened(observed, slopes, seen, 2);
      const weighed = { info: sums.info.map((v) => weight * v), rhs: sums.rhs.map((v) => weight * v) };
      // The short way, by what is asked alone, and the long one.
      const known = new Evidence(weighed, usual, directions.map(along)).under([1], [3 * usual[1]!]);
      const whole = new Evidence(weighed, usual);
      expect(known.now).toBeCloseTo(whole.under([1], [3 * usual[1]!]).now, 9);
      expect(whole.nowUnder([1], [3 * usual[1]!])).toBeCloseTo(known.now, 9);
      const n = seen.at.length;
      return {
        known,
        data: {
          columns: Array.from({ length: SCREENED }, (_, j) => [...sums.columns.subarray(j * n, (j + 1) * n)]),
          y: [...seen.deviationV],
          count: [...seen.count],
        },
      };
    });
    const [a, b] = [two[0]!.known, two[1]!.known];
    const ours = directions.flatMap((of) => [
      added(a, along(of), 0.15),
      opposed(a, b, along(of), 0.15),
      opposed(b, a, along(of), 0.15),
    ]);
    const theirs = python<number[]>(
      `from scipy.stats import multivariate_normal as mn
from scipy.linalg import block_diag
p = np.array(x['prior'])
def cov(d, q):
    A = np.array(d['columns']).T
    return np.diag(1 / (np.array(d['count']) * x['weight'])) + A @ np.diag(q ** 2) @ A.T
ya, yb = (np.array(d['y']) for d in x['two']); ca, cb = (cov(d, p) for d in x['two'])
f = lambda y, c: mn.logpdf(y, np.zeros(len(y)), c)
both = block_diag(ca, cb); y = np.concatenate([ya, yb]); out = []
for of in x['directions']:
    along = [sum(u * np.array(d['columns'][int(j)]) for j, u in of) for d in x['two']]
    out.append(f(ya, ca + .15 ** 2 * np.outer(along[0], along[0])) - f(ya, ca))
    wire = np.concatenate([along[0], -along[1]])
    out += [f(y, both + .15 ** 2 * np.outer(wire, wire)) - f(y, both)] * 2
print(json.dumps([float(v) for v in out]))`,
      { two: two.map((t) => t.data), weight, directions, prior: usual.map((v, j) => (j === 1 ? 3 * v : v)) },
    );
    ours.forEach((v, i) => expect(v, String(i)).toBeCloseTo(theirs[i]!, 4));
  });

  it('looks volts up on the mean of half a percent to either side, as scipy.integrate.quad takes it', () => {
    const table = defaultOcvTable('lfp');
    const { volt, slope } = sampledCurve(ocvCurve(table));
    const at = [0.02, 0.1003, 0.25, 0.6149, 0.949, 0.98];
    const theirs = python<number[]>(
      `from scipy.integrate import quad
s, v = np.array(x['table']).T
print(json.dumps([quad(lambda t: np.interp(t, s, v), a - .005, a + .005, points=[p for p in s if abs(p - a) < .005] or None, limit=200)[0] / .01 for a in x['at']]))`,
      { table, at },
    );
    at.forEach((s, i) => {
      const k = s * 4096;
      const j = Math.floor(k);
      expect(volt[j]! + (k - j) * (volt[j + 1]! - volt[j]!), String(s)).toBeCloseTo(theirs[i]!, 5);
    });
    // From one end of that stretch to the other.
    const curve = ocvCurve(table);
    expect(slope[2048]!).toBeCloseTo((curve.voltageAt(0.505) - curve.voltageAt(0.495)) / 0.01, 4);
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
