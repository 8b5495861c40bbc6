/** Channels that lie together and may be mistaken as one: a module, or all that a sense board reports. */
export interface Block {
  name: string;
  /** Indices, in the order of the profile. */
  channels: number[];
}

/** An order in which the channels of a scan may lie: at place `i` is what the scan shows under the name of `shows[i]`. */
export interface MapOrder {
  shows: readonly number[];
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

const count = (k: number): string => (k === 1 ? 'one' : String(k));
const range = (n: number): number[] => Array.from({ length: n }, (_, i) => i);
const put = (n: number, moved: readonly (readonly [at: number, shows: number])[]): number[] => {
  const shows = range(n);
  for (const [at, from] of moved) shows[at] = from;
  return shows;
};
const shared = (share: number, orders: readonly Omit<MapOrder, 'prior'>[]): MapOrder[] =>
  orders.map((o) => ({ ...o, prior: share / orders.length }));
const pairs = <T>(all: readonly T[]): [T, T][] =>
  all.flatMap((a, i) => all.slice(i + 1).map((b): [T, T] => [a, b]));

/**
 * The orders that wiring and drawing mistakes make, but for the exchange of two single channels (`exchangePrior`): all
 * reversed, shifted, the halves exchanged or each reversed, one block or every block reversed, two blocks exchanged,
 * numbered across instead of along, in one direction or to and fro.
 */
export function mapOrders(n: number, blocks: readonly Block[]): MapOrder[] {
  const all = range(n);
  const half = Math.floor(n / 2);
  const many = blocks.filter((b) => b.channels.length > 1);
  const reversed = (b: Block): [number, number][] =>
    b.channels.map((c, k) => [c, b.channels[b.channels.length - 1 - k]!]);
  const transposed = range(half + 1)
    .filter((d) => d >= 2 && n % d === 0)
    .flatMap((d) => {
      const across = all.map((i) => (i % d) * (n / d) + Math.floor(i / d));
      const toAndFro = all.map((i) => {
        const [row, column] = [Math.floor(i / d), i % d];
        return row * d + (row % 2 === 0 ? column : d - 1 - column);
      });
      return [
        { shows: across, says: `the channels are numbered across ${d} rows, not along them` },
        { shows: toAndFro, says: `the channels are numbered to and fro, ${d} at a time` },
      ];
    });
  return [
    ...shared(
      SHARE.shifted,
      range(n - 1).map((k) => ({
        shows: all.map((i) => (i + k + 1) % n),
        says:
          n % 2 === 0 && k + 1 === half
            ? 'the two halves of the pack are exchanged'
            : `the channels are shifted by ${count(Math.min(k + 1, n - k - 1))}`,
      })),
    ),
    ...shared(SHARE.reversed, [{ shows: [...all].reverse(), says: 'the channels run the other way round' }]),
    ...shared(SHARE.halvesReversed, [
      {
        shows: all.map((i) => (i < half ? half - 1 - i : n - 1 - (i - half))),
        says: 'each half of the pack runs the other way round',
      },
    ]),
    ...shared(
      SHARE.blockReversed,
      many.map((b) => ({
        shows: put(n, reversed(b)),
        says: `the channels of ${b.name} run the other way round`,
      })),
    ),
    ...(many.length > 1
      ? shared(SHARE.blocksReversed, [
          {
            shows: put(n, many.flatMap(reversed)),
            says: 'the channels of every module run the other way round',
          },
        ])
      : []),
    ...shared(
      SHARE.blocksExchanged,
      pairs(many)
        .filter(
          ([a, b]) =>
            a.channels.length === b.channels.length && !a.channels.some((c) => b.channels.includes(c)),
        )
        .map(([a, b]) => ({
          shows: put(
            n,
            a.channels.flatMap((c, k): [number, number][] => [
              [c, b.channels[k]!],
              [b.channels[k]!, c],
            ]),
          ),
          says: `${a.name} and ${b.name} are exchanged`,
        })),
    ),
    ...shared(SHARE.renumbered, transposed),
  ];
}

/** How likely the exchange of two given channels is, of `n`, before anything is read. */
export const exchangePrior = (n: number): number => SHARE.exchanged / ((n * (n - 1)) / 2);
