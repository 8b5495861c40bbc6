/** A symmetric positive-definite system could not be solved: a pivot vanished. */
export class SingularMatrix extends Error {}

/** Lower triangle L of A = L Lᵀ. @throws SingularMatrix */
function cholesky(a: Float64Array, n: number): Float64Array {
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
  return l;
}

/** Solves L Lᵀ y = rhs in place. */
function substitute(l: Float64Array, n: number, y: Float64Array): Float64Array {
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < i; k++) y[i]! -= l[i * n + k]! * y[k]!;
    y[i]! /= l[i * n + i]!;
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let k = i + 1; k < n; k++) y[i]! -= l[k * n + i]! * y[k]!;
    y[i]! /= l[i * n + i]!;
  }
  return y;
}

/**
 * Solves A x = b for a symmetric positive-definite A (row-major, n × n) by Cholesky; A and b are left alone.
 * @throws SingularMatrix
 */
export function solveSpd(a: Float64Array, b: Float64Array): Float64Array {
  return substitute(cholesky(a, b.length), b.length, b.slice());
}

/** Diagonal of A⁻¹ (the variances, when A is an information matrix): the squares of each column of L⁻¹, summed. @throws SingularMatrix */
export function spdInverseDiagonal(a: Float64Array): Float64Array {
  const n = Math.round(Math.sqrt(a.length));
  const l = cholesky(a, n);
  const out = new Float64Array(n);
  const column = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    let sum = 0;
    for (let k = i; k < n; k++) {
      let y = k === i ? 1 : 0;
      for (let m = i; m < k; m++) y -= l[k * n + m]! * column[m]!;
      column[k] = y / l[k * n + k]!;
      sum += column[k]! ** 2;
    }
    out[i] = sum;
  }
  return out;
}

/** Rows and columns `of` of A⁻¹, row by row. @throws SingularMatrix */
export function covarianceOf(a: Float64Array, of: readonly number[]): Float64Array {
  const n = Math.round(Math.sqrt(a.length));
  const l = cholesky(a, n);
  const out = new Float64Array(of.length ** 2);
  of.forEach((i, r) => {
    const unit = new Float64Array(n);
    unit[i] = 1;
    const column = substitute(l, n, unit);
    of.forEach((j, c) => (out[r * of.length + c] = column[j]!));
  });
  return out;
}

/** Variance of a figure that changes by so much with each of the parameters whose covariance is given. */
export function varianceOf(by: readonly number[], covariance: Float64Array): number {
  let sum = 0;
  by.forEach((a, i) => by.forEach((b, j) => (sum += a * b * covariance[i * by.length + j]!)));
  return Math.max(0, sum);
}

/** Logarithm of the determinant of a symmetric positive-definite matrix. @throws SingularMatrix */
export function logDeterminant(a: Float64Array): number {
  const n = Math.round(Math.sqrt(a.length));
  const l = cholesky(a, n);
  let sum = 0;
  for (let i = 0; i < n; i++) sum += 2 * Math.log(l[i * n + i]!);
  return sum;
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

/** Room for one weighed column and for which columns count, kept between calls: they are many and short. */
let scratch = new Float64Array(1024);
let counted = new Int32Array(64);

/**
 * The same for many observations at once: `columns` holds one column per parameter, each as long as `y`, and
 * observation r is weighed by `weight · count[r]`. Sums run down the columns, where they stay in a register.
 */
export function accumulateColumns(
  info: Float64Array,
  rhs: Float64Array,
  columns: Float64Array,
  y: Float64Array,
  count: Float64Array,
  weight: number,
): void {
  const n = rhs.length;
  const rows = y.length;
  if (scratch.length < rows) scratch = new Float64Array(2 * rows);
  if (counted.length < n) counted = new Int32Array(2 * n);
  const weighed = scratch;
  let used = 0;
  for (let i = 0; i < n; i++) {
    const a = i * rows;
    let right = 0;
    let any = 0;
    for (let r = 0; r < rows; r++) {
      const w = weight * count[r]! * columns[a + r]!;
      weighed[r] = w;
      right += w * y[r]!;
      any += w * w;
    }
    // What cannot be in this record at all, such as leakage within an hour or an electrode that is not known.
    if (any === 0) continue;
    rhs[i]! += right;
    counted[used++] = i;
    let u = 0;
    // Four columns side by side: each weighed reading is fetched once, and no sum waits for itself.
    for (; u + 3 < used; u += 4) {
      const j0 = counted[u]!;
      const j1 = counted[u + 1]!;
      const j2 = counted[u + 2]!;
      const j3 = counted[u + 3]!;
      const b0 = j0 * rows;
      const b1 = j1 * rows;
      const b2 = j2 * rows;
      const b3 = j3 * rows;
      let s0 = 0;
      let s1 = 0;
      let s2 = 0;
      let s3 = 0;
      for (let r = 0; r < rows; r++) {
        const w = weighed[r]!;
        s0 += w * columns[b0 + r]!;
        s1 += w * columns[b1 + r]!;
        s2 += w * columns[b2 + r]!;
        s3 += w * columns[b3 + r]!;
      }
      info[i * n + j0]! += s0;
      info[i * n + j1]! += s1;
      info[i * n + j2]! += s2;
      info[i * n + j3]! += s3;
    }
    for (; u < used; u++) {
      const j = counted[u]!;
      const b = j * rows;
      let s0 = 0;
      let s1 = 0;
      let r = 0;
      for (; r + 1 < rows; r += 2) {
        s0 += weighed[r]! * columns[b + r]!;
        s1 += weighed[r + 1]! * columns[b + r + 1]!;
      }
      if (r < rows) s0 += weighed[r]! * columns[b + r]!;
      info[i * n + j]! += s0 + s1;
    }
    for (let k = 0; k < i; k++) info[k * n + i] = info[i * n + k]!;
  }
}
