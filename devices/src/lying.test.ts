import type { Chemistry } from '@cellmend/core/pack';
import { Random } from '@cellmend/core/simpack';
import { describe, expect, it } from 'vitest';
import { LIES, playLying, type Lie, type LyingEnd } from './lying';
import { makeSure, type Switched } from './instrument';
import { lyingRun, RECIPES } from './lyingCases';
import { figuresOf } from './scpi';

const CHEMISTRIES: Chemistry[] = ['nmc', 'lfp', 'nimh'];
const play = (seed: number, chemistry: Chemistry, recipe: string, lie: Lie): LyingEnd =>
  playLying(lyingRun(new Random(seed), chemistry, recipe, lie));

describe('a voltage that lies', () => {
  for (const chemistry of CHEMISTRIES)
    for (const recipe of RECIPES(chemistry)) {
      it(`of ${chemistry} in ${recipe}: an honest one comes to its end`, () => {
        for (let seed = 1; seed <= 6; seed++)
          expect(play(seed, chemistry, recipe, 'none'), `seed ${seed}`).toMatchObject({
            why: '',
            refused: false,
          });
      });
      it.each(LIES.filter((l) => l !== 'none'))(
        `of ${chemistry} in ${recipe}, %s, fills and empties no module beyond what it holds`,
        (lie) => {
          for (let seed = 1; seed <= 4; seed++) {
            const end = play(seed, chemistry, recipe, lie);
            const says = `seed ${seed}: ${JSON.stringify({ ...end, state: null })}`;
            expect(end.why, says).not.toBe('it never ended');
            expect(end.fullest, says).toBeLessThanOrEqual(1.05);
            expect(end.emptiest, says).toBeGreaterThanOrEqual(-0.05);
            expect(end.put, says).toBeLessThanOrEqual(1.05);
          }
        },
      );
    }
});

describe('a gentle charge of NiMH', () => {
  it('lasts its sixteen hours by IEC 61951-2, whatever was counted: full cells turn it into heat', () => {
    const end = play(3, 'nimh', 'nimh-rated', 'none');
    expect(end.why).toBe('');
    expect(end.state.inAh / 6.5).toBeGreaterThan(1.5);
    expect(end.fullest).toBeLessThanOrEqual(1.05);
  });
});

describe('an output that says it is off', () => {
  const source = (flows: number[]): Switched => ({
    identity: 'one that lies',
    watchdog: () => Promise.resolve(true),
    outputOff: () => Promise.resolve(),
    flowingA: () => Promise.resolve(flows.length > 1 ? flows.shift()! : flows[0]!),
    close: () => undefined,
  });
  it('is off once nothing flows, and unknown while something does or nobody can tell', async () => {
    const reopen = (flows: number[]) => () => Promise.resolve(source(flows));
    expect(await makeSure(source([0]), reopen([0]))).toBe('off');
    expect(await makeSure(source([12, 3, 0.02]), reopen([0]))).toBe('off');
    expect(await makeSure(source([12]), reopen([12]))).toBe('unknown');
    expect(await makeSure(source([NaN]), reopen([NaN]))).toBe('unknown');
  });

  it('an answer without a figure is no reading', () => {
    expect(figuresOf('', ';')).toEqual([NaN]);
    expect(figuresOf('3.71;;21', ';')).toEqual([3.71, NaN, 21]);
    expect(figuresOf('OVLD;-1.5e1; 9.91E37', ';')).toEqual([NaN, -15, 9.91e37]);
  });
});
