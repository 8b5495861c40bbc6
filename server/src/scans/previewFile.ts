import type { ScanPreview } from '@cellmend/contract/scans';
import { definedSignals } from '@cellmend/core/can';
import { InputProblem, type Pack } from '@cellmend/core/pack';
import {
  guessMapping,
  previewTable,
  readHeading,
  type ColumnMapping,
  type Target,
} from '@cellmend/core/scan';
import Papa from 'papaparse';
import { tablesIn } from './archive';
import {
  canHeading,
  fittingDefinitions,
  formatOf,
  headOf,
  inArchive,
  knownFor,
  looseText,
  mappingOf,
  noDefinition,
  padded,
  sheetOf,
  type ReadingHelp,
} from './readFile';
import { readSheet } from './spreadsheet';

const PREVIEW_ROWS = 40;

const NOTHING_SEEN: ScanPreview = {
  format: 'table',
  names: [],
  rows: [],
  mapping: { layout: 'wide', delimiter: ',', decimal: '.', targets: [] },
  signals: [],
  missingChannels: [],
  unused: [],
  clear: false,
  untimed: false,
  remembered: false,
  definitions: [],
  entries: [],
};

/** Looks at a file and says what it seems to hold, without taking it. @throws InputProblem */
export async function previewScanFile(
  file: string,
  pack: Pack,
  help: ReadingHelp,
  entry?: string,
): Promise<ScanPreview> {
  const first = await headOf(file);
  if (first.length >= 4 && first.readUInt32LE(0) === 0x04034b50 && entry === undefined) {
    const entries = await tablesIn(file);
    // Each of several tables is looked at by itself.
    if (entries && entries.length > 1) return { ...NOTHING_SEEN, entries };
  }
  const path = await inArchive(file, first, entry);
  const head = await headOf(path);
  const format = formatOf(head);
  if (format === 'can') return previewCan(head.toString('utf8'), pack, help);
  let names: string[] = [];
  const rows: string[][] = [];
  let mapping: ColumnMapping;
  const sheet = format === 'spreadsheet' ? await sheetOf(path, pack) : null;
  const loose = sheet ? sheet.turned : await looseText(path, head, pack, help);
  if (loose) {
    names = loose.names;
    rows.push(...loose.rows.slice(0, PREVIEW_ROWS));
    mapping = mappingOf(loose, pack, help);
  } else if (sheet) {
    await readSheet(path, sheet.sheet, (cells) => {
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
  return {
    ...previewTable(names, rows, mapping, pack, known !== undefined),
    format,
    definitions: [],
    entries: [],
  };
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
    untimed: false,
    remembered: known !== undefined,
    entries: [],
    definitions: definitions.map((d) => d.name),
  };
}
