import { describe, expect, it } from 'vitest';
import { Together } from './together';

/** Work that is let go by hand, and tells what stood in the record when it began. */
function slow(record: () => number): { work: () => Promise<number>; begun: () => number; letGo: () => void } {
  const waiting: (() => void)[] = [];
  let begun = 0;
  return {
    work: () => {
      begun++;
      const seen = record();
      return new Promise((resolve) => waiting.push(() => resolve(seen)));
    },
    begun: () => begun,
    letGo: () => waiting.shift()?.(),
  };
}
const turns = async (): Promise<void> => {
  for (let i = 0; i < 5; i++) await Promise.resolve();
};

describe('answers that many ask for at once', () => {
  it('are worked out once for all who came meanwhile, and never from before they asked', async () => {
    let record = 1;
    const { work, begun, letGo } = slow(() => record);
    const together = new Together();
    const first = together.do('board', work);
    record = 2;
    // Three who come after the write: none is answered with what stood before it.
    const later = [1, 2, 3].map(() => together.do('board', work));
    expect(begun()).toBe(1);
    letGo();
    expect(await first).toBe(1);
    await turns();
    expect(begun()).toBe(2);
    letGo();
    expect(await Promise.all(later)).toEqual([2, 2, 2]);
    await turns();
    // Nothing is kept once nobody waits.
    record = 3;
    const again = together.do('board', work);
    expect(begun()).toBe(3);
    letGo();
    expect(await again).toBe(3);
  });

  it('one key waits for no other, and one that fails fails only those who shared it', async () => {
    const together = new Together();
    const fails = together.do('a', () => Promise.reject(new Error('gone')));
    const next = together.do('a', () => Promise.resolve('well'));
    await expect(fails).rejects.toThrow('gone');
    expect(await next).toBe('well');
    const { work } = slow(() => 1);
    void together.do('b', work);
    expect(await together.do('c', () => Promise.resolve(7))).toBe(7);
  });
});
