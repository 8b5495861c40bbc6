import { InputProblem } from '../problem';

/** Open-circuit voltage of one cell against state of charge, both ways. */
export interface OcvCurve {
  /** Volts per cell at a state of charge; held at the ends outside 0..1. */
  voltageAt(socFraction: number): number;
  /** State of charge for a rested cell voltage; held at the ends outside the table. */
  socAt(voltageV: number): number;
  /** dOCV/dSOC in volts per unit of charge at a state of charge. */
  slopeAt(socFraction: number): number;
  /** States of charge that a voltage known to ± tolerance allows. Wide on a plateau. */
  socInterval(voltageV: number, toleranceV: number): [low: number, high: number];
  minV: number;
  maxV: number;
}

const BUCKETS = 512;

/** Finds i with xs[i] <= v < xs[i+1], kept inside the table; buckets of equal width save most of the search. */
function bracketOf(xs: readonly number[]): (v: number) => number {
  const first = xs[0]!;
  const last = xs.length - 2;
  const perBucket = BUCKETS / (xs[xs.length - 1]! - first || 1);
  const start = new Int32Array(BUCKETS + 1);
  for (let b = 0, i = 0; b <= BUCKETS; b++) {
    while (i < last && xs[i + 1]! <= first + b / perBucket) i++;
    start[b] = i;
  }
  return (v) => {
    let i = start[Math.min(BUCKETS, Math.max(0, Math.floor((v - first) * perBucket)))]!;
    while (i < last && xs[i + 1]! <= v) i++;
    while (i > 0 && xs[i]! > v) i--;
    return i;
  };
}

/**
 * Builds the curve from a table `[socFraction, voltageV]`, linear between points.
 * @throws InputProblem if fewer than two points, outside 0..1, or not rising in both columns.
 */
export function ocvCurve(table: readonly (readonly [number, number])[]): OcvCurve {
  if (table.length < 2)
    throw new InputProblem(
      'ocv-short',
      'The OCV table has fewer than two points.',
      'ocv',
      'At least two [state of charge, volts] pairs.',
    );
  for (let i = 1; i < table.length; i++) {
    const [s0, v0] = table[i - 1]!;
    const [s1, v1] = table[i]!;
    if (!(s1 > s0) || !(v1 >= v0)) {
      throw new InputProblem(
        'ocv-order',
        `The OCV table falls from [${s0}, ${v0}] to [${s1}, ${v1}].`,
        `ocv[${i}]`,
        'State of charge and volts both rising.',
      );
    }
  }
  const soc = table.map((p) => p[0]);
  const volt = table.map((p) => p[1]);
  const last = table.length - 1;
  const interpolator = (xs: readonly number[], ys: readonly number[]): ((v: number) => number) => {
    const bracket = bracketOf(xs);
    return (v) => {
      if (v <= xs[0]!) return ys[0]!;
      if (v >= xs[last]!) return ys[last]!;
      const i = bracket(v);
      const span = xs[i + 1]! - xs[i]!;
      return span === 0 ? ys[i]! : ys[i]! + ((v - xs[i]!) / span) * (ys[i + 1]! - ys[i]!);
    };
  };
  const voltageAt = interpolator(soc, volt);
  const socAt = interpolator(volt, soc);
  const STEP = 0.01;
  return {
    voltageAt,
    socAt,
    slopeAt: (s) => {
      const inside = Math.min(soc[last]!, Math.max(soc[0]!, s));
      const a = Math.max(soc[0]!, inside - STEP);
      const b = Math.min(soc[last]!, inside + STEP);
      return (voltageAt(b) - voltageAt(a)) / (b - a);
    },
    socInterval: (v, tolerance) => [socAt(v - tolerance), socAt(v + tolerance)],
    minV: volt[0]!,
    maxV: volt[last]!,
  };
}
