import { expect, it } from 'vitest';
import { minimise, type LeastSquares } from './levenbergMarquardt';

/** A model y(x; b) with its derivatives, as a sum of squares of whitened residuals. */
function problem(
  x: readonly number[],
  y: readonly number[],
  sd: number,
  model: (x: number, b: Float64Array) => { y: number; by: number[] },
): LeastSquares {
  return {
    cost: (b) => x.reduce((s, v, i) => s + ((y[i]! - model(v, b).y) / sd) ** 2, 0),
    normal: (b, info, rhs) => {
      info.fill(0);
      rhs.fill(0);
      const n = b.length;
      x.forEach((v, i) => {
        const m = model(v, b);
        for (let p = 0; p < n; p++) {
          rhs[p]! += (m.by[p]! * (y[i]! - m.y)) / sd ** 2;
          for (let q = 0; q < n; q++) info[p * n + q]! += (m.by[p]! * m.by[q]!) / sd ** 2;
        }
      });
    },
  };
}

// NIST Statistical Reference Datasets, nonlinear regression, Misra1a: data and certified values from memory.
it('finds the certified values of NIST’s Misra1a from either start', () => {
  const y = [10.07, 14.73, 17.94, 23.93, 29.61, 35.18, 40.02, 44.82, 50.76, 55.05, 61.01, 66.4, 75.47, 81.78];
  const x = [77.6, 114.9, 141.1, 190.8, 239.9, 289.0, 332.8, 378.4, 434.8, 477.3, 536.8, 593.1, 689.1, 760.0];
  // Weighed so that the sum is large against the last step that counts.
  const sd = 1e-3;
  const misra = problem(x, y, sd, (v, b) => ({
    y: b[0]! * (1 - Math.exp(-b[1]! * v)),
    by: [1 - Math.exp(-b[1]! * v), b[0]! * v * Math.exp(-b[1]! * v)],
  }));
  for (const start of [
    [500, 0.0001],
    [250, 0.0005],
  ]) {
    const b = Float64Array.from(start);
    const { cost } = minimise(misra, b, { steps: 200, damping: 1e-3 });
    expect(b[0]).toBeCloseTo(238.94212918, 3);
    expect(b[1]).toBeCloseTo(5.5015643181e-4, 9);
    expect(cost * sd ** 2).toBeCloseTo(0.12455138894, 7);
  }
});

it('solves a linear problem in one step, and gives up on a start that stays hopeless', () => {
  const line = problem([0, 1, 2, 3], [1, 3, 5, 7], 1, (v, b) => ({ y: b[0]! + b[1]! * v, by: [1, v] }));
  const b = new Float64Array(2);
  expect(minimise(line, b, { steps: 1, damping: 0 }).cost).toBeCloseTo(0, 12);
  expect([...b]).toEqual([expect.closeTo(1, 10), expect.closeTo(2, 10)]);
  let looks = 0;
  const stubborn: LeastSquares = {
    cost: (t) => 1e4 - (looks++, 0) - t[0]!,
    normal: (_t, info, rhs) => {
      info[0] = 1;
      rhs[0] = 1;
    },
  };
  minimise(stubborn, new Float64Array(1), { steps: 100, damping: 1e-3, hopelessAbove: 100 });
  expect(looks).toBeLessThan(12);
});

it('leaves a way down only where it ends in the valley that is known, not in another one as deep', () => {
  // Two residuals, 3(b² − 1) and 0.3(b − 1): none are left at 1, and a little near −1.
  const looks = { count: 0 };
  const valleys: LeastSquares = {
    cost: (t) => {
      looks.count++;
      const [b] = t as unknown as [number];
      return 9 * (b * b - 1) ** 2 + 0.09 * (b - 1) ** 2;
    },
    normal: (t, info, rhs) => {
      const [b] = t as unknown as [number];
      info[0] = 36 * b * b + 0.09;
      rhs[0] = -18 * (b * b - 1) * b - 0.09 * (b - 1);
    },
  };
  const from = (start: number, known?: { theta: Float64Array; cost: number }) => {
    looks.count = 0;
    const theta = Float64Array.of(start);
    const { cost } = minimise(valleys, theta, { steps: 40, damping: 1e-3, known });
    return { theta, cost, looks: looks.count };
  };
  const left = from(-0.9);
  expect(left.cost).toBeGreaterThan(0.3);
  // Past the same height on the other side, down to its own end.
  for (const start of [1.3, 1.2, 1.1, 1.05]) expect(from(start, left).cost).toBeLessThan(0.01);
  const again = from(-1.6, left);
  expect(again.cost).toBeGreaterThanOrEqual(left.cost);
  expect(again.looks).toBeLessThan(from(-1.6).looks);
});
