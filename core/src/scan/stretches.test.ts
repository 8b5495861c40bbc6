import { max, min } from 'simple-statistics';
import { describe, expect, it } from 'vitest';
import { Random } from '../simpack/random';
import {
  levelsOf,
  MOST_STRETCHES,
  pointsOf,
  Stretches,
  stretchOf,
  windowOf,
  type CourseReader,
} from './stretches';

/** A course in memory, that counts what is read of it. */
function held(timeS: Float64Array, volts: Float64Array): { reader: CourseReader; read: () => number } {
  const levels = new Map<string, Float64Array[]>();
  for (const [name, values] of [
    ['time', timeS],
    ['v', volts],
  ] as const) {
    const s = new Stretches();
    // In pieces of any size, as a file is read.
    for (let at = 0, piece = 1; at < values.length; at += piece, piece = (piece * 7) % 1000 || 1)
      s.take(values.subarray(at, at + piece));
    levels.set(name, [values, ...s.done()]);
  }
  let figures = 0;
  return {
    reader: {
      readings: timeS.length,
      read: (signal, level, from, count) => {
        const size = level === 0 ? 1 : 2;
        const part = levels.get(signal)![level]!.slice(from * size, (from + count) * size);
        figures += part.length;
        return Promise.resolve(part);
      },
    },
    read: () => figures,
  };
}
const course = (n: number, seed: number) => {
  const r = new Random(seed);
  let t = 0;
  const timeS = Float64Array.from({ length: n }, () => (t += r.uniform(0.5, 1.5)));
  const volts = Float64Array.from({ length: n }, () => 3.6 + r.normal(0.002));
  // Single readings that stand out.
  for (let k = 0; k < 40; k++) volts[r.integer(0, n - 1)] = 3.6 + (k % 2 ? 1 : -1) * r.uniform(0.2, 0.6);
  return { timeS, volts };
};

describe('a course in stretches', () => {
  it('loses no peak, however wide it is drawn: lowest and highest are those of all readings', async () => {
    for (const [n, seed] of [
      [7, 1],
      [1200, 2],
      [40_000, 3],
      [300_001, 4],
    ] as const) {
      const { timeS, volts } = course(n, seed);
      const { reader } = held(timeS, volts);
      const w = await windowOf(reader, 'time', -Infinity, Infinity);
      const { value } = await pointsOf(reader, 'time', 'v', w);
      expect(Math.min(...value)).toBe(min(Array.from(volts)));
      expect(Math.max(...value)).toBe(max(Array.from(volts)));
      expect(w.count).toBeLessThanOrEqual(MOST_STRETCHES);
    }
  });
  it('shows of any span all that lies in it, as fine as it can, and the readings themselves where they are few', async () => {
    const { timeS, volts } = course(200_000, 9);
    const { reader } = held(timeS, volts);
    const r = new Random(5);
    for (let k = 0; k < 60; k++) {
      const fromS = r.uniform(0, timeS.at(-1)!);
      const toS = Math.min(timeS.at(-1)!, fromS + 10 ** r.uniform(0.5, 5));
      const w = await windowOf(reader, 'time', fromS, toS);
      const { timeS: t, value } = await pointsOf(reader, 'time', 'v', w);
      const inside = Array.from(volts).filter((_, i) => timeS[i]! >= fromS && timeS[i]! <= toS);
      if (inside.length === 0) continue;
      expect(t[0]!).toBeLessThanOrEqual(fromS + 1.5);
      expect(t.at(-1)!).toBeGreaterThanOrEqual(toS - 1.5);
      expect(Math.min(...value)).toBeLessThanOrEqual(min(inside));
      expect(Math.max(...value)).toBeGreaterThanOrEqual(max(inside));
      // No finer level would have been within what one answer may hold.
      if (inside.length <= MOST_STRETCHES - 4) expect(w.level).toBe(0);
      else expect(inside.length / stretchOf(w.level - 1)).toBeGreaterThan(MOST_STRETCHES - 8);
      expect([...t]).toEqual([...t].sort((a, b) => a - b));
    }
  });
  it('is opened from a few thousand figures, an hour or two weeks at a reading a second', async () => {
    const open = async (n: number): Promise<number> => {
      const { timeS, volts } = course(n, 7);
      const { reader, read } = held(timeS, volts);
      await pointsOf(reader, 'time', 'v', await windowOf(reader, 'time', -Infinity, Infinity));
      return read();
    };
    expect(await open(3600)).toBeLessThan(5 * MOST_STRETCHES);
    expect(await open(14 * 86_400)).toBeLessThan(5 * MOST_STRETCHES);
    expect(levelsOf(14 * 86_400)).toBeLessThan(8);
  });
  it('holes count for nothing, and a stretch of holes is none', async () => {
    const s = new Stretches();
    s.take([NaN, 2, 1, NaN]);
    s.take(new Array<number>(28).fill(NaN));
    expect([...s.done()[0]!]).toEqual([1, 2, NaN, NaN]);
    const { reader } = held(Float64Array.from([0, 1, 2]), Float64Array.from([NaN, 5, NaN]));
    const w = await windowOf(reader, 'time', 0, 2);
    expect(await pointsOf(reader, 'time', 'v', w)).toEqual({ timeS: [1], value: [5] });
  });
});
