import { InputProblem } from '../problem';

/** One signal of a message: where its bits lie and what they mean. */
export interface DbcSignal {
  name: string;
  startBit: number;
  length: number;
  littleEndian: boolean;
  signed: boolean;
  scale: number;
  offset: number;
  unit: string;
  /** IEEE float of 32 or 64 bits instead of an integer (`SIG_VALTYPE_`). */
  float: boolean;
  /** `M` in the file: its value chooses the multiplexed signals. */
  multiplexer: boolean;
  /** Present only when the multiplexer has this value. */
  multiplexValue: number | null;
}

export interface DbcMessage {
  /** Identifier without the extended flag. */
  id: number;
  extended: boolean;
  name: string;
  length: number;
  signals: DbcSignal[];
}

const NUMBER = '[-+]?[0-9]*\\.?[0-9]+(?:[eE][-+]?[0-9]+)?';
const MESSAGE = /^BO_\s+(\d+)\s+(\w+)\s*:\s*(\d+)\s+(\S+)/;
const SIGNAL = new RegExp(
  `^SG_\\s+(\\w+)\\s*(M|m\\d+M?)?\\s*:\\s*(\\d+)\\|(\\d+)@([01])([+-])\\s*\\(\\s*(${NUMBER})\\s*,\\s*(${NUMBER})\\s*\\)\\s*\\[[^\\]]*\\]\\s*"([^"]*)"`,
);
/** A line of a message or signal is short; what is longer is none. */
const LONGEST_LINE = 4096;
const VALTYPE = /^SIG_VALTYPE_\s+(\d+)\s+(\w+)\s*:?\s*([0-3])\s*;/;
/** Messages that stand for signals without a message. */
const NO_MESSAGE = 0xc0000000;

/**
 * Reads messages and signals of a DBC file; everything else in it (nodes, comments, attributes, value tables) is
 * passed over.
 * @throws InputProblem naming the line of a message or signal that cannot be read.
 */
export function parseDbc(text: string): DbcMessage[] {
  const messages: DbcMessage[] = [];
  let current: DbcMessage | null = null;
  text.split(/\r?\n/).forEach((raw, i) => {
    if (raw.length > LONGEST_LINE && /^\s{0,40}(?:BO_|SG_) /.test(raw))
      throw new InputProblem(
        'dbc-line',
        `A line is ${raw.length} characters long.`,
        `line ${i + 1}`,
        `Lines of up to ${LONGEST_LINE}.`,
      );
    if (raw.length > LONGEST_LINE) return;
    const line = raw.trim();
    const where = `line ${i + 1}`;
    if (line.startsWith('BO_ ')) {
      const m = MESSAGE.exec(line);
      if (!m)
        throw new InputProblem(
          'dbc-message',
          `“${line.slice(0, 60)}” is not a message.`,
          where,
          'BO_ id name: length sender',
        );
      const raw32 = Number(m[1]);
      if (raw32 > 0xffffffff)
        throw new InputProblem(
          'dbc-id',
          `Message ${m[2]} has the identifier ${m[1]}.`,
          where,
          'Eleven or 29 bits, the top bit marks extended.',
        );
      current = {
        id: raw32 & 0x1fffffff,
        extended: raw32 >= 0x80000000,
        name: m[2]!,
        length: Number(m[3]),
        signals: [],
      };
      if (raw32 !== NO_MESSAGE) messages.push(current);
    } else if (line.startsWith('SG_ ')) {
      const m = SIGNAL.exec(line);
      if (!m || !current)
        throw new InputProblem(
          'dbc-signal',
          `“${line.slice(0, 60)}” is not a signal.`,
          where,
          'SG_ name : start|length@order sign (scale,offset) [min|max] "unit" receivers',
        );
      const length = Number(m[4]);
      if (length < 1 || length > 64)
        throw new InputProblem(
          'dbc-length',
          `Signal ${m[1]} is ${length} bits long.`,
          where,
          '1 to 64 bits.',
        );
      current.signals.push({
        name: m[1]!,
        startBit: Number(m[3]),
        length,
        littleEndian: m[5] === '1',
        signed: m[6] === '-',
        scale: Number(m[7]),
        offset: Number(m[8]),
        unit: m[9]!,
        float: false,
        multiplexer: m[2] === 'M',
        multiplexValue: m[2]?.startsWith('m') ? parseInt(m[2].slice(1), 10) : null,
      });
    } else if (line.startsWith('SIG_VALTYPE_')) {
      const m = VALTYPE.exec(line);
      const signal =
        m && messages.find((x) => x.id === (Number(m[1]) & 0x1fffffff))?.signals.find((s) => s.name === m[2]);
      if (signal && (m![3] === '1' || m![3] === '2')) signal.float = true;
    }
  });
  if (messages.length === 0)
    throw new InputProblem(
      'dbc-empty',
      'The file describes no message.',
      '',
      'A DBC file with BO_ and SG_ lines.',
    );
  return messages;
}

/** Decodes one signal of a frame; NaN where the frame is too short. */
type Decoder = (data: Uint8Array) => number;

/**
 * Makes a decoder for a signal: the bytes and shifts are worked out once, so that a frame costs a few operations.
 * Intel signals count bits upward from the start bit; Motorola signals start at their most significant bit.
 */
export function signalDecoder(signal: DbcSignal): Decoder {
  const { startBit, length, littleEndian, signed, scale, offset, float } = signal;
  const firstByte = startBit >> 3;
  let lastByte: number;
  let shift: number;
  if (littleEndian) {
    lastByte = (startBit + length - 1) >> 3;
    shift = startBit & 7;
  } else {
    const msb = 7 - (startBit & 7);
    lastByte = firstByte + ((msb + length - 1) >> 3);
    shift = (8 - ((msb + length) & 7)) & 7;
  }
  const count = lastByte - firstByte + 1;
  if (float) return floatDecoder(firstByte, length, littleEndian, scale, offset);
  if (count <= 6) {
    // Up to 48 bits fit a double exactly: multiply instead of shifting, which is limited to 32.
    const modulus = 2 ** length;
    const half = modulus / 2;
    const down = 2 ** shift;
    const step = littleEndian ? -1 : 1;
    const from = littleEndian ? lastByte : firstByte;
    return (data) => {
      if (lastByte >= data.length) return NaN;
      let raw = 0;
      for (let i = 0, b = from; i < count; i++, b += step) raw = raw * 256 + data[b]!;
      raw = Math.floor(raw / down) % modulus;
      if (signed && raw >= half) raw -= modulus;
      return raw * scale + offset;
    };
  }
  return (data) => {
    if (lastByte >= data.length) return NaN;
    let raw = 0n;
    for (let i = 0; i < count; i++)
      raw = (raw << 8n) | BigInt(data[littleEndian ? lastByte - i : firstByte + i]!);
    raw = (raw >> BigInt(shift)) & ((1n << BigInt(length)) - 1n);
    return Number(signed ? BigInt.asIntN(length, raw) : raw) * scale + offset;
  };
}

function floatDecoder(
  firstByte: number,
  length: number,
  littleEndian: boolean,
  scale: number,
  offset: number,
): Decoder {
  return (data) => {
    if (firstByte + length / 8 > data.length) return NaN;
    const view = new DataView(data.buffer, data.byteOffset, data.byteLength);
    return (
      (length === 64 ? view.getFloat64(firstByte, littleEndian) : view.getFloat32(firstByte, littleEndian)) *
        scale +
      offset
    );
  };
}

interface Compiled {
  message: DbcMessage;
  names: string[];
  decoders: Decoder[];
  multiplexer: Decoder | null;
  only: (number | null)[];
}

/** Decodes frames by a set of messages. One key per identifier and kind, so standard and extended do not mix. */
export class DbcDecoder {
  private readonly byKey = new Map<number, Compiled>();

  constructor(messages: readonly DbcMessage[]) {
    for (const message of messages) {
      const multiplexer = message.signals.find((s) => s.multiplexer);
      this.byKey.set(message.extended ? message.id + 0x20000000 : message.id, {
        message,
        names: message.signals.map((s) => s.name),
        decoders: message.signals.map(signalDecoder),
        multiplexer: multiplexer ? signalDecoder({ ...multiplexer, scale: 1, offset: 0 }) : null,
        only: message.signals.map((s) => s.multiplexValue),
      });
    }
  }

  /** Calls back for each signal the frame carries; false if no message has its identifier. */
  decode(
    id: number,
    extended: boolean,
    data: Uint8Array,
    onSignal: (name: string, value: number, message: DbcMessage) => void,
  ): boolean {
    const c = this.byKey.get(extended ? id + 0x20000000 : id);
    if (!c) return false;
    const chosen = c.multiplexer ? c.multiplexer(data) : 0;
    for (let i = 0; i < c.decoders.length; i++) {
      if (c.only[i] !== null && c.only[i] !== chosen) continue;
      const value = c.decoders[i]!(data);
      if (value === value) onSignal(c.names[i]!, value, c.message);
    }
    return true;
  }
}
