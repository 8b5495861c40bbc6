import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  CandumpReader,
  DbcDecoder,
  decodeRecord,
  IsoTpAssembler,
  isoTpFrames,
  lookUpCode,
  parseCandumpLine,
  parseCode,
  parseDbc,
  parseUdsResponse,
  printCode,
  signalDecoder,
  statusWords,
  type CanFrame,
  type DbcSignal,
} from '.';

const hex = (text: string): Uint8Array =>
  Uint8Array.from(text.match(/[0-9A-Fa-f]{2}/g) ?? [], (b) => parseInt(b, 16));

describe('CAN logs', () => {
  it('read the example line of the can-utils documentation', () => {
    // can-utils, candump(1) and log2asc: "(1436509052.249713) vcan0 044#2A366C2BBA".
    expect(parseCandumpLine('(1436509052.249713) vcan0 044#2A366C2BBA', 1)).toEqual({
      timeS: 1436509052.249713,
      channel: 'vcan0',
      id: 0x44,
      extended: false,
      fd: false,
      data: hex('2A366C2BBA'),
    });
  });
});

describe('CAN logs, the other forms', () => {
  it.each([
    ['(1.5) can0 18DB33F1#0201050000000000', { id: 0x18db33f1, extended: true, fd: false }],
    ['(1.5) can0 123##1112233445566778899AABBCC', { id: 0x123, extended: false, fd: true }],
  ])('%s', (line, expected) => {
    expect(parseCandumpLine(line, 1)).toMatchObject(expected);
  });

  it.each([
    ['(1.5) can0 123#R', null],
    ['(1.5) can0 123#R8', null],
  ])('passes over the remote frame %s', (line, expected) => {
    expect(parseCandumpLine(line, 1)).toBe(expected);
  });

  it.each([
    ['hello', /not a line/],
    ['(1.5) can0 123#123', /odd count/],
    ['(1.5) can0 123#112233445566778899', /9 bytes in one classic/],
    ['(1.5) can0 12345#00', /not a line/],
  ])('refuses “%s”', (line, message) => {
    expect(() => parseCandumpLine(line, 7)).toThrow(message);
  });

  it('read piecewise as whole, and give up on an endless line', () => {
    const log = Array.from(
      { length: 50 },
      (_, i) => `(${i}.5) can0 7E8#${'0'.repeat(14)}${(i % 100).toString().padStart(2, '0')}`,
    ).join('\n');
    for (const size of [1, 7, 64, 5000]) {
      const frames: CanFrame[] = [];
      const reader = new CandumpReader((f) => frames.push(f));
      for (let i = 0; i < log.length; i += size) reader.push(log.slice(i, i + size));
      reader.finish();
      expect(frames).toHaveLength(50);
    }
    expect(() => new CandumpReader(() => undefined).push('x'.repeat(10_000))).toThrow(
      /longer than any CAN frame/,
    );
  });
});

/** The slow, obvious way: one bit after the other, as the DBC numbering defines them. */
function bitByBit(
  s: Pick<DbcSignal, 'startBit' | 'length' | 'littleEndian' | 'signed'>,
  data: Uint8Array,
): bigint {
  let raw = 0n;
  let bit = s.startBit;
  for (let i = 0; i < s.length; i++) {
    const value = BigInt((data[bit >> 3]! >> (bit & 7)) & 1);
    if (s.littleEndian) {
      raw |= value << BigInt(i);
      bit++;
    } else {
      raw = (raw << 1n) | value;
      // Motorola: downward within a byte, then on to the top bit of the next byte.
      bit = (bit & 7) === 0 ? bit + 15 : bit - 1;
    }
  }
  return s.signed ? BigInt.asIntN(s.length, raw) : raw;
}

describe('DBC signals', () => {
  it('decode as the bit numbering defines, for every position, length, order and sign', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 63 }),
        fc.integer({ min: 1, max: 64 }),
        fc.boolean(),
        fc.boolean(),
        fc.uint8Array({ minLength: 8, maxLength: 8 }),
        (startBit, length, littleEndian, signed, data) => {
          const room = littleEndian ? 64 - startBit : 64 - ((startBit >> 3) * 8 + 7 - (startBit & 7));
          fc.pre(length <= room);
          const s: DbcSignal = {
            name: 's',
            startBit,
            length,
            littleEndian,
            signed,
            scale: 1,
            offset: 0,
            unit: '',
            float: false,
            multiplexer: false,
            multiplexValue: null,
          };
          expect(signalDecoder(s)(data)).toBe(Number(bitByBit(s, data)));
        },
      ),
      { numRuns: 2000 },
    );
  });

  const text = `VERSION ""
BU_: BMS
BO_ 2566834709 Wheel: 8 BMS
 SG_ Speed : 0|16@1+ (0.01,0) [0|655] "km/h" X
BO_ 1280 Pack: 8 BMS
 SG_ Current : 7|16@0- (0.1,0) [-3276|3276] "A" X
 SG_ Mux M : 16|8@1+ (1,0) [0|255] "" X
 SG_ CellA m0 : 24|16@1+ (0.001,0) [0|65] "V" X
 SG_ CellB m1 : 24|16@1+ (0.001,0) [0|65] "V" X
BO_ 1281 Float: 8 BMS
 SG_ Volts : 0|32@1- (1,0) [0|0] "V" X
SIG_VALTYPE_ 1281 Volts : 1;
CM_ "anything else is passed over";
`;

  it('read scale, sign, order, multiplexing, extended identifiers and floats', () => {
    const decoder = new DbcDecoder(parseDbc(text));
    const values = (id: number, extended: boolean, data: Uint8Array): Record<string, number> => {
      const out: Record<string, number> = {};
      decoder.decode(id, extended, data, (name, value) => (out[name] = value));
      return out;
    };
    const first = values(1280, false, hex('FF9C00A00F000000'));
    expect(first.Current).toBeCloseTo(-10, 9);
    expect(first).toMatchObject({ Mux: 0, CellA: 4 });
    expect(first).not.toHaveProperty('CellB');
    expect(values(1280, false, hex('000001A00F000000'))).toMatchObject({ CellB: 4 });
    expect(values(2566834709 - 0x80000000, true, hex('E803000000000000')).Speed).toBeCloseTo(10, 9);
    expect(decoder.decode(2566834709 - 0x80000000, false, hex('00'), () => undefined)).toBe(false);
    expect(values(1281, false, hex('0000C0400000'))).toEqual({ Volts: 6 });
  });

  it.each([
    ['', /describes no message/],
    ['BO_ x', /not a message/],
    ['BO_ 1 A: 8 X\n SG_ broken', /line 2/],
    ['SG_ s : 0|8@1+ (1,0) [0|0] "" X', /not a signal/],
  ])('refuses %j', (bad, message) => {
    expect(() => parseDbc(bad)).toThrow(message);
  });
});

describe('ISO-TP and UDS', () => {
  const assemble = (frames: Uint8Array[]): Uint8Array[] => {
    const out: Uint8Array[] = [];
    const a = new IsoTpAssembler((p) => out.push(p));
    for (const f of frames) a.push(f);
    return out;
  };

  it('put the vehicle identification answer together, as the widely printed example has it', () => {
    // The usual worked example of a multi-frame answer (ISO 15765-2 first frame 10 14, then 21, 22), here from memory.
    const [payload] = assemble([hex('1014490201314434'), hex('2147503030523535'), hex('2242313233343536')]);
    expect(Buffer.from(payload!.slice(3)).toString('latin1')).toBe('1D4GP00R55B123456');
  });

  it('bring back what was split, for every length', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 1, maxLength: 4095 }), (payload) => {
        expect(assemble(isoTpFrames(payload))).toEqual([payload]);
      }),
    );
  });

  it('drop a message whose frames come out of order, then go on with the next', () => {
    const out: Uint8Array[] = [];
    const a = new IsoTpAssembler((p) => out.push(p));
    a.push(hex('1014490201314434'));
    expect(() => a.push(hex('2242313233343536'))).toThrow(/frame 2 came where 1 was due/);
    a.push(hex('0362F190'));
    expect(out).toEqual([hex('62F190')]);
    expect(() => a.push(Uint8Array.from([0x10, 0x00, 0x7f, 0xff, 0xff, 0xff]))).toThrow(/announces/);
  });

  it('read data, trouble codes and refusals', () => {
    expect(parseUdsResponse(hex('62F19031'))).toEqual({
      kind: 'data',
      identifier: 0xf190,
      record: hex('31'),
    });
    expect(parseUdsResponse(hex('7F2231'))).toMatchObject({
      kind: 'negative',
      service: 0x22,
      meaning: 'request out of range',
      pending: false,
    });
    expect(parseUdsResponse(hex('7F2278'))).toMatchObject({ pending: true });
    const codes = parseUdsResponse(hex('5902FF0AA61A2F0A800008'));
    expect(codes).toMatchObject({ kind: 'codes', codes: [{ status: 0x2f }, { status: 0x08 }] });
    expect(() => parseUdsResponse(hex('62F1'))).toThrow(/too short/);
    expect(() => parseUdsResponse(new Uint8Array(0))).toThrow(/too short/);
  });

  it('decode the fields of a record, repeated and signed', () => {
    const values = decodeRecord(hex('0FA00F9EFFF6'), {
      identifier: 0x0101,
      name: 'cells',
      fields: [
        { name: 'ch{n}', byte: 0, bytes: 2, scale: 0.001, unit: 'V', repeat: 2 },
        { name: 'current', byte: 4, bytes: 2, signed: true, scale: 0.1, unit: 'A' },
      ],
    });
    expect(values.map((v) => v.name)).toEqual(['ch1', 'ch2', 'current']);
    expect(values.map((v) => +v.value.toFixed(3))).toEqual([4, 3.998, -1]);
  });
});

describe('trouble codes', () => {
  it('print and read as SAE J2012 writes them', () => {
    expect(printCode(hex('0AA6'))).toBe('P0AA6');
    expect(printCode(hex('0AA61A'))).toBe('P0AA6-1A');
    expect(printCode(hex('C293'))).toBe('U0293');
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 2, maxLength: 3 }), (b) => {
        expect(parseCode(printCode(b))).toEqual(b);
      }),
    );
    expect(() => parseCode('X0AA6')).toThrow(/not a trouble code/);
  });

  it('say what their status bits mean and what to test first', () => {
    // ISO 14229-1: bit 0 testFailed, bit 3 confirmedDTC, bit 7 warningIndicatorRequested.
    expect(statusWords(0x89)).toEqual(['test failed', 'confirmed', 'warning lamp on']);
    expect(lookUpCode('P0AA6-1A')).toMatchObject({ about: 'isolation', severity: 'stop' });
    expect(lookUpCode('P1ABC')).toBeNull();
  });
});

it('nothing hostile brings a parser down: every failure is a told problem', () => {
  const told = (work: () => unknown): void => {
    try {
      work();
    } catch (e) {
      expect((e as Error).name).toBe('InputProblem');
    }
  };
  fc.assert(
    fc.property(fc.string({ maxLength: 300 }), fc.uint8Array({ maxLength: 70 }), (text, bytes) => {
      told(() => parseDbc(text));
      told(() => parseDbc(`BO_ 1 A: 8 X\n SG_ ${text}`));
      told(() => parseCandumpLine(text, 1));
      told(() => parseCode(text));
      told(() => parseUdsResponse(bytes));
      const a = new IsoTpAssembler(() => undefined);
      for (let i = 0; i < bytes.length; i += 8) told(() => a.push(bytes.slice(i, i + 8)));
    }),
    { numRuns: 400 },
  );
});
