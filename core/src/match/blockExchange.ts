import { Random } from '../simpack/random';

/** A place that is to be filled in a block, and what is in it. */
export interface Slots {
  /** Blocks with places to fill, each with how many. */
  open: readonly { block: number; size: number }[];
  /** What stays in each block, open or not. */
  fixedSum: readonly number[];
}
/** What each module of a choice holds, block by block, as indices into what was given. */
export interface Exchanged {
  of: number[][];
  spread: number;
}

const EPS = 1e-9;
/** Exchanges tried in one shaking. */
const SHAKES = 30_000;
/** Rounds of best exchange before it stops. */
const ROUNDS = 400;
/** Warmth of the shaking at its beginning and at its end, in squares of what a module holds. */
const HOT = 0.5;
const COLD = 1e-4;
const LEFT_OVER = 0.4;

export const spreadOf = (sums: readonly number[]): number => Math.max(...sums) - Math.min(...sums);
const middleOf = (list: readonly number[]): number => list.reduce((x, y) => x + y, 0) / list.length;
const varianceOf = (list: readonly number[]): number => {
  const mu = middleOf(list);
  return list.reduce((x, v) => x + (v - mu) ** 2, 0);
};

/** Modules in blocks, with what is left over. */
class Choice {
  readonly of: number[][];
  readonly sums: number[];
  constructor(
    private readonly holds: readonly number[],
    private readonly slots: Slots,
    readonly rest: number[],
  ) {
    this.of = slots.fixedSum.map(() => []);
    this.sums = [...slots.fixedSum];
  }
  put(module: number, block: number): void {
    this.of[block]!.push(module);
    this.sums[block]! += this.holds[module]!;
  }
  /** Puts another module where one is; the one comes to where the other was, in a block or left over. */
  swap([b, i]: readonly [number, number], [o, j]: readonly [number, number]): void {
    const other = o < 0 ? this.rest : this.of[o]!;
    const [x, y] = [this.of[b]![i]!, other[j]!];
    this.of[b]![i] = y;
    other[j] = x;
    const d = this.holds[y]! - this.holds[x]!;
    this.sums[b]! += d;
    if (o >= 0) this.sums[o]! -= d;
  }
  /** What the sum of the first block gains by an exchange. */
  gains([b, i]: readonly [number, number], [o, j]: readonly [number, number]): number {
    const other = o < 0 ? this.rest : this.of[o]!;
    return this.holds[other[j]!]! - this.holds[this.of[b]![i]!]!;
  }
  /** Every exchange between two blocks, and with what is left over. */
  *exchanges(): Generator<[readonly [number, number], readonly [number, number]]> {
    for (const { block: b } of this.slots.open)
      for (let i = 0; i < this.of[b]!.length; i++) {
        for (const { block: o } of this.slots.open)
          if (o > b)
            for (let j = 0; j < this.of[o]!.length; j++)
              yield [
                [b, i],
                [o, j],
              ];
        for (let j = 0; j < this.rest.length; j++)
          yield [
            [b, i],
            [-1, j],
          ];
      }
  }
}

/** Exchanges, always the best, until none makes a figure of the sums smaller. */
function descend(choice: Choice, worth: (sums: readonly number[]) => number): void {
  for (let round = 0; round < ROUNDS; round++) {
    const now = worth(choice.sums);
    let gain = EPS;
    let act: [readonly [number, number], readonly [number, number]] | null = null;
    for (const [at, with_] of choice.exchanges()) {
      const d = choice.gains(at, with_);
      if (d === 0) continue;
      const [b, o] = [at[0], with_[0]];
      choice.sums[b]! += d;
      if (o >= 0) choice.sums[o]! -= d;
      const g = now - worth(choice.sums);
      choice.sums[b]! -= d;
      if (o >= 0) choice.sums[o]! += d;
      if (g > gain) [gain, act] = [g, [at, with_]];
    }
    if (!act) return;
    choice.swap(...act);
  }
}

/** Exchanges by chance, fewer that make it worse as it cools, always alike; the best on the way is kept. */
function shake(choice: Choice, slots: Slots): Exchanged {
  let best: Exchanged = { of: choice.of.map((l) => [...l]), spread: spreadOf(choice.sums) };
  const random = new Random(1);
  const places = slots.open.flatMap(({ block, size }) =>
    Array.from({ length: size }, (_, i): [number, number] => [block, i]),
  );
  for (let step = 0; step < SHAKES && places.length > 1 && best.spread > EPS; step++) {
    const heat = HOT * (COLD / HOT) ** (step / SHAKES);
    const at = places[random.integer(0, places.length - 1)]!;
    const withRest = choice.rest.length > 0 && random.uniform() < LEFT_OVER;
    const with_: readonly [number, number] = withRest
      ? [-1, random.integer(0, choice.rest.length - 1)]
      : places[random.integer(0, places.length - 1)]!;
    const [b, o] = [at[0], with_[0]];
    if (o === b) continue;
    const mu = middleOf(choice.sums);
    const d = choice.gains(at, with_);
    const off = (block: number, by: number): number =>
      (choice.sums[block]! + by - mu) ** 2 - (choice.sums[block]! - mu) ** 2;
    const worse = off(b, d) + (o >= 0 ? off(o, -d) : 0);
    if (worse > 0 && random.uniform() >= Math.exp(-worse / heat)) continue;
    choice.swap(at, with_);
    const now = spreadOf(choice.sums);
    if (now < best.spread - EPS) best = { of: choice.of.map((l) => [...l]), spread: now };
  }
  return best;
}

/**
 * A good choice without proof: windows of neighbours by what they hold, the largest into the emptiest block; then exchanges, first until
 * the sums lie together on the whole, then until the outermost two do, then by chance.
 * @param holds falling
 */
export function exchangeBlocks(holds: readonly number[], slots: Slots): Exchanged {
  const need = slots.open.reduce((s, o) => s + o.size, 0);
  let best: Exchanged | null = null;
  for (let from = 0; from + need <= holds.length; from++) {
    const rest = holds.map((_, i) => i).filter((i) => i < from || i >= from + need);
    const choice = new Choice(holds, slots, rest);
    for (let i = from; i < from + need; i++) {
      const room = slots.open.filter((o) => choice.of[o.block]!.length < o.size);
      choice.put(i, room.reduce((a, o) => (choice.sums[o.block]! < choice.sums[a.block]! ? o : a)).block);
    }
    descend(choice, varianceOf);
    descend(choice, spreadOf);
    const next = shake(choice, slots);
    if (!best || next.spread < best.spread - EPS) best = next;
    if (best.spread <= EPS) break;
  }
  return best ?? { of: slots.fixedSum.map(() => []), spread: spreadOf(slots.fixedSum) };
}
