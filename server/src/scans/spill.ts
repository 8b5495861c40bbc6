import { closeSync, openSync, writeSync } from 'node:fs';
import { open } from 'node:fs/promises';

/** Where the readings of each signal lie in a spill file, in the order they were read. */
export interface Spilled {
  path: string;
  signals: [signal: string, pieces: { offset: number; count: number }[]][];
}

/** Readings on their way from a file into the database wait here, not in memory. */
export class Spill {
  private readonly file: number;
  private readonly pieces = new Map<string, { offset: number; count: number }[]>();
  private size = 0;
  private closed = false;

  constructor(private readonly path: string) {
    this.file = openSync(path, 'w');
  }

  /** Takes the next piece of a signal. */
  readonly take = (signal: string, piece: Float64Array): void => {
    const bytes = new Uint8Array(piece.buffer, piece.byteOffset, piece.byteLength);
    for (let at = 0; at < bytes.length;) at += writeSync(this.file, bytes, at);
    const known = this.pieces.get(signal);
    const entry = { offset: this.size, count: piece.length };
    if (known) known.push(entry);
    else this.pieces.set(signal, [entry]);
    this.size += bytes.length;
  };

  /** Nothing more comes. */
  done(): Spilled {
    if (!this.closed) closeSync(this.file);
    this.closed = true;
    return { path: this.path, signals: [...this.pieces] };
  }
}

/** The readings of every signal, in chunks of at most `size`; a chunk is lent until the next. */
export async function* chunksOf(
  spilled: Spilled,
  size: number,
): AsyncGenerator<{ signal: string; part: number; values: Float64Array }> {
  const file = await open(spilled.path);
  const chunk = new Float64Array(size);
  const bytes = new Uint8Array(chunk.buffer);
  try {
    for (const [signal, pieces] of spilled.signals) {
      let part = 0;
      let filled = 0;
      for (const { offset, count } of pieces)
        for (let at = 0; at < count;) {
          const now = Math.min(count - at, size - filled);
          const { bytesRead } = await file.read(bytes, filled * 8, now * 8, offset + at * 8);
          if (bytesRead !== now * 8)
            throw new Error(`The readings of ${signal} are cut off in ${spilled.path}.`);
          filled += now;
          at += now;
          if (filled < size) continue;
          yield { signal, part: part++, values: chunk };
          filled = 0;
        }
      if (filled > 0) yield { signal, part, values: chunk.subarray(0, filled) };
    }
  } finally {
    await file.close();
  }
}
