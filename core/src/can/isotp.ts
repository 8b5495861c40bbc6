import { InputProblem } from '../problem';

/**
 * Puts ISO-TP messages (ISO 15765-2, normal addressing) together from the frames of one identifier: single, first
 * and consecutive frames, and the escape forms of CAN FD. Flow control is passed over.
 */
export class IsoTpAssembler {
  private buffer: Uint8Array | null = null;
  private filled = 0;
  private next = 1;

  constructor(
    private readonly onMessage: (payload: Uint8Array) => void,
    /** Longer announcements are refused, so that a damaged log cannot ask for all memory. */
    private readonly longest = 1 << 16,
  ) {}

  /** @throws InputProblem for lengths that cannot be and for consecutive frames out of order; the message is dropped. */
  push(data: Uint8Array): void {
    const kind = data.length > 0 ? data[0]! >> 4 : -1;
    if (kind === 0) this.single(data);
    else if (kind === 1) this.first(data);
    else if (kind === 2) this.consecutive(data);
    else if (kind !== 3)
      throw new InputProblem(
        'isotp-kind',
        `Frame type ${kind < 0 ? 'none' : kind} is not one of ISO-TP.`,
        '',
        'Single, first, consecutive or flow control.',
      );
  }

  private drop(what: string): never {
    this.buffer = null;
    throw new InputProblem('isotp', what, '', 'Frames of one message in order, as ISO 15765-2 sends them.');
  }

  private single(data: Uint8Array): void {
    const escape = (data[0]! & 0x0f) === 0 && data.length > 8;
    const length = escape ? data[1]! : data[0]! & 0x0f;
    const from = escape ? 2 : 1;
    if (length === 0 || from + length > data.length)
      this.drop(`A single frame announces ${length} bytes but carries ${data.length - from}.`);
    this.buffer = null;
    this.onMessage(data.slice(from, from + length));
  }

  private first(data: Uint8Array): void {
    if (data.length < 2) this.drop('A first frame is cut off.');
    let length = ((data[0]! & 0x0f) << 8) | (data[1] ?? 0);
    let from = 2;
    if (length === 0) {
      if (data.length < 6) this.drop('A first frame is cut off.');
      length = data[2]! * 2 ** 24 + ((data[3]! << 16) | (data[4]! << 8) | data[5]!);
      from = 6;
    }
    if (length < data.length - from || length > this.longest)
      this.drop(`A first frame announces ${length} bytes.`);
    this.buffer = new Uint8Array(length);
    this.buffer.set(data.subarray(from));
    this.filled = data.length - from;
    this.next = 1;
  }

  private consecutive(data: Uint8Array): void {
    if (!this.buffer) return;
    const number = data[0]! & 0x0f;
    if (number !== this.next) this.drop(`Consecutive frame ${number} came where ${this.next} was due.`);
    this.next = (this.next + 1) & 0x0f;
    const take = Math.min(data.length - 1, this.buffer.length - this.filled);
    this.buffer.set(data.subarray(1, 1 + take), this.filled);
    this.filled += take;
    if (this.filled === this.buffer.length) {
      const done = this.buffer;
      this.buffer = null;
      this.onMessage(done);
    }
  }
}

/** Splits a payload into the frames that carry it, padded to eight bytes: the sender's side, for simulation and tests. */
export function isoTpFrames(payload: Uint8Array, padding = 0xaa): Uint8Array[] {
  const frame = (bytes: number[]): Uint8Array =>
    Uint8Array.from({ length: 8 }, (_, i) => bytes[i] ?? padding);
  if (payload.length <= 7) return [frame([payload.length, ...payload])];
  const frames = [frame([0x10 | (payload.length >> 8), payload.length & 0xff, ...payload.slice(0, 6)])];
  for (let at = 6, n = 1; at < payload.length; at += 7, n++)
    frames.push(frame([0x20 | (n & 0x0f), ...payload.slice(at, at + 7)]));
  return frames;
}
