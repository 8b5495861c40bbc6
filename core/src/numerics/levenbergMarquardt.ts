import { solveSpd } from './linearAlgebra';

/** A sum of squares, priors and all, to be made least. */
export interface LeastSquares {
  /** The sum at a set of parameters; what `normal` needs of that place may be kept. */
  cost: (theta: Float64Array) => number;
  /** Fills JᵀJ (row by row) and Jᵀr at the place that was last looked at; r is observed minus model. */
  normal: (theta: Float64Array, info: Float64Array, rhs: Float64Array) => void;
}

export interface Manner {
  /** Most steps. */
  steps: number;
  /** How far a first step is held back; 0 for a problem that is linear. */
  damping: number;
  /** A sum that is still above this after a few steps is given up. */
  hopelessAbove?: number;
  /** The least place found from elsewhere: a way down that ends there is not followed to its end. */
  known?: { theta: Float64Array; cost: number } | null;
}

/** Steps tried before a look is left where it is. */
const MOST_TRIES = 14;
/** A step that brings less, hardly held back, is the last. */
const LITTLE = 0.002;
const GIVE_UP_AFTER = 5;

/**
 * Levenberg–Marquardt: the normal equations with their diagonal raised, less after a step that brought the sum down, more
 * after one that did not (Marquardt 1963). Changes `theta` in place.
 * @returns the sum there, and JᵀJ of the last step, whose inverse is the covariance.
 * @throws SingularMatrix
 */
export function minimise(
  { cost, normal }: LeastSquares,
  theta: Float64Array,
  { steps, damping: first, hopelessAbove = Infinity, known = null }: Manner,
): { cost: number; info: Float64Array } {
  const n = theta.length;
  const info = new Float64Array(n * n);
  const damped = new Float64Array(n * n);
  const rhs = new Float64Array(n);
  const trial = new Float64Array(n);
  let damping = first;
  let now = cost(theta);
  for (let step = 0; step < steps; step++) {
    normal(theta, info, rhs);
    const before = now;
    for (let tries = 0; tries < MOST_TRIES; tries++) {
      damped.set(info);
      for (let j = 0; j < n; j++) damped[j * (n + 1)]! *= 1 + damping;
      const x = solveSpd(damped, rhs);
      for (let j = 0; j < n; j++) trial[j] = theta[j]! + x[j]!;
      now = cost(trial);
      if (now <= before) {
        damping /= 8;
        break;
      }
      damping = Math.max(1e-3, damping * 6);
    }
    if (now > before) return { cost: cost(theta), info };
    theta.set(trial);
    if (before - now < LITTLE && damping < 0.01) break;
    if (step >= GIVE_UP_AFTER && now > hopelessAbove) break;
    if (known && now > known.cost && now < known.cost + NEAR && isNear(theta, info, now, known)) break;
  }
  return { cost: now, info };
}

/** Two places whose sums differ by less than this may lie in one valley. */
const NEAR = 1;
/** Whether one place is as much above the other as a valley of this curvature makes it: then they lie in the same one. */
function isNear(
  theta: Float64Array,
  info: Float64Array,
  cost: number,
  known: { theta: Float64Array; cost: number },
): boolean {
  const n = theta.length;
  let rise = 0;
  for (let i = 0; i < n; i++) {
    const a = theta[i]! - known.theta[i]!;
    for (let j = 0; j < n; j++) rise += a * info[i * n + j]! * (theta[j]! - known.theta[j]!);
  }
  return rise < 2 * (cost - known.cost) + LITTLE;
}
