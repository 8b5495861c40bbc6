import * as ss from 'simple-statistics';
import { describe, expect, it } from 'vitest';
import { Random } from '../simpack';
import { accumulate, SingularMatrix, solveSpd, spdInverseDiagonal } from './linearAlgebra';

/** Ordinary least squares through the normal equations of this module. */
function leastSquares(rows: number[][], y: number[]): number[] {
  const n = rows[0]!.length;
  const info = new Float64Array(n * n);
  const rhs = new Float64Array(n);
  rows.forEach((r, i) => accumulate(info, rhs, r, y[i]!, 1));
  return [...solveSpd(info, rhs)];
}

describe('least squares', () => {
  it('agrees with an independent library on straight lines', () => {
    const random = new Random(4);
    for (let n = 0; n < 20; n++) {
      const points = Array.from(
        { length: 12 },
        () => [random.uniform(-5, 5), random.normal(3, 5)] as [number, number],
      );
      const { m, b } = ss.linearRegression(points);
      const [intercept, slope] = leastSquares(
        points.map(([x]) => [1, x]),
        points.map(([, y]) => y),
      );
      expect(slope).toBeCloseTo(m, 9);
      expect(intercept).toBeCloseTo(b, 9);
    }
  });

  it('gives the certified values of the NIST Norris data set', () => {
    // NIST Statistical Reference Datasets, Linear Regression, Norris: B0 = -0.262323073774029, B1 = 1.00211681802045.
    // The data are typed from memory of that set.
    const norris: [number, number][] = [
      [0.1, 0.2],
      [338.8, 337.4],
      [118.1, 118.2],
      [888.0, 884.6],
      [9.2, 10.1],
      [228.1, 226.5],
      [668.5, 666.3],
      [998.5, 996.3],
      [449.1, 448.6],
      [778.9, 777.0],
      [559.2, 558.2],
      [0.3, 0.4],
      [0.1, 0.6],
      [778.1, 775.5],
      [668.8, 666.9],
      [339.3, 338.0],
      [448.9, 447.5],
      [10.8, 11.6],
      [557.7, 556.0],
      [228.3, 228.1],
      [998.0, 995.8],
      [888.8, 887.6],
      [119.6, 120.2],
      [0.3, 0.3],
      [0.6, 0.3],
      [557.6, 556.8],
      [339.3, 339.1],
      [888.0, 887.2],
      [998.5, 999.0],
      [778.9, 779.0],
      [10.2, 11.1],
      [117.6, 118.3],
      [228.9, 229.2],
      [668.4, 669.1],
      [449.2, 448.9],
      [0.2, 0.5],
    ];
    const [b0, b1] = leastSquares(
      norris.map(([, x]) => [1, x]),
      norris.map(([y]) => y),
    );
    expect(b0).toBeCloseTo(-0.262323073774029, 8);
    expect(b1).toBeCloseTo(1.00211681802045, 10);
  });

  it('tells variances as the diagonal of the inverse, and refuses a singular system', () => {
    const a = Float64Array.from([4, 2, 2, 3]);
    const x = solveSpd(a, Float64Array.from([2, 1]));
    const inverseDiagonal = spdInverseDiagonal(a);
    expect([...x].map((v) => +v.toFixed(12))).toEqual([0.5, 0]);
    expect(inverseDiagonal[0]).toBeCloseTo(3 / 8, 12);
    expect(inverseDiagonal[1]).toBeCloseTo(4 / 8, 12);
    expect(() => solveSpd(Float64Array.from([1, 1, 1, 1]), Float64Array.from([1, 1]))).toThrow(
      SingularMatrix,
    );
  });
});
