import {
  ANY_ORDER,
  AS_DRAWN,
  exchangePrior,
  wiringPermutations,
  showsOf,
  type Block,
  type Moved,
} from './wiringPermutations';
import { median } from '../../numerics/robustStatistics';

/** What voltages metered at the terminals say of a scan of the same moment. */
export interface WiringCheck {
  verdict: 'proven' | 'disproven' | 'cannot-tell';
  /** Channels that were metered and scanned. */
  compared: number;
  /** The pack moved as a whole between the two, V. */
  offsetV: number;
  /** Channels whose board and terminals do not agree, in the order that is believed. */
  off: { channelIndex: number; differenceV: number }[];
  /** The order that the meter fits better: each channel, and whose voltage the scan shows under its name. */
  instead: { channelIndex: number; shows: number }[];
  /** The likeliest orders and how likely each is by these readings; “as drawn” among them. */
  odds: { says: string; share: number }[];
  says: string;
}

/** Board and meter agree within this, V: both read to a few millivolts. Common practice, no source. */
const AGREE_V = 0.006;
/** What the difference of the two may scatter by (one sd), V, each as likely as the others: the readings tell which. */
const SIGMAS_V = [0.001, 0.0015, 0.0022, 0.0033, 0.005];
/** How often one of the two is off by anything, V. */
const STRAY = 0.02;
const STRAY_V = 1;
/** Share of the mistakes that wiring and drawing make, by how often they are made, that would show before a map is called right. */
const SHOWS_SHARE = 0.8;
/** A mistake shows where it is this much less likely than the map as drawn (natural logarithm). */
const SHOWS = 3;
/** An order is called certain from here on. */
const CERTAIN = 0.95;
/** Orders less likely than this are not named. */
const WORTH_NAMING = 0.001;
const MOST_NAMED = 3;
/** An order this much less likely than the likeliest is left out (natural logarithm). */
const FAR = 9;
/** An order that moves no more than this share of the channels leaves the pack's common shift as it is. */
const FEW = 0.25;

const AS_IT_IS = 'as drawn';
/** How likely a difference is (natural logarithm), for each scatter. */
const logLikely = (d: number): number[] =>
  SIGMAS_V.map((s) =>
    Math.log(((1 - STRAY) * Math.exp(-0.5 * (d / s) ** 2)) / (s * Math.sqrt(2 * Math.PI)) + STRAY / STRAY_V),
  );
const NONE = SIGMAS_V.map(() => 0);
const plus = (a: readonly number[], b: readonly number[]): number[] => a.map((v, k) => v + b[k]!);
const minus = (a: readonly number[], b: readonly number[]): number[] => a.map((v, k) => v - b[k]!);
/** Likelihood over all scatters, each as likely as the others (natural logarithm). */
const overScatters = (logs: readonly number[]): number => {
  const most = Math.max(...logs);
  return most + Math.log(logs.reduce((s, v) => s + Math.exp(v - most), 0) / logs.length);
};
const logFactorial = (n: number): number => {
  let sum = 0;
  for (let k = 2; k <= n; k++) sum += Math.log(k);
  return sum;
};

/** `ch03`, `ch03 and ch04`, `ch03, ch04 and 5 more`. */
const listed = (names: readonly string[]): string =>
  names.length > 3
    ? `${names.slice(0, 2).join(', ')} and ${names.length - 2} more`
    : names.join(', ').replace(/, ([^,]*)$/, ' and $1');

interface Weighed {
  shows: readonly number[];
  says: string;
  log: number;
}

/**
 * Compares voltages metered at the terminals with a scan of the same rest: whether each channel is where the profile
 * says, and which board readings are off. The pack's common shift between the two is taken out. Every order that wiring
 * and drawing mistakes make (`wiringPermutations`, the exchange of any two, and the one order of all that fits best) is weighed by
 * Bayes' rule; a reading differs by a few millivolts, or now and then by anything.
 * @param names of the channels, for the sentence.
 * @param blocks modules and sense boards that may be exchanged or reversed as a whole.
 */
export function checkWiring(
  scannedV: readonly (number | null)[],
  meteredV: readonly (number | null)[],
  names: readonly string[],
  blocks: readonly Block[] = [],
): WiringCheck {
  const n = names.length;
  const both = scannedV.flatMap((s, i) => (s !== null && meteredV[i] != null ? [i] : []));
  const metered = names.flatMap((_, i) => (meteredV[i] != null ? [i] : []));
  const result = (
    verdict: WiringCheck['verdict'],
    says: string,
    more: Partial<Pick<WiringCheck, 'offsetV' | 'off' | 'instead' | 'odds'>> = {},
  ): WiringCheck => ({
    verdict,
    compared: both.length,
    offsetV: 0,
    off: [],
    instead: [],
    odds: [],
    says,
    ...more,
  });
  if (both.length < 4)
    return result('cannot-tell', 'Four channels or more, metered and scanned at the same rest, tell.');

  const differences = (shows: readonly number[]): { at: number; d: number }[] => {
    const raw = metered.flatMap((i) =>
      scannedV[shows[i]!] == null ? [] : [{ at: i, d: meteredV[i]! - scannedV[shows[i]!]! }],
    );
    const offsetV = median(raw.map((x) => x.d));
    return raw.map(({ at, d }) => ({ at, d: d - offsetV }));
  };
  const likelihood = (shows: readonly number[]): number =>
    overScatters(differences(shows).reduce((s, { d }) => plus(s, logLikely(d)), NONE));
  const drawn = names.map((_, i) => i);
  const straight = differences(drawn);
  const offsetV = median(both.map((i) => meteredV[i]! - scannedV[i]!));
  const wrong = straight.filter(({ d }) => Math.abs(d) > AGREE_V);

  const byScatter = straight.reduce((s, { d }) => plus(s, logLikely(d)), NONE);
  const asDrawn = overScatters(byScatter);
  /** Prior of all mistakes that were weighed, and of those that the readings rule out. */
  const mistakes = { all: 0, ruledOut: 0 };
  const weighed: Weighed[] = [{ shows: drawn, says: AS_IT_IS, log: Math.log(AS_DRAWN) + asDrawn }];
  let top = weighed[0]!.log;
  /** Keeps what may still be the likeliest: of many thousand orders a handful. */
  const weigh = (moved: readonly Moved[], says: () => string, prior: number): void => {
    const few = moved.length <= n * FEW;
    // Two channels leave the common shift as it is; a block of some moves it a little.
    const far = moved.length > 2 ? 2 * FAR : FAR;
    const likely = few ? overScatters(plus(byScatter, change(moved))) : likelihood(showsOf(n, { moved }));
    mistakes.all += prior;
    if (likely < asDrawn - SHOWS) mistakes.ruledOut += prior;
    if (few && Math.log(prior) + likely < top - far) return;
    const shows = showsOf(n, { moved });
    const log = Math.log(prior) + (few ? likelihood(shows) : likely);
    if (log < top - FAR) return;
    top = Math.max(top, log);
    weighed.push({ shows, says: says(), log });
  };
  const own = new Map(straight.map(({ at, d }) => [at, logLikely(d)]));
  /** What an order that moves few channels changes: the pack's common shift is told by those that stay. */
  const change = (moved: readonly Moved[]): number[] =>
    moved.reduce((sum, [at, from]) => {
      const [m, s] = [meteredV[at], scannedV[from]];
      const without = minus(sum, own.get(at) ?? NONE);
      return m == null || s == null ? without : plus(without, logLikely(m - s - offsetV));
    }, NONE);
  for (const { moved, says, prior } of wiringPermutations(n, blocks))
    if (moved.length > 0) weigh(moved, () => says, prior);
  const ofTwo = exchangePrior(n);
  for (const [x, a] of both.entries())
    for (const b of both.slice(x + 1)) {
      const moved: Moved[] = [
        [a, b],
        [b, a],
      ];
      weigh(moved, () => `${names[a]} and ${names[b]} are exchanged`, ofTwo);
    }
  // The one order of all that fits best: lowest to lowest. Several that read alike could be in any order among themselves.
  let alike: string[] = [];
  const some = both.length === metered.length ? both : [];
  if (some.length === n) {
    const byMeter = [...some].sort((p, q) => meteredV[p]! - meteredV[q]!);
    const byScan = [...some].sort((p, q) => scannedV[p]! - scannedV[q]!);
    const shows = [...drawn];
    byMeter.forEach((i, k) => (shows[i] = byScan[k]!));
    const close = byScan.map((c, k) => k > 0 && Math.abs(scannedV[c]! - scannedV[byScan[k - 1]!]!) < AGREE_V);
    alike = byScan.filter((_, k) => close[k] || close[k + 1]).map((c) => names[c]!);
    weighed.push({
      shows,
      says: 'the channels lie in another order altogether',
      log: Math.log(ANY_ORDER) - logFactorial(n) + likelihood(shows),
    });
  }
  // Two ways to the same order are one.
  const byOrder = new Map<string, Weighed>();
  top = Math.max(...weighed.map((w) => w.log));
  for (const w of weighed) {
    if (w.log < top - FAR) continue;
    const key = w.shows.join();
    const before = byOrder.get(key);
    if (!before) byOrder.set(key, w);
    else byOrder.set(key, { ...before, log: Math.max(before.log, w.log) });
  }
  const total = [...byOrder.values()].reduce((s, w) => s + Math.exp(w.log - top), 0);
  const ranked = [...byOrder.values()]
    .map((w) => ({ ...w, share: Math.exp(w.log - top) / total }))
    .sort((p, q) => q.share - p.share);
  const best = ranked[0]!;
  const odds = ranked
    .filter((r, i) => r.share >= WORTH_NAMING && i < MOST_NAMED)
    .map(({ says, share }) => ({ says, share }));

  // Where the channels read alike a wrong order fits as well as the right one.
  const showing = mistakes.ruledOut / mistakes.all;
  const telling = showing >= SHOWS_SHARE;
  const percent = `${Math.floor(100 * showing)} %`;

  if (best.says !== AS_IT_IS && best.share >= CERTAIN) {
    const left = differences(best.shows).filter(({ d }) => Math.abs(d) > AGREE_V);
    // An order is believed where it clears what was wrong, not where it moves it about.
    if (left.length <= Math.max(0, wrong.length - 2) && left.length <= both.length / 10) {
      const moved = drawn.filter((i) => best.shows[i] !== i);
      const unsure = best.says.startsWith('the channels lie in another order') ? alike : [];
      return result(
        'disproven',
        `The meter says that ${best.says}: the pack’s map is not right.${
          unsure.length > 0
            ? ` ${listed(unsure)} read alike and could lie in any order among themselves: meter again when the pack is nearer to empty.`
            : ''
        }`,
        {
          offsetV,
          off: left.map(({ at, d }) => ({ channelIndex: at, differenceV: d })),
          instead: unsure.length > 0 ? [] : moved.map((i) => ({ channelIndex: i, shows: best.shows[i]! })),
          odds,
        },
      );
    }
  }
  if (wrong.length === 0)
    return result(
      telling ? 'proven' : 'cannot-tell',
      `Meter and scan agree on all ${both.length} channels, ${
        telling
          ? `and they differ enough that ${percent} of the mistakes that are made would show: the map is right.`
          : `but they read so alike that only ${percent} of the mistakes that are made would show.`
      }`,
      { offsetV, odds: telling ? odds : [] },
    );
  const few = wrong.length <= both.length / 4;
  const certain = best.says === AS_IT_IS && best.share >= CERTAIN;
  const says = few
    ? `${wrong.map(({ at, d }) => `${names[at]} by ${Math.round(Math.abs(d) * 1000)} mV`).join(', ')}: board and terminals do not agree there. The other ${both.length - wrong.length} do.`
    : `Meter and scan differ on ${wrong.length} of ${both.length} channels and no order explains it: was the pack at rest for both?`;
  const other = odds.find((o) => o.says !== AS_IT_IS);
  return result(
    few && telling && certain ? 'proven' : 'cannot-tell',
    few && telling && !certain && other
      ? `${says} It may also be that ${other.says} (${Math.round(100 * other.share)} in 100).`
      : says,
    {
      offsetV,
      off: few ? wrong.map(({ at, d }) => ({ channelIndex: at, differenceV: d })) : [],
      odds: few && telling ? odds : [],
    },
  );
}
