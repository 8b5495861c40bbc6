/** A share with the interval that holds the truth 19 times of 20. */
export interface Share {
  n: number;
  hits: number;
  value: number;
  low: number;
  high: number;
}

/**
 * Wilson's score interval of a share (E. B. Wilson, JASA 22, 1927): honest with few cases, never outside 0 to 1. Null of
 * none. `z` is 1.96 for 95 %.
 */
export function wilson(hits: number, n: number, z = 1.959963984540054): Share | null {
  if (n === 0) return null;
  const p = hits / n;
  const scale = 1 + (z * z) / n;
  const middle = (p + (z * z) / (2 * n)) / scale;
  const half = (z / scale) * Math.sqrt((p * (1 - p)) / n + (z * z) / (4 * n * n));
  return { n, hits, value: p, low: Math.max(0, middle - half), high: Math.min(1, middle + half) };
}

/** What a verdict turned out to be once somebody looked. `unclear` counts for neither. */
export const WAS = ['confirmed', 'refuted', 'unclear'] as const;
export type WasIt = (typeof WAS)[number];
export interface Outcome {
  verdict: string;
  /** How sure it was said to be, 0 to 1; null where it was not. */
  confidence: number | null;
  was: WasIt;
}
const told = (outcomes: readonly Outcome[]): Outcome[] => outcomes.filter((o) => o.was !== 'unclear');
const confirmed = (outcomes: readonly Outcome[]): number =>
  outcomes.filter((o) => o.was === 'confirmed').length;

/** How often each verdict held, most often seen first. */
export function hitRates(outcomes: readonly Outcome[]): { verdict: string; share: Share }[] {
  const by = new Map<string, Outcome[]>();
  for (const o of told(outcomes)) by.set(o.verdict, [...(by.get(o.verdict) ?? []), o]);
  return [...by]
    .map(([verdict, own]) => ({ verdict, share: wilson(confirmed(own), own.length)! }))
    .sort((a, b) => b.share.n - a.share.n || (a.verdict < b.verdict ? -1 : 1));
}

/** Edges of confidence between which what was said is held against what was. */
const EDGES = [0, 0.5, 0.7, 0.85, 0.95, 1.0001] as const;
export interface CalibrationBin {
  from: number;
  to: number;
  /** Mean of what was said. */
  said: number;
  was: Share;
}

/**
 * What was said against what was, by how sure it was said; and the expected calibration error, the mean gap weighed by
 * cases (Naeini et al., AAAI 2015). Null of none.
 */
export function calibration(outcomes: readonly Outcome[]): { bins: CalibrationBin[]; error: number | null } {
  const own = told(outcomes).filter((o) => o.confidence !== null);
  const bins = EDGES.slice(1).flatMap((to, i): CalibrationBin[] => {
    const from = EDGES[i]!;
    const inside = own.filter((o) => o.confidence! >= from && o.confidence! < to);
    const was = wilson(confirmed(inside), inside.length);
    const said = inside.reduce((s, o) => s + o.confidence!, 0) / inside.length;
    return was ? [{ from, to: Math.min(1, to), said, was }] : [];
  });
  const error =
    own.length === 0
      ? null
      : bins.reduce((s, b) => s + (b.was.n / own.length) * Math.abs(b.said - b.was.value), 0);
  return { bins, error };
}

/** Figures that were foretold against what they became: the middle of the ratios and where four of five lie. */
export interface Forecast {
  n: number;
  /** Actual over foretold; above 1 it took more. */
  ratio: number;
  low: number;
  high: number;
}
/** Fewer than this foretell nothing of the next. */
const LEAST_FORECASTS = 3;

/** Null of fewer than three. Quantiles by linear interpolation (type 7 of Hyndman & Fan, Am. Stat. 50, 1996). */
export function forecastOf(pairs: readonly { foretold: number; actual: number }[]): Forecast | null {
  const ratios = pairs
    .filter((p) => p.foretold > 0 && p.actual > 0)
    .map((p) => p.actual / p.foretold)
    .sort((a, b) => a - b);
  if (ratios.length < LEAST_FORECASTS) return null;
  const at = (q: number): number => {
    const x = (ratios.length - 1) * q;
    const i = Math.floor(x);
    return ratios[i]! + (x - i) * ((ratios[i + 1] ?? ratios[i]!) - ratios[i]!);
  };
  return { n: ratios.length, ratio: at(0.5), low: at(0.1), high: at(0.9) };
}
