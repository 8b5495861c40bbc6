import { describe, expect, it } from 'vitest';
import { compatible, type DonorLook, type ModuleLook } from '.';

// What fits where is common practice of the trade, no source.
const need: ModuleLook = { cellsParallel: 3, connector: 'C2', handedness: 'left', coolantSide: 'below' };
const twin: DonorLook = { ...need, history: 'clean' };

describe('whether a donor can lie there', () => {
  it('a twin can, however its connector is written', () => {
    expect(compatible({ ...twin, connector: ' c2 ' }, need)).toMatchObject({ obstacles: [], asks: [] });
  });
  it.each<[Partial<DonorLook>, RegExp]>([
    [{ cellsParallel: 2 }, /^2 cells in parallel, the pack has 3: the same look/],
    [{ connector: 'C3' }, /^connector C3, the pack has C2/],
    [{ handedness: 'right' }, /^right handed, the pack has left/],
    [{ coolantSide: 'none' }, /^coolant side none, the pack has it below/],
    [{ history: 'crashed' }, /out of a crash/],
    [{ history: 'wet', insulationOhm: null }, /it was wet/],
  ])('%o cannot, and says why', (other, why) => {
    const { obstacles } = compatible({ ...twin, ...other }, need);
    expect(obstacles).toHaveLength(1);
    expect(obstacles[0]).toMatch(why);
  });
  it('one that was wet can once its insulation was measured; either hand fits both', () => {
    expect(compatible({ ...twin, history: 'wet', insulationOhm: 4e8 }, need).obstacles).toEqual([]);
    expect(compatible({ ...twin, handedness: 'either' }, need).obstacles).toEqual([]);
    expect(compatible({ ...twin, handedness: 'right' }, { ...need, handedness: 'either' }).obstacles).toEqual(
      [],
    );
  });
  it('what nobody knows is asked, not passed; what the pack does not say is asked of nobody', () => {
    expect(compatible({}, need).asks).toEqual([
      'its cells in parallel',
      'its connector',
      'its handedness',
      'its coolant side',
      'whether it was wet or crashed',
    ]);
    expect(compatible({ history: 'clean' }, {})).toMatchObject({ obstacles: [], asks: [] });
  });
});
