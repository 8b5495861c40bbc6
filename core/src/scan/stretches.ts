/** Readings of the finest stretch, and how many stretches make one of the next level. */
const FINEST = 16;
const WIDER = 4;
/** The widest level has no more stretches than this. */
const FEWEST = 512;
/** Most stretches, or readings, of one answer. */
export const MOST_STRETCHES = 1200;

/** How many readings a stretch of a level holds; level 0 are the readings themselves. */
export const stretchOf = (level: number): number => (level === 0 ? 1 : FINEST * WIDER ** (level - 1));
/** How many levels of stretches a course of so many readings has. */
export function levelsOf(readings: number): number {
  let level = 1;
  while (Math.ceil(readings / stretchOf(level)) > FEWEST) level++;
  return level;
}

/** The lowest and the highest of a list of pairs, `by` of them at a time; what was not read counts for nothing. */
function widened(pairs: Float64Array, by: number): Float64Array {
  const n = Math.ceil(pairs.length / 2 / by);
  const out = new Float64Array(2 * n);
  for (let s = 0; s < n; s++) {
    let low = NaN;
    let high = NaN;
    for (let i = 2 * s * by; i < Math.min(pairs.length, 2 * (s + 1) * by); i += 2) {
      if (!(pairs[i]! >= low)) low = Number.isNaN(pairs[i]!) ? low : pairs[i]!;
      if (!(pairs[i + 1]! <= high)) high = Number.isNaN(pairs[i + 1]!) ? high : pairs[i + 1]!;
    }
    out[2 * s] = low;
    out[2 * s + 1] = high;
  }
  return out;
}

/**
 * The lowest and the highest reading of every stretch of one signal, finest first: a course of any length is drawn from as many
 * figures as a screen has columns, and no peak is lost on the way. Readings may come in pieces.
 */
export class Stretches {
  private readonly finest: number[] = [];
  private inStretch = 0;
  private low = NaN;
  private high = NaN;
  readings = 0;

  take(piece: Float64Array | readonly number[]): void {
    for (let i = 0; i < piece.length; i++) {
      const v = piece[i]!;
      if (!(v >= this.low) && v === v) this.low = v;
      if (!(v <= this.high) && v === v) this.high = v;
      this.readings++;
      if (++this.inStretch === FINEST) this.end();
    }
  }
  private end(): void {
    this.finest.push(this.low, this.high);
    this.inStretch = 0;
    this.low = this.high = NaN;
  }

  /** Pairs of lowest and highest by level, from level 1 on. */
  done(): Float64Array[] {
    if (this.inStretch > 0) this.end();
    const levels: Float64Array[] = [Float64Array.from(this.finest)];
    for (let l = 1; l < levelsOf(this.readings); l++) levels.push(widened(levels[l - 1]!, WIDER));
    return levels;
  }
}

/** Where a course lies: readings at level 0, pairs of lowest and highest above it. */
export interface CourseReader {
  readings: number;
  read: (signal: string, level: number, from: number, count: number) => Promise<Float64Array>;
}
export interface Window {
  level: number;
  from: number;
  count: number;
}

/**
 * The stretches that cover a span of time, as fine as so many of them allow. Only what lies at the ends of the span is read on
 * the way down.
 * @param time the signal that holds the times, which never fall
 */
export async function windowOf(
  { readings, read }: CourseReader,
  time: string,
  fromS: number,
  toS: number,
  most = MOST_STRETCHES,
): Promise<Window> {
  let level = levelsOf(readings);
  const countOf = (l: number): number => Math.ceil(readings / stretchOf(l));
  const top = await read(time, level, 0, countOf(level));
  let [first, last] = [0, countOf(level) - 1];
  while (first < last && top[2 * first + 1]! < fromS) first++;
  while (last > first && top[2 * last]! > toS) last--;
  while (level > 0) {
    const by = level === 1 ? FINEST : WIDER;
    const next = level - 1;
    const end = countOf(next);
    const pairs = next > 0;
    const children = async (parent: number): Promise<{ at: number; low: number; high: number }[]> => {
      const at = parent * by;
      const values = await read(time, next, at, Math.min(by, end - at));
      return pairs
        ? Array.from({ length: values.length / 2 }, (_, i) => ({
            at: at + i,
            low: values[2 * i]!,
            high: values[2 * i + 1]!,
          }))
        : Array.from(values, (v, i) => ({ at: at + i, low: v, high: v }));
    };
    const begins = await children(first);
    const ends = first === last ? begins : await children(last);
    // One more on either side: a line that leaves the picture goes on to its edge.
    const a = Math.max(0, (begins.find((c) => c.high >= fromS) ?? begins.at(-1)!).at - 1);
    const b = Math.min(end - 1, (ends.findLast((c) => c.low <= toS) ?? ends[0]!).at + 1);
    if (b - a + 1 > most) break;
    [level, first, last] = [next, a, b];
  }
  return { level, from: first, count: last - first + 1 };
}

/** A window of one signal as points of a line: of each stretch its lowest and its highest, between its first and last time. */
export async function pointsOf(
  { read }: CourseReader,
  time: string,
  signal: string,
  { level, from, count }: Window,
): Promise<{ timeS: number[]; value: number[] }> {
  const [t, v] = await Promise.all([read(time, level, from, count), read(signal, level, from, count)]);
  const timeS: number[] = [];
  const value: number[] = [];
  for (let i = 0; i < v.length; i++) {
    if (!Number.isFinite(v[i]!)) continue;
    timeS.push(t[i]!);
    value.push(v[i]!);
  }
  return { timeS, value };
}
