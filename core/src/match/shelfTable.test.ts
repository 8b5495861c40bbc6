import { describe, expect, it } from 'vitest';
import { InputProblem } from '../pack';
import { readShelfTable } from './shelfTable';

describe('a shelf list', () => {
  it('is read with comma, semicolon or tab, decimal comma, and headings as people write them', () => {
    for (const [separator, point] of [
      [',', '.'],
      [';', ','],
      ['\t', ','],
    ] as const) {
      const text = [
        ['Label', 'Chemistry', 'Groups', 'Capacity_Ah', 'Resistance (mOhm)', 'Rest voltage', 'Origin'],
        ['S-1', 'NMC', '4', `101${point}2`, `0${point}66`, `14${point}72`, 'breaker'],
        ['S-2', 'lfp', '3', '', '', '', ''],
      ]
        .map((row) => row.join(separator))
        .join('\n');
      const [first, second] = readShelfTable(text);
      expect(first).toMatchObject({
        label: 'S-1',
        facts: { chemistry: 'nmc', groupCount: 4, origin: 'breaker' },
        figures: { capacityAh: 101.2, resistanceMilliohm: 0.66, restVoltageV: 14.72, insulationOhm: null },
      });
      // What is empty was not measured: it never becomes a figure.
      expect(Object.values(second!.figures)).toEqual([null, null, null, null, null]);
    }
  });

  it('takes the day of measuring, and none where the list has none: it is never taken for today', () => {
    const rows = readShelfTable(
      'chemistry,groups,ah,measured\nnmc,4,101,2026-03-14\nnmc,4,99,3.11.2025\nnmc,4,98,',
    );
    expect(rows.map((r) => r.measuredOn)).toEqual(['2026-03-14', '2025-11-03', null]);
    expect(readShelfTable('chemistry,groups,ah\nnmc,4,101')[0]!.measuredOn).toBeNull();
    // Which of the two is the month, nobody can tell; and no month has 31 days in June.
    for (const none of ['3/4/2026', '2026-06-31', 'last week'])
      expect(() => readShelfTable(`chemistry,groups,measured\nnmc,4,${none}`)).toThrow(/is no day/);
  });

  it.each([
    ['', /no column for chemistry|not known/],
    ['chemistry,groups', /no row under the heading/],
    ['chemistry,groups\nnmc,', /number of groups is missing/],
    ['chemistry,groups\nnmc,2.5', /number of groups is missing/],
    ['chemistry,groups,capacity\nnmc,3,-4', /no capacity/],
    ['chemistry,groups,capacity\nnmc,3,1e999', /no capacity/],
    ['chemistry,groups,ah,capacity\nnmc,3,4,4', /stands twice/],
    ['chemistry,groups\nlead,3', /no chemistry/],
  ])('refuses %j and says what is wrong', (text, message) => {
    expect(() => readShelfTable(text)).toThrow(InputProblem);
    expect(() => readShelfTable(text)).toThrow(message);
  });
});
