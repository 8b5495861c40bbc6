import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, InputProblem, normalisePack } from '../pack';
import { CsvScanReader } from '../scan';
import { CandumpReader } from './candump';
import { CanScanReader } from './canScan';
import { parseCode, printCode } from './codes';
import { DbcDecoder, parseDbc } from './dbc';
import { IsoTpAssembler, isoTpFrames } from './isotp';
import { decodeRecord, parseUdsResponse } from './uds';

/** Whatever goes in: a result, or a problem that a person can read. Nothing else, and not for long. */
function ends(work: () => unknown): void {
  const start = performance.now();
  try {
    work();
  } catch (e) {
    expect(e).toBeInstanceOf(InputProblem);
    expect((e as InputProblem).what.length).toBeGreaterThan(5);
    expect((e as InputProblem).message.length).toBeLessThan(2000);
  }
  expect(performance.now() - start).toBeLessThan(2000);
}
/** A text with pieces cut out, doubled and swapped, and noise put in. */
const damaged = (good: string): fc.Arbitrary<string> =>
  fc
    .record({
      cut: fc.nat(good.length),
      length: fc.nat(60),
      at: fc.nat(good.length),
      noise: fc.oneof(
        fc.string({ maxLength: 12 }),
        fc.constantFrom('\u0000', '\r', '"', '\uFEFF', '1e999', '-'),
      ),
      from: fc.nat(good.length),
      twice: fc.nat(80),
    })
    .map(({ cut, length, at, noise, from, twice }) => {
      const shorter = good.slice(0, cut) + good.slice(cut + length);
      const noisy = shorter.slice(0, at) + noise + shorter.slice(at);
      return noisy + noisy.slice(from, from + twice);
    });
const RUNS = { numRuns: 250 };

const pack = normalisePack({
  name: 'three',
  chemistry: 'nmc',
  ratedCapacityAh: 40,
  channels: ['ch1', 'ch2', 'ch3'].map((id) => ({ id, cells: 1 })),
  modules: [{ id: 'M1', channels: ['ch1', 'ch2', 'ch3'] }],
  nominalGroupResistanceMilliohm: 1,
  ocv: defaultOcvTable('nmc'),
});
const DBC = `VERSION ""
BU_: BMS
BO_ 1280 Cells: 8 BMS
 SG_ Mode M : 0|4@1+ (1,0) [0|15] "" BMS
 SG_ ch1 m0 : 8|16@1+ (0.001,0) [0|5] "V" BMS
 SG_ ch2 m1 : 15|16@0- (0.001,0) [-5|5] "V" BMS
 SG_ ch3 : 32|32@1- (0.0001,0) [0|5] "V" BMS
SIG_VALTYPE_ 1280 ch3 : 1;
`;

describe('every parser of the vehicle’s side', () => {
  it('DBC files', () =>
    fc.assert(
      fc.property(damaged(DBC), (text) => ends(() => new DbcDecoder(parseDbc(text)))),
      RUNS,
    ));

  it('DBC decoding of any bytes, and of signals longer than their frame', () => {
    const decoder = new DbcDecoder(parseDbc(DBC));
    fc.assert(
      fc.property(
        fc.uint8Array({ maxLength: 64 }),
        fc.nat(2 ** 29 - 1),
        fc.boolean(),
        (data, id, extended) => {
          decoder.decode(id % 3 === 0 ? 1280 : id, extended, data, (_n, v) =>
            expect(Number.isNaN(v)).toBe(false),
          );
        },
      ),
      RUNS,
    );
  });

  it('candump logs', () => {
    const good = '(1.000001) can0 500#0011223344556677\n(2.5) vcan1 18FF50E5##1AABB\n(3.1) can0 7E8#R\n';
    fc.assert(
      fc.property(damaged(good), (text) =>
        ends(() => {
          const reader = new CandumpReader((f) => expect(f.data.length).toBeLessThanOrEqual(64));
          reader.push(text);
          reader.finish();
        }),
      ),
      RUNS,
    );
  });

  it('ISO-TP: frames in any order, of any bytes', () =>
    fc.assert(
      fc.property(fc.array(fc.uint8Array({ maxLength: 10 }), { maxLength: 30 }), (frames) => {
        const assembler = new IsoTpAssembler((p) => expect(p.length).toBeLessThanOrEqual(1 << 16));
        for (const f of frames) ends(() => assembler.push(f));
      }),
      RUNS,
    ));

  it('ISO-TP: a first frame cut off after its first byte is told, and what follows is no message', () => {
    const got: Uint8Array[] = [];
    const assembler = new IsoTpAssembler((p) => got.push(p));
    expect(() => assembler.push(Uint8Array.of(0x11))).toThrow('A first frame is cut off.');
    assembler.push(Uint8Array.of(0x21, 1, 2, 3, 4, 5, 6, 7));
    assembler.push(Uint8Array.of(0x02, 0x3e, 0x00));
    expect(got.map((p) => [...p])).toEqual([[0x3e, 0x00]]);
  });

  it('ISO-TP puts together whatever was split, and drops a message whose frames are swapped', () =>
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 400 }), (payload) => {
        const got: number[][] = [];
        const assembler = new IsoTpAssembler((p) => got.push([...p]));
        const frames = isoTpFrames(payload);
        for (const f of frames) assembler.push(f);
        expect(got).toEqual([[...payload]]);
        if (frames.length < 4) return;
        const swapped = [frames[0]!, frames[2]!, frames[1]!, ...frames.slice(3)];
        got.length = 0;
        for (const f of swapped) ends(() => assembler.push(f));
        expect(got).toEqual([]);
      }),
      RUNS,
    ));

  it('UDS answers and records', () =>
    fc.assert(
      fc.property(
        fc.uint8Array({ maxLength: 80 }),
        fc.nat(90),
        fc.integer({ min: 1, max: 6 }),
        (payload, byte, bytes) => {
          ends(() => parseUdsResponse(payload));
          const values = decodeRecord(payload, {
            identifier: 1,
            name: 'r',
            fields: [{ name: 'v{n}', byte, bytes, signed: true, repeat: 200 }],
          });
          expect(values.length).toBeLessThanOrEqual(Math.max(0, Math.floor((payload.length - byte) / bytes)));
        },
      ),
      RUNS,
    ));

  it('trouble codes: what is printed is read back, anything else is told', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 2, maxLength: 3 }), (bytes) => {
        expect(parseCode(printCode(bytes))).toEqual(bytes);
      }),
      RUNS,
    );
    fc.assert(
      fc.property(fc.string({ maxLength: 12 }), (text) => ends(() => parseCode(text))),
      RUNS,
    );
  });

  it('tables, wide and long, in pieces of any size', () => {
    const wide =
      'time_s,current_A,ch1_V,ch2_V,ch3_V\n0,0.1,3.700,3.701,3.699\n10,12,3.690,3.691,3.688\n20,-4,"3.71",3.7,3.7\n';
    const long = 'time_s;signal;value\n0;ch1_V;3,700\n0;ch2_V;3,701\n1;ch3_V;3,699\n2;current_A;4,5\n';
    for (const good of [wide, long])
      fc.assert(
        fc.property(damaged(good), fc.integer({ min: 1, max: 40 }), (text, size) =>
          ends(() => {
            const reader = new CsvScanReader(pack);
            for (let i = 0; i < text.length; i += size) reader.push(text.slice(i, i + size));
            const record = reader.finish();
            expect(record.voltageV).toHaveLength(3);
            for (const s of record.voltageV)
              expect(s.timeS.every((t, i) => i === 0 || t >= s.timeS[i - 1]!)).toBe(true);
          }),
        ),
        RUNS,
      );
  });

  it('CAN logs against a definition', () => {
    const good =
      Array.from({ length: 6 }, (_, i) => `(${i}.5) can0 500#0${i % 2}740E740E0000803F`).join('\n') + '\n';
    fc.assert(
      fc.property(damaged(good), (text) =>
        ends(() => {
          const reader = new CanScanReader(pack, [{ kind: 'dbc', name: 'd', messages: parseDbc(DBC) }]);
          reader.push(text);
          reader.finish();
        }),
      ),
      RUNS,
    );
  });
});
