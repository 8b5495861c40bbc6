import { InputProblem } from '../problem';

/** One frame as a CAN log holds it. Classic frames carry up to 8 bytes, FD frames up to 64. */
export interface CanFrame {
  timeS: number;
  channel: string;
  id: number;
  extended: boolean;
  fd: boolean;
  data: Uint8Array;
}

const LINE =
  /^\((\d+\.\d+)\)\s+(\S+)\s+([0-9A-Fa-f]{3}|[0-9A-Fa-f]{8})#(#[0-9A-Fa-f])?([0-9A-Fa-f]*)(R\d?)?(?:_[0-9A-Fa-f])?(?:\s+[RT])?\s*$/;

function bytesOf(hex: string, line: number): Uint8Array {
  if (hex.length % 2)
    throw new InputProblem(
      'candump-data',
      `The data ${hex.slice(0, 24)} has an odd count of digits.`,
      `line ${line}`,
      'Two hexadecimal digits a byte.',
    );
  const out = new Uint8Array(hex.length / 2);
  for (let i = 0; i < out.length; i++) out[i] = parseInt(hex.slice(2 * i, 2 * i + 2), 16);
  return out;
}

/**
 * Reads one line of the log form of can-utils' candump: `(1436509052.249713) vcan0 044#2A366C2BBA`, FD frames with
 * `##` and a flags digit. Three identifier digits mean a standard frame, eight an extended one. Remote frames give null.
 * @throws InputProblem for anything else.
 */
export function parseCandumpLine(text: string, line: number): CanFrame | null {
  const m = LINE.exec(text);
  if (!m)
    throw new InputProblem(
      'candump-line',
      `“${text.slice(0, 60)}” is not a line of a CAN log.`,
      `line ${line}`,
      '(seconds.micros) channel ID#DATA, as candump -L writes it.',
    );
  if (m[6]) return null;
  const data = bytesOf(m[5]!, line);
  const fd = m[4] !== undefined;
  if (data.length > (fd ? 64 : 8))
    throw new InputProblem(
      'candump-length',
      `${data.length} bytes in one ${fd ? 'FD' : 'classic'} frame.`,
      `line ${line}`,
      fd ? 'At most 64 bytes.' : 'At most 8 bytes; FD frames are written with ##.',
    );
  return {
    timeS: Number(m[1]),
    channel: m[2]!,
    id: parseInt(m[3]!, 16),
    extended: m[3]!.length === 8,
    fd,
    data,
  };
}

/** Reads a log piece by piece, calling back for each frame. Memory does not grow with the log. */
export class CandumpReader {
  private rest = '';
  private line = 0;
  constructor(private readonly onFrame: (frame: CanFrame) => void) {}

  push(text: string): void {
    this.rest += text;
    const lines = this.rest.split('\n');
    this.rest = lines.pop()!;
    if (this.rest.length > 4096)
      throw new InputProblem(
        'candump-line',
        'One line is longer than any CAN frame.',
        `line ${this.line + lines.length + 1}`,
        'One frame a line, as candump -L writes it.',
      );
    for (const l of lines) this.take(l);
  }

  private take(text: string): void {
    this.line++;
    if (text.trim() === '') return;
    const frame = parseCandumpLine(text.replace(/\r$/, ''), this.line);
    if (frame) this.onFrame(frame);
  }

  finish(): void {
    if (this.rest.trim() !== '') this.take(this.rest);
    this.rest = '';
  }
}
