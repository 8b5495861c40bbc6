import { ocvCurve, type PackProfile } from '../pack';

/** A rest on the way: what was put in since it began (taken out is negative), and the module's voltage after it. */
export interface RestOnTheWay {
  movedAh: number;
  restV: number;
}
export interface Remaining {
  /** Still to put in, A·h, with two standard deviations; negative is to take out. */
  ah: number;
  halfWidthAh: number;
  hours: number;
  halfWidthHours: number;
  /** What it holds by its own charge and voltages, A·h, with two standard deviations. */
  capacityAh: number;
  capacityHalfWidthAh: number;
  /** Its voltages, its counted charge and what was known of it do not go together: the errors here are as wide as they disagree. */
  misfit: boolean;
}

/** A rested voltage is read to this, V a cell: two standard deviations. From memory. */
const READS_V = 0.002;
/** Charge is counted to this share, two standard deviations. From memory. */
const COUNTS = 0.01;
/** Beyond this mean square of its errors a reading disagrees. From memory. */
const MISFIT = 9;
/** Where nobody measured what it holds: this much of the rating, give or take as much, as one standard deviation. From memory. */
const UNMEASURED = { share: 0.85, sd: 0.15 };

/**
 * What is left of a balancing that runs, by every rest on the way. The charge in a module rises with what is put in by 1/C: a
 * straight line through the states that its rests tell, with what is known of C beforehand as one observation more (weighted
 * least squares). Each rest makes the interval narrower.
 * @param capacityAh measured before, with its standard deviation; null where nobody did
 * @param targetSd of the state of charge that it has to reach
 */
export function remainingToLevel(
  profile: Pick<PackProfile, 'ocv' | 'ratedCapacityAh'>,
  cells: number,
  rests: readonly RestOnTheWay[],
  {
    socTarget,
    targetSd,
    capacityAh,
    currentA,
  }: {
    socTarget: number;
    targetSd: number;
    capacityAh: { value: number; sd: number } | null;
    currentA: number;
  },
): Remaining | null {
  if (rests.length === 0) return null;
  const curve = ocvCurve(profile.ocv);
  const known = capacityAh ?? {
    value: UNMEASURED.share * profile.ratedCapacityAh,
    sd: UNMEASURED.sd * profile.ratedCapacityAh,
  };
  // soc = s₀ + q·u, u = 1/C.
  const u0 = 1 / known.value;
  const wu = (known.value ** 2 / known.sd) ** 2;
  let [a, b, c, p, q] = [0, 0, wu, 0, wu * u0];
  const points: { movedAh: number; soc: number; w: number }[] = [];
  for (const { movedAh, restV } of rests) {
    const v = restV / cells;
    const [low, high] = curve.socInterval(v, READS_V);
    const sd = Math.hypot((high - low) / 4, (COUNTS / 2) * Math.abs(movedAh) * u0, 1e-5);
    const w = 1 / sd ** 2;
    const soc = (low + high) / 2;
    points.push({ movedAh, soc, w });
    a += w;
    b += w * movedAh;
    c += w * movedAh ** 2;
    p += w * soc;
    q += w * movedAh * soc;
  }
  const det = a * c - b * b;
  const s0 = (p * c - q * b) / det;
  const u = (a * q - b * p) / det;
  const [vs, vu, cov] = [c / det, a / det, -b / det];
  // A test of fit: what disagrees by far more than its errors is told, and widens them (Birge, Phys. Rev. 40, 207, 1932).
  const chi2 =
    wu * (u - u0) ** 2 + points.reduce((sum, x) => sum + x.w * (x.soc - s0 - x.movedAh * u) ** 2, 0);
  const birge2 = points.length > 1 ? chi2 / (points.length - 1) : 0;
  const misfit = birge2 > MISFIT;
  const wider = misfit ? birge2 : 1;
  const last = rests.at(-1)!.movedAh;
  const whole = (socTarget - s0) / u;
  const ah = whole - last;
  // First order in both, and in where it has to come to.
  const variance = (wider * (vs + whole ** 2 * vu + 2 * whole * cov) + targetSd ** 2) / u ** 2;
  const halfWidthAh = 2 * Math.sqrt(variance);
  return {
    ah,
    halfWidthAh,
    hours: Math.abs(ah) / currentA,
    halfWidthHours: halfWidthAh / currentA,
    capacityAh: 1 / u,
    capacityHalfWidthAh: (2 * Math.sqrt(wider * vu)) / u ** 2,
    misfit,
  };
}

export const MOVED_SAYS = ' A·h moved since balancing began';
/** How a rest on the way stands in the record of a part, beside its voltage. */
export const movedText = (movedAh: number): string => `${movedAh}${MOVED_SAYS}`;
export function movedOf(text: string): number | null {
  if (!text.endsWith(MOVED_SAYS)) return null;
  const figure = text.slice(0, -MOVED_SAYS.length);
  return /^-?\d+(?:\.\d+)?$/.test(figure) ? Number(figure) : null;
}
