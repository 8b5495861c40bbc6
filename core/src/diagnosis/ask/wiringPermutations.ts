/** Channels that lie together and may be mistaken as one: a module, or all that a sense board reports. */
export interface Block {
  name: string;
  /** Indices, in the order of the profile. */
  channels: number[];
}

/** A place, and the channel under whose name the scan shows what is there. */
export type Moved = readonly [at: number, from: number];
/** An order in which the channels of a scan may lie: where it is not as drawn. */
export interface WiringPermutation {
  moved: readonly Moved[];
  /** “ch03 and ch04 are exchanged”. */
  says: string;
  /** How likely it is before anything is read. */
  prior: number;
}

/**
 * How often each kind of mistake is taken to be made, before any reading; what is left is that the map is right.
 * A judgement of ours: common practice, no source.
 */
const SHARE = {
  exchanged: 0.02,
  blocksExchanged: 0.02,
  blockReversed: 0.01,
  reversed: 0.01,
  shifted: 0.02,
  halvesReversed: 0.005,
  blocksReversed: 0.005,
  renumbered: 0.005,
  /** Any order whatever, all of them together. */
  any: 0.001,
} as const;
export const ANY_ORDER = SHARE.any;
/** That the map is right, before anything is read. */
export const AS_DRAWN = 1 - Object.values(SHARE).reduce((s, x) => s + x, 0);

const range = (n: number): number[] => Array.from({ length: n }, (_, i) => i);
const put = (n: number, moved: readonly Moved[]): number[] => {
  const shows = range(n);
  for (const [at, from] of moved) shows[at] = from;
  return shows;
};
const count = (k: number): string => (k === 1 ? 'one' : String(k));
const whole = (shows: readonly number[]): Moved[] =>
  shows.flatMap((from, at): Moved[] => (from === at ? [] : [[at, from]]));
/** The order of all channels that an order of `wiringPermutations` is. */
export const showsOf = (n: number, { moved }: Pick<WiringPermutation, 'moved'>): number[] => put(n, moved);

/**
 * The orders that wiring and drawing mistakes make, one after the other, but for the exchange of two single channels
 * (`exchangePrior`): all reversed, shifted, the halves exchanged or each reversed, one block or every block reversed, two
 * blocks exchanged, numbered across instead of along, in one direction or to and fro.
 */
export function* wiringPermutations(n: number, blocks: readonly Block[]): Generator<WiringPermutation> {
  const all = range(n);
  const half = Math.floor(n / 2);
  const many = blocks.filter((b) => b.channels.length > 1);
  const reversed = (b: Block): Moved[] =>
    b.channels.flatMap((c, k): Moved[] => {
      const from = b.channels[b.channels.length - 1 - k]!;
      return from === c ? [] : [[c, from]];
    });
  for (let k = 1; k < n; k++)
    yield {
      moved: all.map((i): Moved => [i, (i + k) % n]),
      says:
        n % 2 === 0 && k === half
          ? 'the two halves of the pack are exchanged'
          : `the channels are shifted by ${count(Math.min(k, n - k))}`,
      prior: SHARE.shifted / (n - 1),
    };
  yield {
    moved: whole([...all].reverse()),
    says: 'the channels run the other way round',
    prior: SHARE.reversed,
  };
  yield {
    moved: whole(all.map((i) => (i < half ? half - 1 - i : n - 1 - (i - half)))),
    says: 'each half of the pack runs the other way round',
    prior: SHARE.halvesReversed,
  };
  for (const b of many)
    yield {
      moved: reversed(b),
      says: `the channels of ${b.name} run the other way round`,
      prior: SHARE.blockReversed / many.length,
    };
  if (many.length > 1)
    yield {
      moved: whole(put(n, many.flatMap(reversed))),
      says: 'the channels of every module run the other way round',
      prior: SHARE.blocksReversed,
    };
  const mayChange = (a: Block, b: Block): boolean =>
    a.channels.length === b.channels.length && !a.channels.some((c) => b.channels.includes(c));
  let exchanges = 0;
  for (const [i, a] of many.entries()) for (const b of many.slice(i + 1)) if (mayChange(a, b)) exchanges++;
  for (const [i, a] of many.entries())
    for (const b of many.slice(i + 1))
      if (mayChange(a, b))
        yield {
          moved: a.channels.flatMap((c, k): Moved[] => [
            [c, b.channels[k]!],
            [b.channels[k]!, c],
          ]),
          says: `${a.name} and ${b.name} are exchanged`,
          prior: SHARE.blocksExchanged / exchanges,
        };
  const rows = range(half + 1).filter((d) => d >= 2 && n % d === 0);
  for (const d of rows) {
    yield {
      moved: whole(all.map((i) => (i % d) * (n / d) + Math.floor(i / d))),
      says: `the channels are numbered across ${d} rows, not along them`,
      prior: SHARE.renumbered / (2 * rows.length),
    };
    yield {
      moved: whole(
        all.map((i) => {
          const [row, column] = [Math.floor(i / d), i % d];
          return row * d + (row % 2 === 0 ? column : d - 1 - column);
        }),
      ),
      says: `the channels are numbered to and fro, ${d} at a time`,
      prior: SHARE.renumbered / (2 * rows.length),
    };
  }
}

/** How likely the exchange of two given channels is, of `n`, before anything is read. */
export const exchangePrior = (n: number): number => SHARE.exchanged / ((n * (n - 1)) / 2);
