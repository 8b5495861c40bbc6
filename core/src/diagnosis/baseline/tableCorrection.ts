import { USUAL_BENDS } from '../channel/curveErrors';
import type { Bends } from '../channel/deviations';
import { BENT } from '../channel/parameters';
import type { ChannelFit } from '../channel/channelModel';
import { covarianceOf, solveSpd } from '../../numerics/linearAlgebra';

/** However many channels tell of it, waves of two lengths are not all that a curve can do: less than this share of the usual doubt is never left. */
const LEAST_DOUBT = { shift: 0.1, waves: 0.3 };

/** Inverse of a symmetric positive-definite matrix, row by row. */
function inverse(a: Float64Array, n: number): Float64Array {
  const out = new Float64Array(n * n);
  for (let j = 0; j < n; j++) {
    const unit = new Float64Array(n);
    unit[j] = 1;
    solveSpd(a, unit).forEach((v, i) => (out[i * n + j] = v));
  }
  return out;
}

/**
 * How a pack's curve lies beside its table, by fits of channels that nothing is wrong with: the curve is one for all of them, and each, a little apart
 * from the typical cell, has seen a little of its bends. What each knows beyond what is usual is added up (information adds: Bayes' rule for normal errors).
 */
export function tableCorrection(fits: readonly ChannelFit[]): Bends {
  const { sd } = USUAL_BENDS;
  const n = sd.length;
  const at = Array.from({ length: n }, (_, i) => BENT + i);
  const info = new Float64Array(n * n);
  const rhs = new Float64Array(n);
  sd.forEach((s, i) => (info[i * (n + 1)] = s ** -2));
  for (const f of fits) {
    const own = inverse(covarianceOf(f.info, at), n);
    for (let i = 0; i < n; i++)
      for (let j = 0; j < n; j++) {
        info[i * n + j]! += own[i * n + j]! - (i === j ? sd[i]! ** -2 : 0);
        rhs[i]! += own[i * n + j]! * f.theta[BENT + j]!;
      }
  }
  const known = inverse(info, n);
  return {
    mean: solveSpd(info, rhs),
    sd: sd.map((s, i) =>
      Math.max(Math.sqrt(known[i * (n + 1)]!), s * (i === 0 ? LEAST_DOUBT.shift : LEAST_DOUBT.waves)),
    ),
  };
}
