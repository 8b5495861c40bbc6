import { minimise } from '../numerics/levenbergMarquardt';

/** Fits v = V·(1 − e^(−(t − t₀)/τ)) by least squares. Null where it cannot be. */
export function fitRise(
  t: readonly number[],
  v: readonly number[],
  t0: number,
  finalV: number,
): { finalV: number; tauS: number; t0: number; cost: number; tauSdS: number } | null {
  if (t.length < 4) return null;
  const scale = finalV;
  const model = (p: Float64Array, at: number): number => {
    const x = (at - p[2]!) / Math.exp(p[1]!);
    return x <= 0 ? 0 : p[0]! * (1 - Math.exp(-x));
  };
  const half = t[v.findIndex((x) => x > 0.5 * v.at(-1)!)] ?? t.at(-1)!;
  const theta = Float64Array.from([1, Math.log(Math.max(1e-6, (half - t0) / 0.7)), t0]);
  const cost = (p: Float64Array): number =>
    t.reduce((s, at, i) => s + (v[i]! / scale - model(p, at)) ** 2, 0) * 1e4;
  try {
    const { cost: least, info } = minimise(
      {
        cost,
        normal: (p, jtj, jtr) => {
          jtj.fill(0);
          jtr.fill(0);
          const step = [1e-4, 1e-4, Math.max(1e-7, 1e-4 * Math.exp(p[1]!))];
          const q = Float64Array.from(p);
          t.forEach((at, i) => {
            const r = (v[i]! / scale - model(p, at)) * 100;
            const d = step.map((h, j) => {
              q[j] = p[j]! + h;
              const up = model(q, at);
              q[j] = p[j]! - h;
              const down = model(q, at);
              q[j] = p[j]!;
              return ((up - down) / (2 * h)) * 100;
            });
            for (let a = 0; a < 3; a++) {
              jtr[a]! += d[a]! * r;
              for (let b = 0; b < 3; b++) jtj[a * 3 + b]! += d[a]! * d[b]!;
            }
          });
          for (let a = 0; a < 3; a++) jtj[a * 4]! += 1e-9;
        },
      },
      theta,
      { steps: 40, damping: 1e-2 },
    );
    const tauS = Math.exp(theta[1]!);
    // Of log τ with the others free: the first column of the inverse is not needed, its own entry by Cramer's rule is.
    const [a, b, c, , e, f, , , i] = info;
    const det = a! * (e! * i! - f! * f!) - b! * (b! * i! - f! * c!) + c! * (b! * f! - e! * c!);
    const variance = (a! * i! - c! * c!) / det;
    const noise = least / Math.max(1, t.length - 3);
    return {
      finalV: theta[0]! * scale,
      tauS,
      t0: theta[2]!,
      cost: least,
      tauSdS: tauS * Math.sqrt(Math.max(0, variance * noise)),
    };
  } catch {
    return null;
  }
}
