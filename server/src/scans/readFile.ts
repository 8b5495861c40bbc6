import type { FileFormat } from '@cellmend/contract/scans';
import { CanScanReader, looksLikeCandump, type LoggedCode, type SignalDefinition } from '@cellmend/core/can';
import { InputProblem, type Pack } from '@cellmend/core/pack';
import {
  CsvScanReader,
  findCurrentDirection,
  guessMapping,
  LOOSE_ROWS,
  looseRows,
  namesAll,
  readHeading,
  sameHeading,
  TableReader,
  turned,
  type ColumnMapping,
  type KnownHeading,
  type RecordBuilder,
  type ScanRecord,
  type Sink,
  type Turned,
} from '@cellmend/core/scan';
import { createReadStream } from 'node:fs';
import { open, readFile, stat } from 'node:fs/promises';
import { tablesIn, unpack } from './archive';
import { bestSheet, readSheet } from './spreadsheet';

/** What helps to read a file: headings met before and definition files. */
export interface ReadingHelp {
  known: KnownHeading[];
  definitions: SignalDefinition[];
  /** The figures are a meter’s, typed by somebody. */
  metered?: boolean;
}
export interface ReadFile {
  /** Condensed where the file is long; every reading went to the sink. */
  record: ScanRecord;
  /** Rows in the file and how long they span. */
  rows: number;
  durationS: number;
  codes: LoggedCode[];
  format: FileFormat;
}

/** Text looked at to tell the format and to show a preview. */
const HEAD_BYTES = 512 * 1024;
const PIECE_BYTES = 1 << 18;

export async function headOf(path: string): Promise<Buffer> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(HEAD_BYTES), 0, HEAD_BYTES, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

export function formatOf(head: Buffer): FileFormat {
  if (head.length >= 4 && head.readUInt32LE(0) === 0x04034b50) return 'spreadsheet';
  return looksLikeCandump(head.subarray(0, 4096).toString('latin1')) ? 'can' : 'table';
}

/** A CAN log has no heading: its mapping is remembered under the definitions that read it. */
export const canHeading = (definitions: readonly SignalDefinition[]): string[] => [
  'CAN log',
  ...definitions.map((d) => d.name).sort(),
];

export const knownFor = (help: ReadingHelp, names: string[]): ColumnMapping | undefined =>
  help.known.find((k) => sameHeading(k.names, names))?.mapping;

async function* pieces(path: string, onProgress: (fraction: number) => void): AsyncGenerator<string> {
  const { size } = await stat(path);
  let read = 0;
  for await (const piece of createReadStream(path, { encoding: 'utf8', highWaterMark: PIECE_BYTES })) {
    yield piece as string;
    read += (piece as string).length;
    onProgress(Math.min(1, read / Math.max(1, size)));
  }
}

/** Definitions under which a log gives most channels; those that add nothing are left out. */
export function fittingDefinitions(head: string, pack: Pack, all: SignalDefinition[]): SignalDefinition[] {
  const seen = (definitions: SignalDefinition[]): number => {
    const reader = new CanScanReader(pack, definitions);
    try {
      reader.push(head.slice(0, head.lastIndexOf('\n') + 1));
    } catch (e) {
      if (!(e instanceof InputProblem)) throw e;
      return 0;
    }
    return reader.channelsSeen;
  };
  const chosen: SignalDefinition[] = [];
  let best = 0;
  for (const d of [...all].sort((a, b) => seen([b]) - seen([a]))) {
    const with_ = seen([...chosen, d]);
    if (with_ > best) {
      chosen.push(d);
      best = with_;
    }
  }
  return chosen;
}

/**
 * The voltages say which way the current counts. If they contradict how it is read, and nobody has confirmed that,
 * the file is not taken until somebody does.
 */
function checkDirection(record: ScanRecord, mapping: ColumnMapping | undefined): void {
  if (!record.currentA || mapping?.directionConfirmed) return;
  const found = findCurrentDirection(record);
  if (found.positive === 'charge')
    throw new InputProblem(
      'current-direction',
      'The voltages rise while the current is positive: in this file positive seems to mean charging.',
      `${found.steps} steps of current, ${Math.abs(found.slopeMilliohm).toFixed(1)} mΩ a channel`,
      'Say which way the current counts; it is remembered for this heading.',
    );
  record.notices.push(
    found.positive === 'discharge'
      ? `Positive current is discharge: the voltages agree (${found.steps} steps).`
      : 'Positive current is taken as discharge: too few steps of current to tell from the voltages.',
  );
}

const extent = (builder: RecordBuilder): Pick<ReadFile, 'rows' | 'durationS'> => ({
  rows: builder.rows,
  durationS: builder.newestS - builder.oldestS,
});

/** A table somebody laid out by hand is small; it is looked at as a whole. */
const LOOSE_BYTES = 2 * 1024 * 1024;

/**
 * A small text table whose heading does not name every channel, turned if its channels are rows or it is nothing but
 * figures; null where it is to be read as it stands.
 */
export async function looseText(
  path: string,
  head: Buffer,
  pack: Pack,
  help: ReadingHelp,
): Promise<Turned | null> {
  const { size } = await stat(path);
  if (size > LOOSE_BYTES) return null;
  const text = head.toString('utf8').replace(/^\uFEFF/, '');
  if (text.includes('\u0000')) return null;
  try {
    const heading = readHeading(text, pack);
    if (!heading) return null;
    if (
      namesAll(heading.names, pack) ||
      heading.mapping.layout === 'long' ||
      knownFor(help, heading.names) !== undefined
    )
      return null;
  } catch (e) {
    // A single column is no heading: it may be figures alone.
    if (!(e instanceof InputProblem) || e.code !== 'not-a-table') throw e;
  }
  const rows = looseRows(await readFile(path, 'utf8'));
  return rows.length > LOOSE_ROWS ? null : turned(rows, pack);
}

export const mappingOf = (t: Turned, pack: Pack, help: ReadingHelp): ColumnMapping =>
  knownFor(help, t.names) ?? guessMapping(t.names, [], pack);

function readTurned(t: Turned, pack: Pack, help: ReadingHelp, sink: Sink, format: FileFormat): ReadFile {
  const table = new TableReader(pack, t.names, mappingOf(t, pack, help), 1, t.names.length, sink);
  table.builder.metered = help.metered === true;
  t.rows.forEach((row, i) => table.row(row, i + 2));
  const record = table.finish(t.rows.length + 1);
  record.notices.push(
    t.named
      ? 'The channels stand in rows: the table was turned.'
      : 'Figures without names: they are taken in the order of the pack’s channels.',
  );
  checkDirection(record, table.mapping);
  return { record, codes: [], format, ...extent(table.builder) };
}

/** The sheet that names the channels, or can be turned so that it does. */
export async function sheetOf(path: string, pack: Pack): Promise<{ sheet: number; turned: Turned | null }> {
  return bestSheet(path, LOOSE_ROWS, (rows) => {
    if (
      rows.length > 0 &&
      namesAll(
        rows[0]!.map((c) => c.trim()),
        pack,
      )
    )
      return { score: 3, turned: null };
    const t = turned(rows, pack);
    return { score: t ? 2 : 0, turned: t };
  });
}

/** The table of an archive that is meant; the archive itself where it is none. @throws InputProblem */
export async function inArchive(path: string, head: Buffer, entry: string | undefined): Promise<string> {
  if (head.length < 4 || head.readUInt32LE(0) !== 0x04034b50) return path;
  const names = await tablesIn(path);
  if (!names) return path;
  const name = entry ?? (names.length === 1 ? names[0]! : null);
  if (name === null || !names.includes(name))
    throw new InputProblem(
      'archive-entry',
      `The archive holds ${names.length} tables.`,
      'the archive',
      `One of ${names.slice(0, 6).join(', ')}.`,
    );
  return unpack(path, name);
}

/**
 * Reads a scan file of any kind that is known; every reading goes to `sink`.
 * @param entry which table of an archive is meant.
 * @throws InputProblem
 */
export async function readScanFile(
  file: string,
  pack: Pack,
  help: ReadingHelp,
  sink: Sink,
  onProgress: (fraction: number) => void = () => undefined,
  entry?: string,
): Promise<ReadFile> {
  const path = await inArchive(file, await headOf(file), entry);
  const head = await headOf(path);
  const format = formatOf(head);
  if (format === 'can') {
    const definitions = fittingDefinitions(head.toString('utf8'), pack, help.definitions);
    if (definitions.length === 0) throw noDefinition();
    const mapping = knownFor(help, canHeading(definitions));
    const reader = new CanScanReader(pack, definitions, mapping?.signals, sink);
    for await (const piece of pieces(path, onProgress)) reader.push(piece);
    const record = reader.finish();
    checkDirection(record, mapping);
    return { record, codes: reader.codes, format, ...extent(reader.builder) };
  }
  if (format === 'spreadsheet') {
    const { sheet, turned: loose } = await sheetOf(path, pack);
    if (loose) return readTurned(loose, pack, help, sink, format);
    let table: TableReader | null = null;
    let last = 0;
    await readSheet(path, sheet, (cells, line) => {
      last = line;
      if (table) {
        table.row(padded(cells, table.mapping.targets.length), line);
        return true;
      }
      const names = cells.map((c) => c.trim());
      table = new TableReader(
        pack,
        names,
        knownFor(help, names) ?? guessMapping(names, [], pack),
        line,
        names.length,
        sink,
      );
      return true;
    });
    if (!table)
      throw new InputProblem('empty-file', 'The workbook is empty.', '', 'A sheet with a heading line.');
    const { builder, mapping } = table as TableReader;
    const record = (table as TableReader).finish(last);
    checkDirection(record, mapping);
    return { record, codes: [], format, ...extent(builder) };
  }
  const loose = await looseText(path, head, pack, help);
  if (loose) return readTurned(loose, pack, help, sink, format);
  const reader = new CsvScanReader(pack, help.known, sink, help.metered);
  for await (const piece of pieces(path, onProgress)) reader.push(piece);
  const record = reader.finish();
  checkDirection(record, reader.mapping ?? undefined);
  return { record, codes: [], format, ...extent(reader.builder!) };
}

/** Trailing empty cells are not stored in a sheet. */
export const padded = (cells: string[], length: number): string[] =>
  cells.length >= length
    ? cells.slice(0, Math.max(length, lastFilled(cells) + 1))
    : [...cells, ...new Array<string>(length - cells.length).fill('')];
const lastFilled = (cells: string[]): number => cells.findLastIndex((c) => c !== '');

export const noDefinition = (): InputProblem =>
  new InputProblem(
    'no-definition',
    'This is a CAN log, and no definition file here names its signals.',
    'the log',
    'A DBC file, or diagnostic field definitions in JSON, added under Definitions.',
  );
