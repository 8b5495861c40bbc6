/** Values handed on at a time. */
const PIECE = 4096;

/** Takes the values of a signal, a piece at a time, in the order they were read. The piece is only lent. */
export type Sink = (signal: string, piece: Float64Array) => void;

/**
 * The values of one signal, of which there may be any number: each is handed on to `pass` in pieces, and a condensed
 * course of at most `most` values is kept, so that memory does not grow with the length of a file.
 * Up to `most` the course is the values themselves. Beyond, each value of it stands for a run of two, four, eight …
 * readings: their mean where all signals were read together, else the first of the run with its own time.
 */
export class Column {
  private buffer = new Float64Array(256);
  private filled = 0;
  private handedOn = 0;
  private kept = new Float64Array(256);
  private keptCount = 0;
  private run = 1;
  private inRun = 0;
  private known = 0;
  private mean = NaN;
  private some = false;
  private ever = false;

  /** @param most an even number. */
  constructor(
    private readonly by: 'mean' | 'first',
    private readonly most: number,
    private readonly pass?: (piece: Float64Array) => void,
  ) {}

  push(value: number): void {
    if (this.filled === this.buffer.length) this.makeRoom();
    this.buffer[this.filled++] = value;
    if (value === value) {
      this.some = true;
      if (value !== 0) this.ever = true;
    }
  }

  /** Whether any value is other than nought. */
  get everOff(): boolean {
    return this.ever;
  }

  /** Whether any value is one; the others are holes. */
  get hasValue(): boolean {
    return this.some;
  }

  /** Whether a value of its course stands for more than one reading. */
  get thinned(): boolean {
    return this.run > 1;
  }

  /** How many values there were. */
  get length(): number {
    return this.handedOn + this.filled;
  }

  private makeRoom(): void {
    if (this.buffer.length >= PIECE) return this.drain();
    this.buffer = widened(this.buffer);
  }

  private drain(): void {
    const piece = this.buffer.subarray(0, this.filled);
    if (piece.length === 0) return;
    this.pass?.(piece);
    for (let i = 0; i < piece.length; i++) this.keep(piece[i]!);
    this.handedOn += this.filled;
    this.filled = 0;
  }

  private keep(value: number): void {
    if (this.inRun === 0) {
      if (this.keptCount === this.most) this.halve();
      this.mean = value;
      this.known = Number.isNaN(value) ? 0 : 1;
    } else if (this.by === 'mean' && !Number.isNaN(value)) {
      // A running mean leaves equal readings exactly what they were.
      this.known++;
      this.mean = this.known === 1 ? value : this.mean + (value - this.mean) / this.known;
    }
    if (++this.inRun < this.run) return;
    if (this.keptCount === this.kept.length) this.kept = widened(this.kept);
    this.kept[this.keptCount++] = this.mean;
    this.inRun = 0;
  }

  private halve(): void {
    const { kept } = this;
    for (let i = 0; i < this.most / 2; i++) {
      const a = kept[2 * i]!;
      const b = kept[2 * i + 1]!;
      kept[i] = this.by === 'first' || Number.isNaN(b) ? a : Number.isNaN(a) ? b : a + (b - a) / 2;
    }
    this.keptCount = this.most / 2;
    this.run *= 2;
  }

  /** Hands on what is left and gives the condensed course. */
  done(): Float64Array {
    this.drain();
    const course = new Float64Array(this.keptCount + (this.inRun > 0 ? 1 : 0));
    course.set(this.kept.subarray(0, this.keptCount));
    if (this.inRun > 0) course[this.keptCount] = this.mean;
    return course;
  }
}

function widened(values: Float64Array): Float64Array<ArrayBuffer> {
  const wider = new Float64Array(values.length * 2);
  wider.set(values);
  return wider;
}
