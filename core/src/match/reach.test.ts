import { describe, expect, it } from 'vitest';
import { marramVan } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { Random } from '../simpack/random';
import { inReach, reachOf } from '.';

const pack = normalisePack(marramVan());
const every = <T>(items: readonly T[]): T[][] =>
  items.length === 0
    ? [[]]
    : items.flatMap((x, i) => every(items.filter((_, k) => k !== i)).map((r) => [x, ...r]));

describe('what may have to come out again', () => {
  it('lies in the least time that any arrangement of what is out gives (every arrangement, seed 9)', () => {
    const random = new Random(9);
    const names = pack.modules.map((m) => m.id);
    for (let round = 0; round < 12; round++) {
      const out = [...names].sort(() => random.uniform() - 0.5).slice(0, 5);
      const suspects = out.slice(0, 1 + (round % 3));
      const reach = reachOf(pack, out);
      const moves = inReach(pack, out, suspects);
      const total = suspects.reduce((s, p) => s + reach[moves.find((m) => m.from === p)?.to ?? p]!, 0);
      const least = Math.min(
        ...every(out).map((order) => suspects.reduce((s, _, i) => s + reach[order[i]!]!, 0)),
      );
      // What saves less than five minutes a module is left where it is.
      expect(total).toBeLessThan(least + 5 * suspects.length);
      // Nothing is moved onto another suspect, nor twice.
      expect(new Set(moves.map((m) => m.to)).size).toBe(moves.length);
      for (const m of moves) {
        expect(suspects).not.toContain(m.to);
        expect(m.nowMin - m.reachMin).toBeGreaterThanOrEqual(5);
      }
    }
  });

  it('a wet module under the upper tier changes with a sound one above; alone it stays', () => {
    expect(inReach(pack, ['M01'], ['M01'])).toEqual([]);
    const [move] = inReach(pack, ['M01', 'M17'], ['M01']);
    expect(move).toMatchObject({ from: 'M01', to: 'M17' });
  });
});
