import { median } from './statistics';

/** What voltages metered at the terminals say of a scan of the same moment. */
export interface MapCheck {
  verdict: 'proven' | 'disproven' | 'cannot-tell';
  /** Channels that were metered and scanned. */
  compared: number;
  /** The pack moved as a whole between the two, V. */
  offsetV: number;
  /** Channels whose board and terminals do not agree, the order being right. */
  off: { channelIndex: number; differenceV: number }[];
  /** The order that the meter fits better: each channel, and whose voltage the scan shows under its name. */
  instead: { channelIndex: number; shows: number }[];
  says: string;
}

/** Board and meter agree within this, V: both read to a few millivolts. Common practice, no source. */
const AGREE_V = 0.006;
/** Neighbours have to differ by this before an order can be told, V. */
const TELLS_V = 0.012;

/**
 * Compares voltages metered at the terminals with a scan of the same rest: whether each channel is where the profile
 * says, and which board readings are off. The pack's common shift between the two is taken out. Orders that are tried are
 * those that wiring mistakes make: two exchanged, all reversed, all shifted by one.
 * @param names for the sentence.
 */
export function checkMap(
  scannedV: readonly (number | null)[],
  meteredV: readonly (number | null)[],
  names: readonly string[],
): MapCheck {
  const both = scannedV.flatMap((s, i) => (s !== null && meteredV[i] != null ? [i] : []));
  const at = both.map((i) => meteredV[i]!);
  const result = (
    verdict: MapCheck['verdict'],
    offsetV: number,
    off: MapCheck['off'],
    instead: MapCheck['instead'],
    says: string,
  ): MapCheck => ({ verdict, compared: both.length, offsetV, off, instead, says });
  if (both.length < 4)
    return result(
      'cannot-tell',
      0,
      [],
      [],
      'Four channels or more, metered and scanned at the same rest, tell.',
    );
  const order = (from: readonly number[]): { offsetV: number; wrong: number[] } => {
    const differences = from.map((i, k) => at[k]! - scannedV[i]!);
    const offsetV = median(differences);
    return {
      offsetV,
      wrong: both.filter((_, k) => Math.abs(differences[k]! - offsetV) > AGREE_V),
    };
  };
  const straight = order(both);
  // One odd channel tells nothing of the order of the rest: what counts is how many neighbours differ from each other.
  const pairs = both
    .slice(1)
    .filter((i, k) => Math.abs(scannedV[i]! - scannedV[both[k]!]!) >= TELLS_V).length;
  const telling = pairs >= (both.length - 1) / 2;
  if (straight.wrong.length === 0)
    return result(
      telling ? 'proven' : 'cannot-tell',
      straight.offsetV,
      [],
      [],
      `Meter and scan agree on all ${both.length} channels, ${
        telling
          ? `and ${pairs} of ${both.length - 1} neighbours differ enough that an exchange would show: the map is right.`
          : `but only ${pairs} of ${both.length - 1} neighbours differ enough that an exchange would show.`
      }`,
    );
  const n = both.length;
  const orders: { from: number[]; says: string }[] = [
    { from: [...both].reverse(), says: 'the channels run the other way round' },
    { from: both.map((_, k) => both[(k + 1) % n]!), says: 'the channels are shifted by one' },
    { from: both.map((_, k) => both[(k + n - 1) % n]!), says: 'the channels are shifted by one' },
  ];
  for (const [x, a] of straight.wrong.entries())
    for (const b of straight.wrong.slice(x + 1)) {
      const from = both.map((i) => (i === a ? b : i === b ? a : i));
      orders.push({ from, says: `${names[a]} and ${names[b]} are exchanged` });
    }
  const best = orders
    .map((o) => ({ ...o, ...order(o.from) }))
    .sort((p, q) => p.wrong.length - q.wrong.length)[0];
  // An order is believed where it clears what was wrong, not where it moves it about.
  if (
    telling &&
    best &&
    best.wrong.length <= Math.max(0, straight.wrong.length - 2) &&
    best.wrong.length <= n / 10
  )
    return result(
      'disproven',
      best.offsetV,
      [],
      both.flatMap((i, k) => (best.from[k] === i ? [] : [{ channelIndex: i, shows: best.from[k]! }])),
      `The meter says that ${best.says}: the pack’s map is not right.`,
    );
  const off = straight.wrong.map((i) => ({
    channelIndex: i,
    differenceV: meteredV[i]! - scannedV[i]! - straight.offsetV,
  }));
  const few = off.length <= n / 4;
  return result(
    few && telling ? 'proven' : 'cannot-tell',
    straight.offsetV,
    few ? off : [],
    [],
    few
      ? `${off.map((o) => `${names[o.channelIndex]} by ${Math.round(Math.abs(o.differenceV) * 1000)} mV`).join(', ')}: board and terminals do not agree there. The other ${n - off.length} do.`
      : `Meter and scan differ on ${off.length} of ${n} channels and no order explains it: was the pack at rest for both?`,
  );
}
