import type { FileFormat, ScanPreview } from '@cellmend/contract/scans';
import {
  CanScanReader,
  definedSignals,
  looksLikeCandump,
  type LoggedCode,
  type SignalDefinition,
} from '@cellmend/core/can';
import { InputProblem, type Pack } from '@cellmend/core/pack';
import {
  CsvScanReader,
  findCurrentDirection,
  guessMapping,
  previewTable,
  readHeading,
  sameHeading,
  TableReader,
  type ColumnMapping,
  type KnownHeading,
  type RecordBuilder,
  type ScanRecord,
  type Sink,
  type Target,
} from '@cellmend/core/scan';
import Papa from 'papaparse';
import { createReadStream } from 'node:fs';
import { open, stat } from 'node:fs/promises';
import { readSheet } from './spreadsheet';

/** What helps to read a file: headings met before and definition files. */
export interface ReadingHelp {
  known: KnownHeading[];
  definitions: SignalDefinition[];
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
const PREVIEW_ROWS = 40;

async function headOf(path: string): Promise<Buffer> {
  const file = await open(path);
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(HEAD_BYTES), 0, HEAD_BYTES, 0);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}

function formatOf(head: Buffer): FileFormat {
  if (head.length >= 4 && head.readUInt32LE(0) === 0x04034b50) return 'spreadsheet';
  return looksLikeCandump(head.subarray(0, 4096).toString('latin1')) ? 'can' : 'table';
}

/** A CAN log has no heading: its mapping is remembered under the definitions that read it. */
export const canHeading = (definitions: readonly SignalDefinition[]): string[] => [
  'CAN log',
  ...definitions.map((d) => d.name).sort(),
];

const knownFor = (help: ReadingHelp, names: string[]): ColumnMapping | undefined =>
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
function fittingDefinitions(head: string, pack: Pack, all: SignalDefinition[]): SignalDefinition[] {
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

/** Reads a scan file of any kind that is known; every reading goes to `sink`. @throws InputProblem */
export async function readScanFile(
  path: string,
  pack: Pack,
  help: ReadingHelp,
  sink: Sink,
  onProgress: (fraction: number) => void = () => undefined,
): Promise<ReadFile> {
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
    let table: TableReader | null = null;
    let last = 0;
    await readSheet(path, (cells, line) => {
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
  const reader = new CsvScanReader(pack, help.known, sink);
  for await (const piece of pieces(path, onProgress)) reader.push(piece);
  const record = reader.finish();
  checkDirection(record, reader.mapping ?? undefined);
  return { record, codes: [], format, ...extent(reader.builder!) };
}

/** Trailing empty cells are not stored in a sheet. */
const padded = (cells: string[], length: number): string[] =>
  cells.length >= length
    ? cells.slice(0, Math.max(length, lastFilled(cells) + 1))
    : [...cells, ...new Array<string>(length - cells.length).fill('')];
const lastFilled = (cells: string[]): number => cells.findLastIndex((c) => c !== '');

const noDefinition = (): InputProblem =>
  new InputProblem(
    'no-definition',
    'This is a CAN log, and no definition file here names its signals.',
    'the log',
    'A DBC file, or diagnostic field definitions in JSON, added under Definitions.',
  );

/** Looks at a file and says what it seems to hold, without taking it. @throws InputProblem */
export async function previewScanFile(path: string, pack: Pack, help: ReadingHelp): Promise<ScanPreview> {
  const head = await headOf(path);
  const format = formatOf(head);
  if (format === 'can') return previewCan(head.toString('utf8'), pack, help);
  let names: string[] = [];
  const rows: string[][] = [];
  let mapping: ColumnMapping;
  if (format === 'spreadsheet') {
    await readSheet(path, (cells) => {
      if (names.length === 0) names = cells.map((c) => c.trim());
      else rows.push(padded(cells, names.length));
      return rows.length < PREVIEW_ROWS;
    });
    mapping = guessMapping(names, rows[0] ?? [], pack);
  } else {
    const text = head.toString('utf8').replace(/^\uFEFF/, '');
    const heading = readHeading(text, pack);
    if (!heading)
      throw new InputProblem('empty-file', 'The file is empty.', '', 'A table with a heading line.');
    names = heading.names;
    mapping = heading.mapping;
    const some = text.slice(heading.from, heading.from + 200_000);
    const { data } = Papa.parse<string[]>(some.slice(0, some.lastIndexOf('\n') + 1) || some, {
      delimiter: mapping.delimiter,
      preview: mapping.layout === 'long' ? 4000 : PREVIEW_ROWS,
    });
    rows.push(...data.filter((r) => r.length > 1));
  }
  const known = knownFor(help, names);
  if (known) mapping = { ...known, delimiter: mapping.delimiter, decimal: mapping.decimal };
  return { ...previewTable(names, rows, mapping, pack, known !== undefined), format, definitions: [] };
}

function previewCan(text: string, pack: Pack, help: ReadingHelp): ScanPreview {
  const definitions = fittingDefinitions(text, pack, help.definitions);
  if (definitions.length === 0) throw noDefinition();
  const names = canHeading(definitions);
  const known = knownFor(help, names);
  const signals = definedSignals(definitions, pack, known?.signals).map((s) => ({
    name: s.name,
    sample: s.unit,
    target: s.target,
  }));
  const held = new Set(signals.flatMap((s) => (s.target.kind === 'channel' ? [s.target.channelIndex] : [])));
  const missingChannels = pack.channels.filter((c) => !held.has(c.index)).map((c) => c.id);
  return {
    format: 'can',
    names,
    rows: [],
    mapping: {
      layout: 'long',
      delimiter: ',',
      decimal: '.',
      targets: [],
      signals: Object.fromEntries(signals.map((s) => [s.name, s.target])) as Record<string, Target>,
    },
    signals,
    missingChannels,
    unused: signals.filter((s) => s.target.kind === 'ignore').map((s) => s.name),
    clear: known !== undefined || missingChannels.length === 0,
    remembered: known !== undefined,
    definitions: definitions.map((d) => d.name),
  };
}
