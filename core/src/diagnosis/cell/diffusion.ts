/** Current through a first-order lag, exact for current that is linear between the samples. */
export function lag(timeS: Float64Array, currentA: Float64Array, tauS: number): Float64Array {
  const out = new Float64Array(timeS.length);
  for (let k = 1; k < timeS.length; k++) {
    const dt = timeS[k]! - timeS[k - 1]!;
    if (dt <= 0) {
      out[k] = out[k - 1]!;
      continue;
    }
    const x = dt / tauS;
    const decay = Math.exp(-x);
    const slope = (currentA[k]! - currentA[k - 1]!) / dt;
    out[k] = out[k - 1]! * decay + currentA[k - 1]! * (1 - decay) + slope * (dt - tauS * (1 - decay));
  }
  return out;
}

/** Roots of tan β = β: the modes in which a sphere's surface follows what flows through it (Crank, The Mathematics of Diffusion, section 6.3). */
const SPHERE_MODES = [4.493409, 7.725252, 10.904122, 14.066194, 17.220755, 20.371303];

/**
 * Current through the lag of a sphere's surface behind its mean, by diffusion: each mode's share is ten by its root squared, and what is left of
 * all shares follows as the next one would.
 * @param slowestS time constant of the slowest mode, s
 */
export function diffusionResponse(
  timeS: Float64Array,
  currentA: Float64Array,
  slowestS: number,
): Float64Array {
  const radiusS = slowestS * SPHERE_MODES[0]! ** 2;
  const shares = SPHERE_MODES.map((beta) => 10 / beta ** 2);
  const rest = 1 - shares.reduce((a, b) => a + b, 0);
  const out = new Float64Array(timeS.length);
  const add = (share: number, tauS: number): void =>
    lag(timeS, currentA, tauS).forEach((i, k) => (out[k]! += share * i));
  SPHERE_MODES.forEach((beta, n) => add(shares[n]!, radiusS / beta ** 2));
  add(rest, radiusS / 30 ** 2);
  return out;
}
