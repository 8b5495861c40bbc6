import { defaultOcvTable, normalisePack } from '@cellmend/core/pack';
import { placeName } from '@cellmend/core/jot';
import { describe, expect, it } from 'vitest';
import { placesOf, stepOf, type Round, type Step } from './walkRound';

const pack = normalisePack({
  name: 'six',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 12 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: Array.from({ length: 6 }, (_, m) => ({
    id: `M${m + 1}`,
    channels: [`c${2 * m + 1}`, `c${2 * m + 2}`],
    place: { tier: 0, row: m % 2, column: 2 - Math.floor(m / 2) },
  })),
  links: [{ id: 'L1', between: ['M1', 'M2'], kind: 'busbar' }],
  boards: [
    { id: 'SB1', channels: ['c1', 'c2', 'c3', 'c4', 'c5', 'c6', 'c7', 'c8'] },
    { id: 'SB2', channels: ['c9', 'c10', 'c11', 'c12'] },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const names = (by: Parameters<typeof placesOf>[0]): string[] =>
  placesOf(by, pack).map((p) => placeName(p, pack));
const order = placesOf('modules', pack);
const walk = (...raws: string[]) => {
  let round: Round = { by: 'modules', kind: 'voltage', at: 0, taken: {} };
  const readings: [string, number][] = [];
  for (const raw of raws) {
    const step = stepOf(round, raw, order, pack);
    round = step.round;
    if (step.reading) readings.push([placeName(step.reading.place, pack), step.reading.value]);
  }
  return { round, readings };
};

describe('a round', () => {
  it('of boards takes each at its plug, and compares those of different size cell by cell', () => {
    let round: Round = { by: 'boards', kind: 'voltage', at: 0, taken: {} };
    const boards = placesOf('boards', pack);
    const enter = (raw: string): Step => {
      const step = stepOf(round, raw, boards, pack);
      round = step.round;
      return step;
    };
    // Eight cells at 3.9 V, then four at 3.9 V, then four at 3.8 V.
    expect(enter('31.2').reading).toMatchObject({ value: 31.2 });
    expect(enter('15.6').reading!.place).toEqual({ kind: 'board', boardIndex: 1 });
    expect(round.taken.SB2).toMatchObject({ state: 'kept', odd: false });
    round = { ...round, at: 1 };
    enter('15.2');
    expect(round.taken.SB2).toMatchObject({ odd: true, says: 'out of line' });
    // Volts that so many cells cannot show are not taken, and the label goes to its place.
    enter('sb1 62');
    expect(round.taken.SB1).toMatchObject({ state: 'unread' });
  });

  it('goes along the pack as it lies', () => {
    expect(names('modules')).toEqual(['M5', 'M6', 'M3', 'M4', 'M1', 'M2']);
    expect(names('groups').slice(0, 4)).toEqual(['c9', 'c10', 'c11', 'c12']);
    expect(names('joints')).toEqual(['L1']);
    expect(names('boards')).toEqual(['SB1', 'SB2']);
  });

  it('keeps the place of what cannot be read, so that no later figure slips', () => {
    const { round, readings } = walk('7.9', 'oops', '7.91', '-', '7.92');
    expect(readings).toEqual([
      ['M5', 7.9],
      ['M3', 7.91],
      ['M1', 7.92],
    ]);
    expect(round.taken.M6).toMatchObject({ state: 'unread', raw: 'oops' });
    expect(round.taken.M4).toMatchObject({ state: 'skipped' });
    expect(round.at).toBe(5);
  });

  it('goes to a scanned label, with or without its figure', () => {
    const { readings, round } = walk('7.9', 'M1', '7.95', 'm2,7.96');
    expect(readings).toEqual([
      ['M5', 7.9],
      ['M1', 7.95],
      ['M2', 7.96],
    ]);
    expect(round.at).toBe(6);
  });

  it('marks what is out of line, and what is dead by itself', () => {
    const { round } = walk('7.9', '7.901', '7.899', '7.9', '7.8', '3.1');
    expect(round.taken.M1).toMatchObject({ odd: true, says: 'out of line' });
    expect(round.taken.M2).toMatchObject({ odd: true, state: 'kept' });
    expect(round.taken.M4).toMatchObject({ odd: false });
  });

  it('stepping over what was taken leaves it; a figure there corrects it by its number', () => {
    let { round } = walk('7.9');
    round = { ...round, at: 0, taken: { M5: { ...round.taken.M5!, id: 'r1' } } };
    expect(stepOf(round, '-', order, pack).round.taken.M5).toMatchObject({ state: 'kept', id: 'r1' });
    expect(stepOf(round, '7.88', order, pack)).toMatchObject({ corrects: 'r1', reading: { value: 7.88 } });
  });

  it('a figure after one that could not be read corrects what stood there before', () => {
    const { round } = walk('7.9');
    const again = stepOf(
      { ...round, at: 0, taken: { M5: { ...round.taken.M5!, id: 'r1' } } },
      'oops',
      order,
      pack,
    );
    expect(stepOf({ ...again.round, at: 0 }, '7.91', order, pack)).toMatchObject({ corrects: 'r1' });
  });

  it('after the last place takes nothing more', () => {
    expect(walk(...Array<string>(8).fill('7.9')).readings).toHaveLength(6);
  });
});
