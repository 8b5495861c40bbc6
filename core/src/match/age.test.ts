import { describe, expect, it } from 'vitest';
import { ageOfData, compatible, type TakenOf } from '.';

// How long a figure is gone by is common practice of the trade, no source.
const asOf = new Date('2026-06-30T12:00:00Z');
const ago = (days: number): string => new Date(asOf.getTime() - days * 86_400_000).toISOString();
const every = { capacityAh: 101, resistanceMilliohm: 0.7, restVoltageV: 14.8, insulationOhm: 4e8 };
const taken = (days: number, temperatureC: number | null = 21): TakenOf =>
  Object.fromEntries(Object.keys(every).map((k) => [k, { at: ago(days), temperatureC }]));

describe('how old what is known of a part is', () => {
  it('nothing is said of figures of yesterday, nor of figures that there are not', () => {
    expect(ageOfData(every, taken(1), asOf)).toEqual({ old: [], asks: [] });
    expect(ageOfData({ capacityAh: null }, {}, asOf)).toEqual({ old: [], asks: [] });
  });
  it.each([
    [8, ['restVoltageV']],
    [100, ['restVoltageV', 'insulationOhm']],
    [400, ['capacityAh', 'resistanceMilliohm', 'restVoltageV', 'insulationOhm']],
  ])('after %i days these are to be measured again: %o', (days, figures) => {
    const { old } = ageOfData(every, taken(days), asOf);
    expect(old.map((o) => o.figure).sort()).toEqual([...figures].sort());
    for (const o of old) expect(o.says).toMatch(/ ago, and .+: measure it again before it is fitted\.$/);
  });
  it('says days, weeks and months as they are told', () => {
    const told = (days: number): string | undefined =>
      ageOfData({ restVoltageV: 14.8 }, { restVoltageV: { at: ago(days), temperatureC: 20 } }, asOf).old[0]
        ?.short;
    expect([8, 35, 425].map(told)).toEqual([
      'rest voltage 8 days old',
      'rest voltage 5 weeks old',
      'rest voltage 14 months old',
    ]);
  });
  it('a figure without its date, or without its temperature, is asked for them', () => {
    expect(ageOfData({ capacityAh: 101 }, {}, asOf).asks).toEqual(['when its capacity was measured']);
    expect(ageOfData(every, taken(1, null), asOf).asks).toEqual([
      'how warm it was when its capacity, resistance and rest voltage were measured',
    ]);
  });
  it('insulation measured before a part was wet proves nothing', () => {
    const wet = (measured: number, since: number): string[] =>
      compatible(
        {
          history: 'wet',
          insulationOhm: 4e8,
          taken: { insulationOhm: { at: ago(measured), temperatureC: null } },
          wetSince: ago(since),
        },
        {},
      ).obstacles;
    expect(wet(10, 5)).toEqual([
      'it was wet since its insulation was measured: dried, and measured again, before it is fitted',
    ]);
    expect(wet(5, 10)).toEqual([]);
    expect(wet(5, 5)).toEqual([]);
    // What has no day may be from before: it is no proof.
    expect(compatible({ history: 'wet', insulationOhm: 4e8, taken: {} }, {}).obstacles[0]).toMatch(
      /nobody knows/,
    );
  });
});
