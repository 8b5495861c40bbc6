import { describe, expect, it } from 'vitest';
import { Turns } from './turns';

const soon = (): Promise<void> => new Promise((r) => setTimeout(r, 1));

describe('turns', () => {
  it('are so many at once, and the next begins when one ends', async () => {
    const turns = new Turns(2, 10);
    let running = 0;
    let most = 0;
    const work = async (who: string): Promise<void> => {
      const end = await turns.wait(who);
      most = Math.max(most, ++running);
      await soon();
      running--;
      end();
    };
    await Promise.all(Array.from({ length: 9 }, (_, i) => work(`p${i}`)));
    expect(most).toBe(2);
  });

  it('keep nobody waiting behind one person’s many', async () => {
    const turns = new Turns(2, 100);
    const order: string[] = [];
    const work = async (who: string, name: string): Promise<void> => {
      const end = await turns.wait(who);
      order.push(name);
      await soon();
      end();
    };
    const many = Array.from({ length: 14 }, (_, i) => work('viewer', `v${i}`));
    const one = work('technician', 't');
    await Promise.all([...many, one]);
    // Two were running already; then the technician's comes, although twelve had asked before.
    expect(order.indexOf('t')).toBe(2);
    expect(order.filter((o) => o.startsWith('v'))).toEqual(Array.from({ length: 14 }, (_, i) => `v${i}`));
  });

  it('say how many are before, and let go of who gives up', async () => {
    const turns = new Turns(1, 3);
    const end = await turns.wait('a');
    const places: Record<string, number[]> = { b: [], c: [], d: [] };
    const stop = new AbortController();
    const b = turns.wait('b', stop.signal, (n) => places.b!.push(n));
    const c = turns.wait('c', undefined, (n) => places.c!.push(n));
    const d = turns.wait('d', undefined, (n) => places.d!.push(n));
    await expect(turns.wait('e')).rejects.toThrow(/wait to be read/);
    stop.abort(new Error('gone'));
    await expect(b).rejects.toThrow('gone');
    end();
    (await c)();
    (await d)();
    expect(places).toEqual({ b: [1], c: [2, 1, 0], d: [3, 2, 1, 0] });
    end();
    await expect(turns.wait('a')).resolves.toBeTypeOf('function');
  });
});
