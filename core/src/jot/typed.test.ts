import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../pack';
import { readScanCsv } from '../scan';
import { pastedVoltages, typedSays, typedTable } from '.';

const pack = normalisePack({
  name: 'p',
  chemistry: 'lfp',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 6 }, (_, i) => ({ id: `ch${i + 1}`, cells: 1 })),
  modules: [
    { id: 'M1', channels: ['ch1', 'ch2', 'ch3'] },
    { id: 'M2', channels: ['ch4', 'ch5', 'ch6'] },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('lfp'),
});
const volts = (text: string, from = 0): (number | null)[] => pastedVoltages(text, pack, from).volts;

describe('voltages that are pasted', () => {
  const all = [3.31, 3.32, 3.33, 3.34, 3.35, 3.36];
  it.each([
    ['a column', '3.31\n3.32\n3.33\n3.34\n3.35\n3.36'],
    ['a row', '3.31 3.32 3.33 3.34 3.35 3.36'],
    ['a row of decimal commas', '3,31\t3,32\t3,33\t3,34\t3,35\t3,36'],
    ['points and commas between', '3.31, 3.32, 3.33, 3.34, 3.35, 3.36'],
    ['millivolts', '3310;3320;3330;3340;3350;3360'],
    ['millivolts with commas between', '3310,3320,3330,3340,3350,3360'],
    ['a grid with units', '3.31 V\t3.32 V\t3.33 V\n3.34 V\t3.35 V\t3.36 V'],
    ['a list', 'ch4, 3.34\nch5, 3.35\nch6, 3.36\nch1, 3.31\nch2, 3.32\nch3, 3.33'],
    ['a list with a heading', 'Cell;Voltage\nch1;3,31\nch2;3,32\nch3;3,33\nch4;3,34\nch5;3,35\nch6;3,36'],
    ['a list by number', '1, 3.31\n2, 3.32\n3, 3.33\n4, 3.34\n5, 3.35\n6, 3.36'],
    ['a list by number from nought', '0\t3,31\n1\t3,32\n2\t3,33\n3\t3,34\n4\t3,35\n5\t3,36'],
    [
      'a list by words',
      'Cell 1: 3.31 V\nCell 2: 3.32 V\nCell 3: 3.33 V\nCell 4: 3.34 V\nCell 5: 3.35 V\nCell 6: 3.36 V',
    ],
    ['millivolts by number', '1;3310\n2;3320\n3;3330\n4;3340\n5;3350\n6;3360'],
    ['by module', 'M2: 3.34 3.35 3.36\nM1: 3.31 3.32 3.33'],
  ])('%s', (_name, text) => {
    expect(pastedVoltages(text, pack)).toEqual({ volts: all.map((v) => expect.closeTo(v, 9)), notRead: [] });
  });

  it('go on from where they are pasted, leave out what was not read, and say what they did not take', () => {
    expect(volts('3.34\n-\n3.36', 3)).toEqual([null, null, null, 3.34, null, 3.36]);
    const some = pastedVoltages('3.31\nwet 7?\n93\n3.34', pack);
    expect(some.volts.slice(0, 2)).toEqual([3.31, null]);
    expect(some.notRead.map((n) => [n.where, n.why])).toEqual([
      ['line 2', expect.stringMatching(/figure/)],
      ['line 3', expect.stringMatching(/Not possible for a channel/)],
    ]);
    expect(pastedVoltages('3.3 '.repeat(8), pack).notRead).toHaveLength(2);
    expect(pastedVoltages('M1 3.3 3.3 3.3 3.3', pack).notRead[0]!.why).toBe('M1 has 3 channels.');
  });

  it('two dead cells with decimal commas are two voltages and no count', () => {
    expect(volts('0,02\n1,02').slice(0, 3)).toEqual([0.02, 1.02, null]);
  });

  it('become a table that the reader of scans takes, with what was left out left out', () => {
    const table = {
      volts: [3.31, null, 3.33, 3.34, 3.35, 3.36],
      currentA: 0,
      temperatureC: 21,
      atMs: 1.7e12,
    };
    const record = readScanCsv(typedTable(table, pack), pack);
    expect(record.startEpochS).toBe(1.7e9);
    expect(record.voltageV.map((s) => s.value[0])).toEqual([3.31, NaN, 3.33, 3.34, 3.35, 3.36]);
    expect([record.currentA!.value[0], record.temperatureC!.value[0]]).toEqual([0, 21]);
  });

  it('are judged one by one as they stand', () => {
    expect(typedSays(null, 0, pack)).toBe('');
    expect(typedSays(3.3, 0, pack)).toBe('');
    expect(typedSays(0.4, 0, pack)).toMatch(/dead/);
  });
});
