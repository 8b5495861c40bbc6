import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, InputProblem, normalisePack, type PackProfile } from '../pack';
import { CanScanReader, definedSignals, looksLikeCandump, type SignalDefinition } from './canScan';
import { parseDbc } from './dbc';
import { isoTpFrames } from './isotp';
import type { UdsFile } from './uds';

const profile: PackProfile = {
  name: 'four',
  chemistry: 'nmc',
  ratedCapacityAh: 40,
  channels: [1, 2, 3, 4].map((n) => ({ id: `ch0${n}`, cells: 1 })),
  modules: [{ id: 'M1', channels: ['ch01', 'ch02', 'ch03', 'ch04'] }],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
};
const pack = normalisePack(profile);

const DBC: SignalDefinition = {
  kind: 'dbc',
  name: 'cells',
  messages: parseDbc(`BO_ 1280 Cells: 8 BMS
 SG_ Cell_1 : 0|16@1+ (1,0) [0|5000] "mV" BMS
 SG_ Cell_2 : 16|16@1+ (1,0) [0|5000] "mV" BMS
 SG_ Cell_3 : 32|16@1+ (1,0) [0|5000] "mV" BMS
 SG_ Cell_4 : 48|16@1+ (1,0) [0|5000] "mV" BMS
BO_ 1281 Pack: 8 BMS
 SG_ PackCurrent : 7|16@0- (0.1,0) [-500|500] "A" BMS
 SG_ Fan : 16|8@1+ (1,0) [0|255] "%" BMS
`),
};
const hex = (bytes: ArrayLike<number>): string =>
  Array.from(bytes, (b) => b.toString(16).padStart(2, '0').toUpperCase()).join('');
const line = (t: number, id: number, bytes: ArrayLike<number>): string =>
  `(${t.toFixed(6)}) can0 ${id.toString(16).toUpperCase().padStart(3, '0')}#${hex(bytes)}\n`;
const cells = (...mv: number[]): number[] => mv.flatMap((v) => [v & 255, v >> 8]);

describe('a CAN log', () => {
  it('becomes a record, every reading with the time of its frame', () => {
    const reader = new CanScanReader(pack, [DBC]);
    const start = 1_790_000_000;
    reader.push(line(start, 0x500, cells(3901, 3902, 3903, 3904)));
    reader.push(line(start + 0.5, 0x501, [0x00, 0x64, 40, 0, 0, 0, 0, 0]));
    reader.push(line(start + 1, 0x7ff, [1, 2, 3]));
    const record = reader.finish();
    expect(record.simultaneous).toBe(false);
    expect(record.startEpochS).toBe(start);
    expect(record.voltageV.map((s) => s.value[0])).toEqual([3.901, 3.902, 3.903, 3.904]);
    expect(record.currentA!.timeS[0]).toBeCloseTo(0.5, 6);
    expect(record.currentA!.value[0]).toBeCloseTo(10, 9);
    expect(record.notices.join()).toMatch(/1 of 3 frames are in no definition/);
  });

  it('is read from diagnostic answers over several frames, with the codes in it', () => {
    const file: UdsFile = {
      format: 'cellmend-uds-1',
      name: 'unit',
      requestId: 0x7e4,
      responseId: 0x7ec,
      records: [
        {
          identifier: 0x4801,
          name: 'cells',
          fields: [{ name: 'Cell{n}', byte: 0, bytes: 2, scale: 0.001, unit: 'V', repeat: 4 }],
        },
      ],
    };
    const reader = new CanScanReader(pack, [{ kind: 'uds', name: 'unit', file }]);
    const answer = Uint8Array.from([
      0x62,
      0x48,
      0x01,
      ...[3701, 3702, 3703, 3704].flatMap((v) => [v >> 8, v & 255]),
    ]);
    isoTpFrames(answer).forEach((f, i) => reader.push(line(10 + i / 100, 0x7ec, f)));
    // ISO 14229-1: 0x59 0x02, availability mask, then three bytes of code and one of status.
    isoTpFrames(Uint8Array.from([0x59, 0x02, 0xff, 0x0a, 0xa6, 0x1a, 0x09])).forEach((f) =>
      reader.push(line(11, 0x7ec, f)),
    );
    isoTpFrames(Uint8Array.from([0x7f, 0x22, 0x31])).forEach((f) => reader.push(line(12, 0x7ec, f)));
    reader.push(line(13, 0x7ec, [0x25, 1, 2, 3, 4, 5, 6, 7]));
    expect(reader.codes).toEqual([{ code: 'P0AA6-1A', status: 9, timeS: 11 }]);
    const record = reader.finish();
    record.voltageV.forEach((s, i) => expect(s.value[0]).toBeCloseTo(3.701 + i / 1000, 9));
    expect(record.notices.join()).toMatch(/refused 1 request: request out of range/);
  });

  it('guesses signals by name and unit, and lets a person say otherwise', () => {
    expect(definedSignals([DBC], pack).map((s) => s.target.kind)).toEqual([
      ...new Array<string>(4).fill('channel'),
      'current',
      'ignore',
    ]);
    const known = definedSignals([DBC], pack, { Fan: { kind: 'temperature', unit: 'C' } });
    expect(known[5]!.target.kind).toBe('temperature');
  });

  it('says which channels lack, and that time went back', () => {
    const short = new CanScanReader(pack, [
      { ...DBC, messages: [{ ...DBC.messages[0]!, signals: DBC.messages[0]!.signals.slice(0, 2) }] },
    ]);
    short.push(line(1, 0x500, cells(3900, 3900, 3900, 3900)));
    expect(() => short.finish()).toThrow(/2 of 4 channels/);
    const back = new CanScanReader(pack, [DBC]);
    back.push(line(5, 0x500, cells(3900, 3900, 3900, 3900)));
    expect(() => back.push(line(4, 0x500, cells(3900, 3900, 3900, 3900)))).toThrow(/goes back/);
  });

  it('is told from a table by its first line', () => {
    expect(looksLikeCandump(line(1, 0x500, [1]))).toBe(true);
    expect(looksLikeCandump('time_s,current_A\n0,1\n')).toBe(false);
  });

  it('fed damaged lines ends in a told problem or a record', () => {
    const good = [1, 2, 3].map((t) => line(t, 0x500, cells(3900, 3901, 3902, 3903))).join('');
    fc.assert(
      fc.property(fc.nat(good.length - 1), fc.string({ maxLength: 6 }), fc.nat(40), (at, insert, cut) => {
        const reader = new CanScanReader(pack, [DBC]);
        try {
          reader.push(good.slice(0, at) + insert + good.slice(at + cut));
          reader.finish();
        } catch (e) {
          expect(e).toBeInstanceOf(InputProblem);
        }
      }),
      { numRuns: 400 },
    );
  });
});
