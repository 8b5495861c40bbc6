import fc from 'fast-check';
import { mkdtempSync, rmSync, statSync, truncateSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { chunksOf, Spill } from './spill';

const folder = mkdtempSync(join(tmpdir(), 'cellmend-spill-'));
afterAll(() => rmSync(folder, { recursive: true }));
const path = join(folder, 'readings');

const read = async (spill: Spill, size: number) => {
  const found = new Map<string, number[]>();
  const sizes: number[] = [];
  for await (const { signal, part, values } of chunksOf(spill.done(), size)) {
    const own = found.get(signal) ?? [];
    expect(part).toBe(own.length === 0 ? 0 : part);
    found.set(signal, [...own, ...values]);
    sizes.push(values.length);
  }
  return { found, sizes };
};

describe('readings on their way into the database', () => {
  it('come back signal by signal in the order they came, whatever the pieces, to the last bit', async () => {
    const piece = fc.tuple(
      fc.constantFrom('time', 'channel:0', 'channel:1', 'sensor:rear left °C'),
      fc.array(fc.double(), { minLength: 1, maxLength: 50 }),
    );
    await fc.assert(
      fc.asyncProperty(fc.array(piece, { maxLength: 40 }), async (pieces) => {
        const spill = new Spill(path);
        const expected = new Map<string, number[]>();
        for (const [signal, values] of pieces) {
          spill.take(signal, Float64Array.from(values));
          expected.set(signal, [...(expected.get(signal) ?? []), ...values]);
        }
        const { found, sizes } = await read(spill, 50);
        expect(found).toEqual(expected);
        expect(Math.max(0, ...sizes)).toBeLessThanOrEqual(50);
      }),
      { numRuns: 60 },
    );
  });

  it('are copied when they are taken: the piece is only lent', async () => {
    const spill = new Spill(path);
    const lent = Float64Array.of(1, 2, 3, 4, 5);
    spill.take('soc', lent.subarray(1, 4));
    lent.fill(0);
    expect((await read(spill, 8)).found.get('soc')).toEqual([2, 3, 4]);
  });

  it('are numbered in parts as they will be stored', async () => {
    const spill = new Spill(path);
    for (let i = 0; i < 10; i++) spill.take('current', new Float64Array(30).fill(i));
    const parts: number[] = [];
    for await (const chunk of chunksOf(spill.done(), 64)) parts.push(chunk.part);
    expect(parts).toEqual([0, 1, 2, 3, 4]);
  });

  it('that were cut off on the disk are an error and not a shorter record', async () => {
    const spill = new Spill(path);
    spill.take('channel:3', new Float64Array(100));
    const spilled = spill.done();
    truncateSync(path, statSync(path).size - 8);
    await expect(async () => {
      for await (const chunk of chunksOf(spilled, 64)) expect(chunk.values.length).toBeGreaterThan(0);
    }).rejects.toThrow(/channel:3 are cut off/);
  });

  it('are closed once, however often that is asked', () => {
    const spill = new Spill(path);
    spill.take('time', Float64Array.of(0));
    expect(spill.done()).toEqual(spill.done());
  });
});
