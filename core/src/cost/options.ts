import { Random } from '../simpack/random';

/** A figure that is not known yet: at least, most likely, at most. */
export interface Span {
  low: number;
  likely: number;
  high: number;
}
export interface OptionAsk {
  name: string;
  cost: Span;
  rangeKm: Span;
  yearsLeft: Span;
  comebackProbability: number;
  comebackCost: Span;
}
export interface OptionsAsk {
  horizonYears: number;
  distanceKmPerYear: number;
  currency: string;
  draws: number;
  seed: number;
  options: OptionAsk[];
}
export interface Tenths {
  p10: number;
  p50: number;
  p90: number;
}
export interface OptionsAnswer {
  options: { name: string; costPerYear: Tenths; costPer1000Km: Tenths; chanceCheapest: number }[];
  drawn: number;
  seed: number;
}

/** A draw from a triangle, by its inverse distribution. */
export function triangular({ low, likely, high }: Span, u: number): number {
  if (!(high > low)) return low;
  const cut = (likely - low) / (high - low);
  return u < cut
    ? low + Math.sqrt(u * (high - low) * (likely - low))
    : high - Math.sqrt((1 - u) * (high - low) * (high - likely));
}

/** A quantile between the two values next to it. */
function at(sorted: Float64Array, q: number): number {
  const x = q * (sorted.length - 1);
  const i = Math.floor(x);
  return sorted[i]! + (x - i) * ((sorted[i + 1] ?? sorted[i]!) - sorted[i]!);
}
const tenths = (values: Float64Array): Tenths => {
  const sorted = values.sort();
  return { p10: at(sorted, 0.1), p50: at(sorted, 0.5), p90: at(sorted, 0.9) };
};

/** Years that nothing is left of cannot be paid by. */
const LEAST_YEARS = 1 / 52;

/**
 * What each choice costs a year and a thousand kilometres, with a likely span: cost, years left within the horizon, and the
 * chance that it comes back, drawn together so often. The same seed gives the same figures.
 */
export function compareOptions(ask: OptionsAsk): OptionsAnswer {
  const { options, draws, seed, horizonYears, distanceKmPerYear } = ask;
  const random = new Random(seed);
  const perYear = options.map(() => new Float64Array(draws));
  const perKm = options.map(() => new Float64Array(draws));
  const wins = new Array<number>(options.length).fill(0);
  for (let d = 0; d < draws; d++) {
    let best = 0;
    options.forEach((o, i) => {
      const cost = triangular(o.cost, random.uniform());
      const years = Math.max(LEAST_YEARS, Math.min(horizonYears, triangular(o.yearsLeft, random.uniform())));
      const back = random.uniform() < o.comebackProbability;
      const again = triangular(o.comebackCost, random.uniform());
      const total = cost + (back ? again : 0);
      perYear[i]![d] = total / years;
      perKm[i]![d] = distanceKmPerYear > 0 ? (total / years / distanceKmPerYear) * 1000 : NaN;
      if (perYear[i]![d]! < perYear[best]![d]!) best = i;
    });
    wins[best]!++;
  }
  return {
    options: options.map((o, i) => ({
      name: o.name,
      costPerYear: tenths(perYear[i]!),
      costPer1000Km: tenths(perKm[i]!),
      chanceCheapest: wins[i]! / draws,
    })),
    drawn: draws,
    seed,
  };
}
