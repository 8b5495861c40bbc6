import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../pack';
import { CsvScanReader, cellFigure, looseRows, readScanCsv, turned, unitFactor } from '.';

const pack = normalisePack({
  name: 'p',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 6 }, (_, i) => ({ id: `ch${i + 1}`, cells: 1 })),
  modules: [
    { id: 'A', channels: ['ch1', 'ch2', 'ch3'] },
    { id: 'B', channels: ['ch4', 'ch5', 'ch6'] },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const look = (text: string) => turned(looseRows(text), pack);

describe('a cell as people and tools write it', () => {
  it.each([
    ['3.982', '.', 3.982, ''],
    ['3,982', ',', 3.982, ''],
    ['3,982', '.', 3982, ''],
    ['3 982 mV', '.', 3982, 'mV'],
    ["3'982", '.', 3982, ''],
    ['1.234,5', ',', 1234.5, ''],
    ['12,345.6', '.', 12345.6, ''],
    ['24 °C', '.', 24, '°C'],
    ['−12.5 A', '.', -12.5, 'A'],
    ['87%', '.', 87, '%'],
  ] as const)('%s, decimal %s', (text, decimal, value, unit) => {
    expect(cellFigure(text, decimal)).toEqual({ value: expect.closeTo(value, 9), unit });
  });
  it.each(['', '-', 'n/a', 'NaN'])('“%s” is no reading', (text) => {
    expect(cellFigure(text, '.')!.value).toBeNaN();
  });
  it.each(['bananas', '3.9.8', '4 volts or so', 'M07'])('“%s” is no figure', (text) => {
    expect(cellFigure(text, '.')).toBeNull();
  });
  it('its own unit counts where the column is in another', () => {
    expect([unitFactor('mV', 'V'), unitFactor('V', 'mV'), unitFactor('', 'V'), unitFactor('V', 'V')]).toEqual(
      [1e-3, 1e3, 1, 1],
    );
  });
});

describe('a table laid out by hand', () => {
  const volts = [3.98, 3.981, 3.979, 3.98, 1.62, 3.982];
  it.each([
    ['a column', volts.join('\n')],
    ['a row', volts.join(';')],
    ['a column of decimal commas', volts.map((v) => String(v).replace('.', ',')).join('\r\n')],
    ['millivolts', volts.map((v) => v * 1000).join('\n')],
    ['a grid', '3.98\t3.981\t3.979\n3.98\t1.62\t3.982\n'],
    ['units in the cells', volts.map((v) => `${v} V`).join('\n')],
    ['channels in rows', volts.map((v, i) => `ch${i + 1};${v}`).join('\n')],
    [
      'channels in rows under a heading',
      `Cell;Volt\n${volts.map((v, i) => `Cell ${i + 1};${v}`).join('\n')}`,
    ],
    [
      'channels in rows, millivolts by the heading',
      `Cell,mV\n${volts.map((v, i) => `${i + 1},${v * 1000}`).join('\n')}`,
    ],
    ['channels in rows, out of order', [4, 0, 5, 1, 3, 2].map((i) => `ch${i + 1}\t${volts[i]}`).join('\n')],
  ])('%s', (_name, text) => {
    const t = look(text)!;
    expect(t).not.toBeNull();
    const record = readScanCsv(
      [t.names.join(','), ...t.rows.map((r) => r.join(','))].join('\n') + '\n',
      pack,
    );
    expect(record.voltageV.map((s) => s.value[0])).toEqual(volts.map((v) => expect.closeTo(v, 6)));
  });

  it('what else stands beside a channel is no voltage of another moment', () => {
    const t = look(`Cell;V;R mΩ;Temp °C\n${volts.map((v, i) => `ch${i + 1};${v};0.8;21`).join('\n')}`)!;
    expect(t.rows).toEqual([volts.map(String)]);
  });

  it('channels in rows with a column for each moment, with its times and what else was read', () => {
    const t = look(
      'time;0;600;1200\nch1;4,01;3,9;3,8\nch2;4;3,9;3,8\nch3;4;3,9;3,8\nch4;4;3,9;3,8\nch5;4;3,9;3,8\nch6;4;3,9;3,8\ncurrent;0;20;0\n',
    )!;
    expect(t.named).toBe(true);
    expect(t.names).toEqual(['time', 'ch1_V', 'ch2_V', 'ch3_V', 'ch4_V', 'ch5_V', 'ch6_V', 'current']);
    expect(t.rows[1]).toEqual(['600', '3.9', '3.9', '3.9', '3.9', '3.9', '3.9', '20']);
  });

  it.each([
    ['one too few', volts.slice(1).join('\n')],
    ['a figure no cell gives', [...volts.slice(1), 93].join('\n')],
    ['words', 'Dear workshop, the van is slow.\nPlease help.\n'],
    ['a list of other things', 'M07;3.9\nM08;3.9\n'],
  ])('%s is not guessed at', (_name, text) => {
    expect(look(text)).toBeNull();
  });
});

describe('rows without a time', () => {
  const heading = pack.channels.map((c) => `${c.id}_V`);
  const text = `${heading.join(';')}\n${['4,01', '3,99'].map((v) => heading.map(() => v).join(';')).join('\n')}\n`;
  it('one is a moment; several ask how far they are apart, and then are as far apart as was said', () => {
    expect(readScanCsv(text.split('\n').slice(0, 2).join('\n') + '\n', pack).voltageV[0]!.timeS[0]).toBe(0);
    expect(() => readScanCsv(text, pack)).toThrow(/several rows and no time/);
    const targets = pack.channels.map(
      (c) => ({ kind: 'channel', channelIndex: c.index, unit: 'V' }) as const,
    );
    const reader = new CsvScanReader(pack, [
      { names: heading, mapping: { layout: 'wide', delimiter: ';', decimal: ',', targets, intervalS: 30 } },
    ]);
    reader.push(text);
    expect([...reader.finish().voltageV[0]!.timeS]).toEqual([0, 30]);
  });

  it('cells with their units, and thousands, are read', () => {
    const named = ['time_s', 'current', ...pack.channels.map((c) => `${c.id} [mV]`)];
    const row = (v: string): string => ['0', '12.5 A', ...pack.channels.map(() => v)].join(';');
    for (const [cell, v] of [
      ['3,982', 3.982],
      ['3 982', 3.982],
      ['3.982 V', 3.982],
      ['3982', 3.982],
    ] as const) {
      const record = readScanCsv(`${named.join(';')}\n${row(cell)}\n`, pack);
      expect(record.voltageV[5]!.value[0], cell).toBeCloseTo(v, 9);
      expect(record.currentA!.value[0]).toBe(12.5);
    }
  });
});
