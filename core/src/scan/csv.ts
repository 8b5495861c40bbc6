import Papa from 'papaparse';
import type { Pack } from '../pack';
import { InputProblem } from '../problem';
import { inOurUnits, type RecordBuilder } from './builder';
import type { Sink } from './column';
import { sameHeading, type ColumnMapping, type KnownHeading } from './mapping';
import { readPlainRow } from './plainRow';
import type { ScanRecord } from './record';
import { guessMapping, TABLE_SHAPE, TableReader } from './table';

/** A line longer than this is not a scan: refused before it fills the memory. */
const LONGEST_LINE = 1 << 20;
const LONGEST_NAME = 500;

export interface CsvHeading {
  names: string[];
  mapping: ColumnMapping;
  /** Cells of the first row of values. */
  firstRow: string[];
  /** Line of the heading, from 1, and where the text after it begins. */
  line: number;
  from: number;
}

/** Lines without anything in them, one after the other: a table has a few, a file that is meant to keep a reader busy has millions. */
const MOST_EMPTY_LINES = 10_000;
/** No vehicle reports more: 1,000 channels, each with what some tools put beside it. */
const MOST_COLUMNS = 10_000;

/** Finds the heading of a table in its first text, with delimiter, decimal sign and layout. @throws InputProblem */
export function readHeading(text: string, pack: Pack): CsvHeading | null {
  if (text.includes('\u0000'))
    throw new InputProblem('binary', 'The file holds binary data, not text.', 'line 1', TABLE_SHAPE);
  const lines = text.split(/\r\n|\n|\r/, 200);
  const at = lines.findIndex((l) => l.trim() !== '');
  if (at < 0) return null;
  const heading = lines[at]!;
  const sample = lines.slice(at, at + 20).join('\n');
  const delimiter =
    [';', '\t', '|', ','].find(
      (d) =>
        heading.split(d).length > 1 &&
        Papa.parse<string[]>(sample, { delimiter: d })
          .data.slice(1, 3)
          .every((r) => r.length <= 1 || r.length >= 3),
    ) ?? ',';
  const names = (Papa.parse<string[]>(heading, { delimiter }).data[0] ?? []).map((n) => n.trim());
  if (names.length > MOST_COLUMNS)
    throw new InputProblem(
      'too-wide',
      `The heading has ${names.length} columns.`,
      `line ${at + 1}`,
      `A scan of at most ${MOST_COLUMNS} columns: one for each channel, and a few more.`,
    );
  const long = names.find((n) => n.length > LONGEST_NAME);
  if (long !== undefined)
    throw new InputProblem(
      'heading-too-long',
      `A column of the heading has a name of ${long.length} characters.`,
      `line ${at + 1}`,
      TABLE_SHAPE,
    );
  if (names.length < 2)
    throw new InputProblem(
      'not-a-table',
      `The first line reads “${heading.slice(0, 60)}”: that is not a heading of columns.`,
      `line ${at + 1}`,
      TABLE_SHAPE,
    );
  const firstRow = (lines[at + 1] ?? '').split(delimiter);
  const before = text.split(/(?<=\n|\r(?!\n))/, at + 1).join('').length;
  return {
    names,
    firstRow,
    line: at + 1,
    from: before,
    mapping: guessMapping(names, firstRow, pack, delimiter),
  };
}

/**
 * Reads a scan CSV piece by piece: `push` text as it arrives, then `finish`. Memory does not grow with the length of
 * the file. Wide files have one column per channel, long files one reading per line.
 */
export class CsvScanReader {
  private rest = '';
  private line = 0;
  /** Empty lines since the last row. */
  private empty = 0;
  private quoted = false;
  private started = false;
  private table: TableReader | null = null;
  private values = new Float64Array(0);

  /**
   * @param known headings met before, with what their columns were said to be.
   * @param sink takes every reading; the record keeps a condensed course of a long file.
   */
  constructor(
    private readonly pack: Pack,
    private readonly known: KnownHeading[] = [],
    private readonly sink?: Sink,
    /** The figures are a meter’s, typed by somebody. */
    private readonly metered = false,
  ) {}

  /** @throws InputProblem at the first line that cannot be read. */
  push(text: string): void {
    this.rest += this.started ? text : text.replace(/^\uFEFF/, '');
    this.started = true;
    const newline = this.rest.lastIndexOf('\n');
    // Lines that end in a carriage return alone; one at the very end may be the half of a pair.
    const cut = newline >= 0 ? newline : this.rest.lastIndexOf('\r', this.rest.length - 2);
    if (cut < 0) {
      if (this.rest.length > LONGEST_LINE)
        throw new InputProblem(
          'line-too-long',
          'One line is longer than a million characters: this is not a scan table.',
          `line ${this.line + 1}`,
          TABLE_SHAPE,
        );
      return;
    }
    const block = this.rest.slice(0, cut + 1);
    this.rest = this.rest.slice(cut + 1);
    this.block(block);
  }

  /** @throws InputProblem where nothing but empty lines comes */
  private mayBeEmpty(lines: number): void {
    if (lines > MOST_EMPTY_LINES)
      throw new InputProblem(
        'empty-lines',
        `More than ${MOST_EMPTY_LINES} lines without anything in them.`,
        `line ${this.line}`,
        TABLE_SHAPE,
      );
  }

  private block(text: string): void {
    let from = 0;
    if (!this.table) {
      const heading = readHeading(text, this.pack);
      if (!heading) {
        this.line += (text.match(/\n/g) ?? []).length;
        this.mayBeEmpty(this.line);
        return;
      }
      const known = this.known.find((k) => sameHeading(k.names, heading.names));
      const mapping = known
        ? { ...known.mapping, delimiter: heading.mapping.delimiter, decimal: heading.mapping.decimal }
        : heading.mapping;
      this.line = heading.line;
      this.table = new TableReader(
        this.pack,
        heading.names,
        mapping,
        heading.line,
        heading.firstRow.length,
        this.sink,
      );
      this.table.builder.metered = this.metered;
      this.values = new Float64Array(this.table.plan.length);
      from = heading.from;
    }
    this.quoted ||= text.includes('"');
    if (!this.quoted && this.table.mapping.layout === 'wide') from = this.plainRows(text, from);
    if (from < text.length) this.parse(from === 0 ? text : text.slice(from));
  }

  /**
   * Rows of nothing but numbers and delimiters need no CSV grammar: they are read from the text as it stands.
   * Stops at the first row that is anything else; the CSV parser takes over from there.
   * @returns where it stopped.
   */
  private plainRows(text: string, start: number): number {
    const table = this.table!;
    const { plan, timeColumn, mapping, builder } = table;
    if (timeColumn < 0) return start;
    const time = plan[timeColumn]!.target;
    const perS = time.kind === 'time' ? { s: 1, ms: 0.001, min: 60, h: 3600 }[time.unit as 's'] : undefined;
    if (perS === undefined) return start;
    const { values } = this;
    let from = start;
    while (from < text.length) {
      const next = readPlainRow(
        text,
        from,
        mapping.delimiter.charCodeAt(0),
        mapping.decimal.charCodeAt(0),
        values,
      );
      if (next < 0) break;
      const timeS = values[timeColumn]! * perS;
      if (!(timeS >= table.lastTimeS)) break;
      let good = true;
      for (let c = 0; c < plan.length && good; c++) {
        const step = plan[c]!;
        if (!step.values) continue;
        const v = (values[c] = inOurUnits(step.target, values[c]!));
        good = v >= step.low && v <= step.high;
      }
      if (!good) break;
      table.lastTimeS = timeS;
      builder.rowTime(timeS);
      for (let c = 0; c < plan.length; c++) plan[c]!.values?.push(values[c]!);
      this.line++;
      from = next;
    }
    return from;
  }

  private parse(text: string): void {
    const { data, errors } = Papa.parse<string[]>(text, {
      delimiter: this.table!.mapping.delimiter,
      fastMode: !this.quoted,
    });
    const bad = errors.find((e) => e.type === 'Quotes');
    if (bad)
      throw new InputProblem(
        'quotes',
        'A quotation mark is opened and never closed.',
        `line ${this.line + 1 + (bad.row ?? 0)}`,
        'Plain numbers, or text in matching quotation marks.',
      );
    const last = data.length - 1;
    for (let i = 0; i <= last; i++) {
      const cells = data[i]!;
      if (i === last && cells.length === 1 && cells[0] === '') break;
      this.line++;
      if (cells.length === 1 && cells[0]!.trim() === '') {
        this.mayBeEmpty(++this.empty);
        continue;
      }
      this.empty = 0;
      this.table!.row(cells, this.line);
    }
  }

  /** @throws InputProblem if the file held no readings, or lacks channels. */
  finish(): ScanRecord {
    if (this.rest !== '') {
      const tail = this.rest;
      this.rest = '';
      this.block(tail);
    }
    if (!this.table) throw new InputProblem('empty-file', 'The file is empty.', '', TABLE_SHAPE);
    return this.table.finish(this.line);
  }

  /** What was read so far; null before the heading has come. */
  get builder(): RecordBuilder | null {
    return this.table?.builder ?? null;
  }

  /** How the columns were read; null before the heading has come. */
  get mapping(): ColumnMapping | null {
    return this.table?.mapping ?? null;
  }
}

/** Reads a whole scan CSV held in one string. @throws InputProblem */
export function readScanCsv(text: string, pack: Pack): ScanRecord {
  const reader = new CsvScanReader(pack);
  reader.push(text);
  return reader.finish();
}
