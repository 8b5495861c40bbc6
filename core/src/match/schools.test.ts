import { describe, expect, it } from 'vitest';
import { profileOf } from '../../../server/test/depot';
import { normalisePack } from '../pack';
import { Random } from '../simpack';
import { compareSchools, fillPlaces, placesBySchool, sensedBlocks, type SchoolsAsk } from '.';

const donor = (id: string, capacityAh: number, price: number | null = 100) => ({
  id,
  capacityAh,
  resistanceMilliohm: 1,
  restVoltageV: 3.7,
  price,
});
const ask: SchoolsAsk = {
  modules: [60, 42, 58, 50, 61].map((heldAh, i) => ({ id: `M0${i + 1}`, heldAh })),
  failed: ['M02'],
  donors: [donor('A', 57), donor('B', 62), donor('C', 55, null)],
  limitShare: 0.9,
  ratedAh: 64,
  sdShare: 0.01,
  ageYears: 6,
};

describe('how much is changed', () => {
  it('by each school, worked by hand', () => {
    const [failed, below, set] = compareSchools(ask);
    // Without M02 the rest holds 60, 58, 50, 61: M04 ends it at 50 whatever goes in, so the weakest that does is enough.
    expect(failed).toMatchObject({ places: ['M02'], donors: ['C'], levelAh: 50, endsIt: 'M04' });
    expect(failed!.parts).toEqual({ sum: 0, unpriced: 1 });
    // 0.9 · median(60, 58, 50, 61) = 53.1: M04 goes too, and 57 is the best least.
    expect(below).toMatchObject({ places: ['M02', 'M04'], donors: ['A', 'B'], levelAh: 57, endsIt: 'A' });
    expect(below!.parts).toEqual({ sum: 200, unpriced: 0 });
    expect(set).toMatchObject({ lacking: 2, donors: null, levelAh: null, lastsYears: null, parts: null });
    // (0.3/(1 − 57/64))² · 6 − 6, held at 30 at most.
    expect(below!.lastsYears!.likely).toBe(30);
    // (0.3/(1 − 50/64))² · 6 − 6.
    expect(failed!.lastsYears!.likely).toBeCloseTo(6 * ((0.3 / (1 - 50 / 64)) ** 2 - 1), 9);
    expect(compareSchools({ ...ask, ageYears: null })[1]!.lastsYears).toBeNull();
  });
  it('no choice of donors gives more, tried one by one', () => {
    const random = new Random(5);
    for (let k = 0; k < 40; k++) {
      const modules = Array.from({ length: 6 }, (_, i) => ({ id: `M${i}`, heldAh: random.uniform(40, 64) }));
      const donors = Array.from({ length: 5 }, (_, i) => donor(`D${i}`, random.uniform(40, 64)));
      const out = placesBySchool('below', modules, ['M0', 'M3'], 0.9);
      const row = compareSchools({ ...ask, modules, donors, failed: ['M0', 'M3'] })[1]!;
      expect(row.places).toEqual(out);
      if (out.length > donors.length) {
        expect(row.lacking).toBe(out.length - donors.length);
        continue;
      }
      const choose = (from: number, left: number): number =>
        left === 0
          ? Math.min(...modules.filter((m) => !out.includes(m.id)).map((m) => m.heldAh))
          : Math.max(
              ...donors
                .slice(from)
                .map((d, i) =>
                  donors.length - (from + i) < left
                    ? -1
                    : Math.min(d.capacityAh, choose(from + i + 1, left - 1)),
                ),
            );
      expect(row.levelAh).toBeCloseTo(choose(0, out.length), 9);
    }
  });
});

describe('modules that one channel reads together', () => {
  // Four sticks of six cells, two to a channel: M01 and M02, M03 and M04.
  const profile = profileOf('Sticks', 4, 1, 'nimh');
  const pack = normalisePack({
    ...profile,
    channels: [
      { id: 'ch01', cells: 12 },
      { id: 'ch02', cells: 12 },
    ],
    modules: profile.modules.map(({ id, place }, i) => ({
      id,
      place,
      groups: Array.from({ length: 6 }, (_, c) => `ch0${Math.floor(i / 2) + 1}.${(i % 2) * 6 + c + 1}`),
    })),
  });
  const candidate = (id: string, capacityAh: number) => ({
    id,
    capacityAh,
    resistanceMilliohm: 10,
    restVoltageV: 8,
    groupCount: pack.modules[0]!.groupIndices.length,
  });
  it('add up alike: the stronger stick lies with the weaker that stays', () => {
    const staying = [candidate('stays M01', 5), candidate('stays M03', 4)];
    expect(sensedBlocks(pack, ['M02', 'M04'], staying)).toEqual([
      [1, 3],
      [2, 4],
    ]);
    const answer = fillPlaces(pack, {
      places: ['M02', 'M04'],
      donors: [candidate('a', 5.1), candidate('b', 4.1), candidate('c', 3)],
      staying,
      locks: {},
      aim: 'blocks',
      tolerance: { capacityAh: 1, resistanceMilliohm: 1 },
    });
    // 5 + 4.1 against 4 + 5.1: no other two lie nearer.
    expect(answer.choice).toEqual({ M02: 'b', M04: 'a' });
    expect(answer.proved).toBe(true);
  });
  it('leaves out a block with a stick that nobody measured', () => {
    expect(sensedBlocks(pack, ['M02'], [candidate('stays M01', 5)])).toEqual([[1, 2]]);
  });
});
