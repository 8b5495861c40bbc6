import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, type PackProfile } from '../pack';
import { readPlainRow } from './plainRow';
import { chargeBetweenAh, findSegments, readScanCsv, restPoints, writeScanCsv, CsvScanReader } from '.';

const profile = (count: number): PackProfile => ({
  name: 'test pack',
  chemistry: 'nmc',
  ratedCapacityAh: 100,
  channels: Array.from({ length: count }, (_, i) => ({
    id: `ch${String(i + 1).padStart(3, '0')}`,
    cells: 1,
  })),
  modules: [
    { id: 'M1', channels: Array.from({ length: count }, (_, i) => `ch${String(i + 1).padStart(3, '0')}`) },
  ],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const pack = normalisePack(profile(3));
const wide =
  'time_s,current_A,temp_C,soc_pct,ch001_V,ch002_V,ch003_V\n0,0.0,20,90,4.01,4.02,4.00\n10,12.5,20,90,3.98,3.99,3.97\n';

describe('reading a scan table', () => {
  it('reads a wide file with our names', () => {
    const r = readScanCsv(wide, pack);
    expect(r.simultaneous).toBe(true);
    expect([...r.currentA!.value]).toEqual([0, 12.5]);
    expect([...r.voltageV[2]!.value]).toEqual([4.0, 3.97]);
    expect(r.reportedSocFraction!.value[0]).toBeCloseTo(0.9);
  });

  it('gives the same numbers whichever way the text is cut', () => {
    const whole = readScanCsv(wide, pack);
    for (let size = 1; size < 40; size++) {
      const reader = new CsvScanReader(pack);
      for (let i = 0; i < wide.length; i += size) reader.push(wide.slice(i, i + size));
      expect(reader.finish().voltageV).toEqual(whole.voltageV);
    }
  });

  it('reads semicolons with decimal commas, a byte-order mark, millivolts, clock time and channels from 0', () => {
    const r = readScanCsv(
      '\uFEFFTime;Current (A);Cell 0 (mV);Cell 1 (mV);Cell 2 (mV)\r\n23:59:58;1,5;4010;4020;4000\r\n00:00:03;1,5;4010;4020;4000\r\n',
      pack,
    );
    expect([...r.voltageV[0]!.value]).toEqual([4.01, 4.01]);
    expect(r.voltageV[0]!.timeS[1]! - r.voltageV[0]!.timeS[0]!).toBeCloseTo(5);
    expect(r.currentA!.value[0]).toBe(1.5);
  });

  it('reads long files, each reading with its own time', () => {
    const r = readScanCsv(
      'time_s,signal,value\n0.1,current_A,5\n0.2,ch001_V,4.0\n0.3,ch002_V,4.1\n0.4,ch003_V,4.2\n0.5,ch001_V,3.9\n',
      pack,
    );
    expect(r.simultaneous).toBe(false);
    expect([...r.voltageV[0]!.timeS]).toEqual([0.2, 0.5]);
    expect([...r.voltageV[2]!.value]).toEqual([4.2]);
  });

  it('writes what it reads', () => {
    expect(readScanCsv(writeScanCsv(readScanCsv(wide, pack), 3), pack).voltageV).toEqual(
      readScanCsv(wide, pack).voltageV,
    );
  });

  it.each([
    ['an empty file', '', /file is empty/],
    ['text', 'Dear workshop, the van is slow.\nPlease help.\n', /not a heading|lacks every channel/],
    ['a heading alone', 'time_s,ch001_V,ch002_V,ch003_V\n', /no readings/],
    [
      'two rows and no time',
      'current_A,ch001_V,ch002_V,ch003_V\n1,4,4,4\n1,4,4,4\n',
      /several rows and no time/,
    ],
    ['a long table without a time', 'signal,value,unit\nch001_V,4,V\n', /lacks a time column/],
    ['one channel short', 'time_s,ch001_V,ch003_V\n0,4,4\n', /2 of 3 channels.*missing: ch002/],
    ['a decimal comma between commas', 'time_s,ch001_V,ch002_V,ch003_V\n0,4,01,4,02,4,00\n', /decimal comma/],
    [
      'volts with the wrong sign',
      'time_s,ch001_V,ch002_V,ch003_V\n0,4.01,-4.02,4.0\n',
      /-4\.02 V: no cell.*line 2, column ch002_V/,
    ],
    [
      'millivolts without the name',
      'time_s,ch001_V,ch002_V,ch003_V\n0,4010,4020,4000\n',
      /more than a cell can give/,
    ],
    [
      'a word among numbers',
      'time_s,ch001_V,ch002_V,ch003_V\n0,4.01,n.a.x,4.0\n',
      /“n\.a\.x” is not a number.*line 2, column ch002_V/,
    ],
    [
      'time going back',
      'time_s,ch001_V,ch002_V,ch003_V\n10,4,4,4\n5,4,4,4\n',
      /goes back from 10 s to 5 s.*line 3/,
    ],
    ['a ragged row', 'time_s,ch001_V,ch002_V,ch003_V\n0,4,4,4\n1,4,4\n', /3 cells, the heading 4.*line 3/],
    ['binary data', 'PK\u0003\u0004\u0000\u0000,\u0000\n', /binary/],
  ])('says what is wrong and where: %s', (_name, text, message) => {
    expect(() => readScanCsv(text, pack)).toThrow(message);
  });

  it('gives up on one endless line without keeping it all', () => {
    const reader = new CsvScanReader(pack);
    expect(() => {
      for (let i = 0; i < 100; i++) reader.push('1'.repeat(1 << 16));
    }).toThrow(/longer than a million characters/);
  });

  it.each([
    ['one line', '', '1', /longer than a million characters/],
    ['one line after a heading', 'time_s,current_A,ch001_V,ch002_V,ch003_V\n', '7', /longer than a million/],
    ['a quotation never closed', 'time_s,current_A,ch001_V,ch002_V,ch003_V\n"', '7,8\n', /never closed/],
  ])('reads no more than a few megabytes of a gigabyte that is %s', (_name, start, text, message) => {
    const reader = new CsvScanReader(pack);
    const piece = text.repeat((1 << 20) / text.length);
    let taken = 0;
    expect(() => {
      reader.push(start);
      for (let i = 0; i < 1024; i++) {
        taken += piece.length;
        reader.push(piece);
      }
    }).toThrow(message);
    expect(taken).toBeLessThanOrEqual(4 << 20);
  });
});

describe('segments', () => {
  const rows = (from: number, to: number, current: number): string =>
    Array.from(
      { length: (to - from) / 10 },
      (_, i) => `${from + i * 10},${current},20,50,${4 - from / 10000},4.0,4.0`,
    ).join('\n');
  const record = readScanCsv(
    `time_s,current_A,temp_C,soc_pct,ch001_V,ch002_V,ch003_V\n${rows(0, 600, 0)}\n${rows(600, 1200, 36)}\n${rows(1200, 1240, 0)}\n${rows(1240, 1800, 36)}\n${rows(1800, 2600, 0)}\n${rows(2600, 3200, -18)}\n`,
    pack,
  );

  it('finds rest, drive, rest and charge; a red light is not a rest', () => {
    expect(findSegments(record).map((s) => s.kind)).toEqual(['rest', 'discharge', 'rest', 'charge']);
  });

  it('counts charge by trapezoid: 36 A for 100 s is 1 A·h', () => {
    expect(chargeBetweenAh(record.currentA!, 700, 800)).toBeCloseTo(1, 9);
  });

  it('takes the voltage at the end of each rest', () => {
    const points = restPoints(record);
    expect(points).toHaveLength(2);
    expect(points[1]!.timeS).toBe(2590);
  });
});

describe('quick numbers', () => {
  it('are those of the language, to the last bit, or none', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string({ maxLength: 18 }),
          fc.double().map(String),
          fc.integer().map(String),
          fc
            .tuple(fc.integer({ min: -99999, max: 99999 }), fc.nat({ max: 99999999 }))
            .map(([a, b]) => `${a}.${b}`),
        ),
        (text) => {
          const quick = plain(text);
          if (!Number.isNaN(quick)) expect(quick).toBe(Number(text));
        },
      ),
      { numRuns: 3000 },
    );
    expect([plain('3.982'), plain('-0.25'), plain('40')]).toEqual([3.982, -0.25, 40]);
    expect([plain(''), plain('-'), plain('1e3'), plain('1.2.3'), plain(' 1')].every(Number.isNaN)).toBe(true);
  });
});

/** One number as a row of its own; NaN if it is left to the CSV parser. */
function plain(text: string): number {
  const out = new Float64Array(1);
  return readPlainRow(`${text}\n`, 0, 44, 46, out) === text.length + 1 ? out[0]! : NaN;
}

it('a scan reader fed anything at all ends in a record or a told problem', () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.oneof(
          fc.string({ maxLength: 60 }),
          fc.constantFrom(
            'time_s,ch001_V,ch002_V,ch003_V\n',
            '0,4,4,4\n',
            '1,4,,4\n',
            ';',
            '\t',
            '"',
            '\r\n',
            '\u0000',
            'time_s,signal,value\n',
            '0,ch001_V,4\n',
          ),
        ),
        { maxLength: 12 },
      ),
      (pieces) => {
        const reader = new CsvScanReader(pack);
        try {
          for (const p of pieces) reader.push(p);
          reader.finish();
        } catch (e) {
          expect((e as Error).name).toBe('InputProblem');
        }
      },
    ),
    { numRuns: 1500 },
  );
});
