import { spawnSync } from 'node:child_process';
import { describe, expect, it } from 'vitest';
import { Random } from '../../simpack';
import { checkWiring } from '..';
import { wiringPermutations, showsOf, type Block } from './wiringPermutations';

/** A pack at rest that has been driven: voltages a few tens of millivolts apart, read by a board and by a meter. */
function pack(random: Random, n: number, sd = 0.06): { board: number[]; meter: number[] } {
  const truth = Array.from({ length: n }, () => 3.8 + sd * random.normal());
  const read = (v: number): number => Number((v + 0.0015 * random.normal()).toFixed(3));
  return { board: truth.map(read), meter: truth.map(read) };
}
const N = 24;
const names = Array.from({ length: N }, (_, i) => `ch${String(i + 1).padStart(2, '0')}`);
const blocks: Block[] = Array.from({ length: 6 }, (_, m) => ({
  name: `M0${m + 1}`,
  channels: [0, 1, 2, 3].map((k) => 4 * m + k),
}));
/** What a meter reads at the places if the scan's names lie in another order. */
const placed = (meter: readonly number[], shows: readonly number[]): number[] => shows.map((j) => meter[j]!);

describe('which order the channels lie in', () => {
  it('finds every mistake that is looked for, planted in packs of its own, and no other', () => {
    const orders = [...wiringPermutations(N, blocks)]
      .map((o) => ({ ...o, shows: showsOf(N, o) }))
      .filter((o) => o.moved.length > 0);
    const seen = new Set<string>();
    orders.forEach(({ shows, says }, i) => {
      const { board, meter } = pack(new Random(100 + i), N);
      const c = checkWiring(board, placed(meter, shows), names, blocks);
      const same = orders.find((o) => o.shows.join() === shows.join())!;
      expect([says, c.verdict]).toEqual([says, 'disproven']);
      const found = names.map((_, k) => c.instead.find((x) => x.channelIndex === k)?.shows ?? k);
      expect(found).toEqual(shows);
      expect(c.says).toContain(same.says);
      expect(c.odds[0]!.share).toBeGreaterThan(0.95);
      seen.add(same.says);
    });
    for (const words of [
      'the two halves of the pack are exchanged',
      'each half of the pack runs the other way round',
      'M02 and M05 are exchanged',
      'the channels of M03 run the other way round',
      'the channels are numbered across 2 rows, not along them',
    ])
      expect(seen).toContain(words);
  });

  it('leaves two hundred packs that are wired as drawn alone', () => {
    for (let seed = 0; seed < 200; seed++) {
      const { board, meter } = pack(new Random(1000 + seed), N);
      const c = checkWiring(board, meter, names, blocks);
      expect(c.verdict).not.toBe('disproven');
      expect(c.instead).toEqual([]);
    }
  });

  it('leaves long packs alone whose channels read alike in many places: a better fit is no better order', () => {
    for (const [n, sd] of [
      [96, 0.02],
      [200, 0.02],
      [200, 0.06],
      [400, 0.03],
    ] as const)
      for (let seed = 0; seed < 8; seed++) {
        const { board, meter } = pack(new Random(70 * n + seed), n, sd);
        const c = checkWiring(
          board,
          meter,
          board.map((_, i) => `c${i}`),
        );
        expect([n, sd, c.verdict === 'disproven']).toEqual([n, sd, false]);
      }
  });

  it('leaves wires alone where boards are off: up to three readings that err by anything', () => {
    for (let seed = 0; seed < 100; seed++) {
      const random = new Random(5000 + seed);
      const { board, meter } = pack(random, N);
      for (let k = 0; k < 3; k++) board[random.integer(0, N - 1)]! += random.uniform(-0.2, 0.2);
      const c = checkWiring(board, meter, names, blocks);
      expect(c.verdict).not.toBe('disproven');
    }
  });

  it('is right as often as it says: two exchanged, told at 0.95 and above', () => {
    let told = 0;
    let right = 0;
    for (let seed = 0; seed < 300; seed++) {
      const random = new Random(9000 + seed);
      const { board, meter } = pack(random, N);
      const [a, b] = [random.integer(0, N - 1), random.integer(0, N - 1)];
      if (a === b) continue;
      const shows = names.map((_, i) => (i === a ? b : i === b ? a : i));
      const c = checkWiring(board, placed(meter, shows), names, blocks);
      if (c.verdict !== 'disproven') continue;
      told++;
      if (c.instead.length === 2 && c.instead.every((x) => shows[x.channelIndex] === x.shows)) right++;
    }
    expect(told).toBeGreaterThan(200);
    expect(right / told).toBeGreaterThan(0.95);
  });

  it('an order of no kind at all is the assignment that scipy finds, or is not offered', () => {
    const random = new Random(77);
    const packs = Array.from({ length: 12 }, () => {
      // Ten millivolts apart at least, in an order that is drawn.
      const steps = Array.from({ length: N }, (_, k) => 3.5 + 0.014 * k + random.uniform(0, 0.002));
      const shuffled = (): number[] =>
        steps
          .map((v) => [random.uniform(0, 1), v] as const)
          .sort((p, q) => p[0] - q[0])
          .map(([, v]) => Number((v + 0.0008 * random.normal()).toFixed(4)));
      return { board: shuffled(), meter: shuffled() };
    });
    const script = `
import json, sys
import numpy as np
from scipy.optimize import linear_sum_assignment
out = []
for p in json.load(sys.stdin):
    m, b = np.array(p['meter']), np.array(p['board'])
    out.append([int(j) for j in linear_sum_assignment((m[:, None] - b[None, :]) ** 2)[1]])
print(json.dumps(out))`;
    const { stdout, status, stderr } = spawnSync('python3', ['-c', script], {
      input: JSON.stringify(packs),
      encoding: 'utf8',
    });
    expect([status, stderr]).toEqual([0, '']);
    const best = JSON.parse(stdout) as number[][];
    packs.forEach(({ board, meter }, p) => {
      const c = checkWiring(board, meter, names, blocks);
      expect(c.verdict).toBe('disproven');
      expect(names.map((_, k) => c.instead.find((x) => x.channelIndex === k)?.shows ?? k)).toEqual(best[p]);
    });
    // The same with five that read alike: the order of those is not to be known, and none is offered.
    const { board, meter } = packs[0]!;
    const low = [...board].sort((p, q) => p - q);
    const flat = (v: number): number => (v <= low[4]! + 0.003 ? low[0]! : v);
    const c = checkWiring(board.map(flat), meter.map(flat), names, blocks);
    expect(c).toMatchObject({ verdict: 'disproven', instead: [] });
    expect(c.says).toMatch(/read alike and could lie in any order/);
  });

  it('weighs the largest pack that a profile may have, and finds two modules of it that are exchanged', () => {
    const n = 1000;
    const { board, meter } = pack(new Random(31), n);
    const modules: Block[] = Array.from({ length: 250 }, (_, m) => ({
      name: `M${m + 1}`,
      channels: [0, 1, 2, 3].map((k) => 4 * m + k),
    }));
    const shows = Array.from({ length: n }, (_, i) => (i < 4 ? i + 400 : i >= 400 && i < 404 ? i - 400 : i));
    const c = checkWiring(
      board,
      placed(meter, shows),
      shows.map((_, i) => `c${i}`),
      modules,
    );
    expect([c.verdict, c.says]).toEqual(['disproven', expect.stringContaining('M1 and M101 are exchanged')]);
    expect(c.instead).toHaveLength(8);
  });
});
