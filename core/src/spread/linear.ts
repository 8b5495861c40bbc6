/** A symmetric positive-definite system could not be solved: a pivot vanished. */
export class SingularMatrix extends Error {}

/**
 * Solves A x = b for a symmetric positive-definite A (row-major, n × n) by Cholesky; A and b are left alone.
 * Returns x and the diagonal of A⁻¹ (the variances, when A is an information matrix).
 * @throws SingularMatrix
 */
export function solveSpd(
  a: Float64Array,
  b: Float64Array,
): { x: Float64Array; inverseDiagonal: Float64Array } {
  const n = b.length;
  const l = new Float64Array(n * n);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = a[i * n + j]!;
      for (let k = 0; k < j; k++) sum -= l[i * n + k]! * l[j * n + k]!;
      if (i === j) {
        if (!(sum > 0)) throw new SingularMatrix(`pivot ${i} is ${sum}`);
        l[i * n + i] = Math.sqrt(sum);
      } else l[i * n + j] = sum / l[j * n + j]!;
    }
  }
  const substitute = (rhs: Float64Array): Float64Array => {
    const y = rhs.slice();
    for (let i = 0; i < n; i++) {
      for (let k = 0; k < i; k++) y[i]! -= l[i * n + k]! * y[k]!;
      y[i]! /= l[i * n + i]!;
    }
    for (let i = n - 1; i >= 0; i--) {
      for (let k = i + 1; k < n; k++) y[i]! -= l[k * n + i]! * y[k]!;
      y[i]! /= l[i * n + i]!;
    }
    return y;
  };
  const inverseDiagonal = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    const unit = new Float64Array(n);
    unit[i] = 1;
    inverseDiagonal[i] = substitute(unit)[i]!;
  }
  return { x: substitute(b), inverseDiagonal };
}

/** Adds w · row rowᵀ to the information matrix and w · y · row to the right-hand side. */
export function accumulate(
  info: Float64Array,
  rhs: Float64Array,
  row: ArrayLike<number>,
  y: number,
  w: number,
): void {
  const n = rhs.length;
  for (let i = 0; i < n; i++) {
    const wi = w * row[i]!;
    rhs[i]! += wi * y;
    for (let j = 0; j <= i; j++) {
      info[i * n + j]! += wi * row[j]!;
      if (j < i) info[j * n + i] = info[i * n + j]!;
    }
  }
}

/**
 * The same for many rows at once: `rows` is row-major with as many columns as `rhs`, each row weighed by
 * `weight · count`. Only the lower triangle is summed; it is mirrored at the end.
 */
export function accumulateRows(
  info: Float64Array,
  rhs: Float64Array,
  rows: Float64Array,
  y: Float64Array,
  count: Float64Array,
  weight: number,
): void {
  const n = rhs.length;
  for (let r = 0; r < y.length; r++) {
    const o = r * n;
    const w = weight * count[r]!;
    for (let i = 0; i < n; i++) {
      const wi = w * rows[o + i]!;
      rhs[i]! += wi * y[r]!;
      const at = i * n;
      for (let j = 0; j <= i; j++) info[at + j]! += wi * rows[o + j]!;
    }
  }
  for (let i = 0; i < n; i++) for (let j = 0; j < i; j++) info[j * n + i] = info[i * n + j]!;
}
