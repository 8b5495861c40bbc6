import { wilson, type Share } from './rates';

/** What a workshop's jobs on one kind of pack came to: counts alone, of nobody's vehicle. */
export interface ModelMemory {
  model: string;
  chemistry: string;
  /** Modules of the pack: places of another pack of that name are not these. */
  modules: number;
  /** Jobs in which somebody looked. */
  jobs: number;
  /** In how many of them a module was found at fault, by its place. */
  places: Record<string, number>;
  /** What verdicts turned out to be. */
  verdicts: Record<string, { confirmed: number; refuted: number }>;
  /** In how many of them a leak was found at a place, and it was there. */
  leaks: Record<string, number>;
  /** Where water came in, by the entry places of the pack's profile, and how many of those it knows. */
  ways: Record<string, number>;
  waysKnown: number;
  /** Modules of other packs that were put in by jobs that were handed over, by their maker's revision: how many, and how many gave way to yet another there. */
  donors: Record<string, { fitted: number; replaced: number }>;
  /** Widest deviations near full and near empty of packs in which nothing was at fault, mV: how many, and their middle. */
  healthy: { n: number; nearFullMv: number | null; nearEmptyMv: number | null };
}
/** A module whose revision nobody wrote down. */
export const NO_REVISION = 'revision not known';
const keyOf = (m: Pick<ModelMemory, 'model' | 'chemistry' | 'modules'>): string =>
  `${m.model.trim().toLowerCase()}|${m.chemistry}|${m.modules}`;

/** Counts of several workshops together, a pack model at a time. The middles are weighed by how many stand behind them. */
export function joinMemories(all: readonly (readonly ModelMemory[])[]): ModelMemory[] {
  const by = new Map<string, ModelMemory>();
  for (const m of all.flat()) {
    const own = by.get(keyOf(m));
    if (!own) {
      by.set(keyOf(m), structuredClone(m));
      continue;
    }
    own.jobs += m.jobs;
    for (const key of ['places', 'leaks', 'ways'] as const)
      for (const [place, n] of Object.entries(m[key])) own[key][place] = (own[key][place] ?? 0) + n;
    own.waysKnown = Math.max(own.waysKnown, m.waysKnown);
    for (const [revision, d] of Object.entries(m.donors)) {
      const sum = (own.donors[revision] ??= { fitted: 0, replaced: 0 });
      sum.fitted += d.fitted;
      sum.replaced += d.replaced;
    }
    for (const [verdict, v] of Object.entries(m.verdicts)) {
      const sum = (own.verdicts[verdict] ??= { confirmed: 0, refuted: 0 });
      sum.confirmed += v.confirmed;
      sum.refuted += v.refuted;
    }
    const [a, b] = [own.healthy, m.healthy];
    const middle = (x: number | null, y: number | null): number | null =>
      x === null || y === null ? (x ?? y) : (x * a.n + y * b.n) / Math.max(1, a.n + b.n);
    own.healthy = {
      n: a.n + b.n,
      nearFullMv: middle(a.nearFullMv, b.nearFullMv),
      nearEmptyMv: middle(a.nearEmptyMv, b.nearEmptyMv),
    };
  }
  return [...by.values()];
}
export const memoryOf = (
  all: readonly ModelMemory[],
  pack: Pick<ModelMemory, 'model' | 'chemistry' | 'modules'>,
): ModelMemory | null => all.find((m) => keyOf(m) === keyOf(pack)) ?? null;

/** Lanczos (g = 7, n = 9), as in Numerical Recipes; relative error below 1e-13 for x > 0. */
function logGamma(x: number): number {
  const c = [
    0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313, -176.61502916214059,
    12.507343278686905, -0.13857109526572012, 9.9843695780195716e-6, 1.5056327351493116e-7,
  ];
  if (x < 0.5) return Math.log(Math.PI / Math.sin(Math.PI * x)) - logGamma(1 - x);
  const y = x - 1;
  const t = y + 7.5;
  return (
    0.5 * Math.log(2 * Math.PI) +
    (y + 0.5) * Math.log(t) -
    t +
    Math.log(c.slice(1).reduce((s, v, i) => s + v / (y + i + 1), c[0]!))
  );
}

/** Where the strength of a prior is looked for: as many cases as it counts for. */
const [LEAST, MOST] = [0.5, 2000];
/** Highest of a function of one strength, by golden section over its logarithm. */
function strongest(of: (strength: number) => number): number {
  const g = (Math.sqrt(5) - 1) / 2;
  let [a, b] = [Math.log(LEAST), Math.log(MOST)];
  for (let i = 0; i < 80; i++) {
    const [x, y] = [b - g * (b - a), a + g * (b - a)];
    if (of(Math.exp(x)) >= of(Math.exp(y))) b = y;
    else a = x;
  }
  return Math.exp((a + b) / 2);
}

/**
 * How evenly the modules of packs fail: the strength of the symmetric Dirichlet prior over places that makes what was counted
 * likeliest (Dirichlet-multinomial, empirical Bayes). Large where places hardly differ.
 */
export function placeStrength(all: readonly Pick<ModelMemory, 'modules' | 'places'>[]): number {
  const counted = all
    .map((m) => ({ k: m.modules, counts: Object.values(m.places) }))
    .filter((m) => m.counts.reduce((s, c) => s + c, 0) > 1);
  if (counted.length === 0) return MOST;
  return strongest((strength) =>
    counted.reduce((sum, { k, counts }) => {
      const n = counts.reduce((s, c) => s + c, 0);
      const a = strength / k;
      return (
        sum +
        logGamma(strength) -
        logGamma(n + strength) +
        counts.reduce((s, c) => s + logGamma(c + a) - logGamma(a), 0)
      );
    }, 0),
  );
}

/**
 * How likely each place is the next to fail, shrunk towards all alike: sums to 1. However strongly places differ elsewhere, each counts for
 * one case at least (Laplace's rule of succession): what never happened in a few packs is not ruled out.
 */
export function placeWeights(
  memory: Pick<ModelMemory, 'places'> | null,
  places: readonly string[],
  strength: number,
): number[] {
  const counts = places.map((p) => memory?.places[p] ?? 0);
  const n = counts.reduce((s, c) => s + c, 0);
  const held = Math.max(strength, places.length);
  return counts.map((c) => (c + held / places.length) / (n + held));
}

/** How evenly the leaks and the ways in of packs are spread, as `placeStrength` has it of what fails. */
export const leakStrength = (all: readonly Pick<ModelMemory, 'modules' | 'leaks'>[]): number =>
  placeStrength(all.map((m) => ({ modules: m.modules, places: m.leaks })));
export const wayStrength = (all: readonly Pick<ModelMemory, 'waysKnown' | 'ways'>[]): number =>
  placeStrength(all.flatMap((m) => (m.waysKnown > 1 ? [{ modules: m.waysKnown, places: m.ways }] : [])));

/** Modules of one revision that were put into such packs and stayed; null where none was. */
export function staying(
  memory: Pick<ModelMemory, 'donors'> | null,
  revision: string | undefined,
): Share | null {
  const said = revision?.trim().toLowerCase();
  const own = said
    ? Object.entries(memory?.donors ?? {}).find(([name]) => name.toLowerCase() === said)?.[1]
    : undefined;
  return own ? wilson(own.fitted - own.replaced, own.fitted) : null;
}

/** A belief of the data alone, weighed with what is remembered of the places. The data's own stays beside it. */
export function withPlaces(own: readonly number[], weights: readonly number[]): number[] {
  const joined = own.map((p, i) => p * weights[i]! * own.length);
  const total = joined.reduce((s, p) => s + p, 0);
  return total > 0 ? joined.map((p) => p / total) : [...own];
}

/** A stated confidence counts for as many cases as this before a workshop has any of its own. From memory. */
const SAID_COUNTS = 20;
/**
 * How likely a verdict holds: what the readings say, as if from so many cases, and what such verdicts turned out to be on this
 * kind of pack (beta-binomial). None remembered leaves it as it was said.
 */
export function withVerdicts(
  confidence: number,
  memory: ModelMemory | null,
  verdict: string,
): { value: number; here: Share | null } {
  const seen = memory?.verdicts[verdict] ?? { confirmed: 0, refuted: 0 };
  const n = seen.confirmed + seen.refuted;
  return {
    value: (SAID_COUNTS * confidence + seen.confirmed) / (SAID_COUNTS + n),
    here: wilson(seen.confirmed, n),
  };
}
