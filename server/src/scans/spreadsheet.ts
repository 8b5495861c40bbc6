import { InputProblem } from '@cellmend/core/pack';
import ExcelJS from 'exceljs';
import { open, type Entry, type ZipFile } from 'yauzl';

const SHAPE = 'An .xlsx workbook whose first filled sheet is a table with a heading line.';
/** A workbook that unpacks to more than this is refused before it fills the memory. */
const MOST_BYTES = 600 * 1024 * 1024;
const MOST_ENTRIES = 2000;
/** Texts that the cells of a workbook share are held in memory: a table of figures has few. */
const MOST_SHARED_BYTES = 16 * 1024 * 1024;
/** Real sheets shrink to a tenth or so; a hundredfold and more is a trap. */
const MOST_RATIO = 200;

const refuse = (what: string, accepted = SHAPE): InputProblem =>
  new InputProblem('spreadsheet', what, 'the workbook', accepted);

/** Looks at the directory of the archive: too many, too large or too dense entries are refused. @throws InputProblem */
async function checkArchive(path: string): Promise<void> {
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    open(path, { lazyEntries: true, validateEntrySizes: true }, (error, file) =>
      file ? resolve(file) : reject(error ?? new Error('no file')),
    ),
  ).catch(() => {
    throw refuse('The file begins like a workbook but cannot be opened.');
  });
  try {
    await new Promise<void>((resolve, reject) => {
      let entries = 0;
      let bytes = 0;
      let sheet = false;
      zip.on('entry', (entry: Entry) => {
        entries++;
        bytes += entry.uncompressedSize;
        sheet ||= entry.fileName.startsWith('xl/worksheets/');
        if (/sharedStrings\.xml$/i.test(entry.fileName) && entry.uncompressedSize > MOST_SHARED_BYTES)
          return reject(
            refuse(
              `The workbook holds ${Math.round(entry.uncompressedSize / 1e6)} MB of texts: it is no table of figures.`,
            ),
          );
        const ratio = entry.uncompressedSize / Math.max(1, entry.compressedSize);
        if (
          entries > MOST_ENTRIES ||
          bytes > MOST_BYTES ||
          (ratio > MOST_RATIO && entry.uncompressedSize > 1e7)
        )
          reject(
            refuse(
              `The workbook unpacks to far more than a scan holds (${Math.round(bytes / 1e6)} MB and more).`,
            ),
          );
        else zip.readEntry();
      });
      zip.on('end', () => (sheet ? resolve() : reject(refuse('The archive holds no sheet.'))));
      zip.on('error', () => reject(refuse('The workbook is damaged.')));
      zip.readEntry();
    });
  } finally {
    zip.close();
  }
}

/** A cell as text, numbers with every digit they have. */
function cellText(value: ExcelJS.CellValue): string {
  if (value === null || value === undefined) return '';
  if (value instanceof Date) return value.toISOString();
  if (typeof value === 'object') {
    if ('result' in value) return cellText(value.result as ExcelJS.CellValue);
    if ('richText' in value) return value.richText.map((t) => t.text).join('');
    if ('text' in value) return String(value.text);
    return '';
  }
  return String(value);
}

/**
 * Looks at the beginning of every filled sheet and picks the one that says most; the first of equals.
 * @param judge what a sheet's first rows are worth.
 */
export async function bestSheet<T>(
  path: string,
  most: number,
  judge: (rows: string[][]) => { score: number; turned: T | null },
): Promise<{ sheet: number; turned: T | null }> {
  const first: string[][] = [];
  await readSheet(path, 0, (cells) => first.push(cells) < 2);
  // A workbook's first sheet is usually the one, and may be long.
  if (judge(first).score >= 3) return { sheet: 0, turned: null };
  const sheets: string[][][] = [];
  await eachRow(path, (cells, _line, sheet) => {
    const rows = (sheets[sheet] ??= []);
    // One row more than may be turned tells that the sheet is too long for it.
    if (rows.length <= most) rows.push(cells);
    return true;
  });
  let best = { sheet: 0, score: 0, turned: null as T | null };
  sheets.forEach((rows, sheet) => {
    const { score, turned } = rows.length > most ? { ...judge(rows.slice(0, 2)), turned: null } : judge(rows);
    if (score > best.score) best = { sheet, score, turned };
  });
  return { sheet: best.sheet, turned: best.turned };
}

/**
 * Reads one filled sheet row by row; memory does not grow with it. Empty rows are passed over.
 * @param wanted which of the filled sheets, from 0.
 * @param onRow gets cells and the row's number; answers false to stop.
 * @throws InputProblem
 */
export async function readSheet(
  path: string,
  wanted: number,
  onRow: (cells: string[], line: number) => boolean,
): Promise<void> {
  await eachRow(path, (cells, line, sheet) =>
    sheet < wanted ? true : sheet === wanted ? onRow(cells, line) : false,
  );
}

/** Every filled row of every filled sheet, in order, until `onRow` answers false. @throws InputProblem */
async function eachRow(
  path: string,
  onRow: (cells: string[], line: number, sheet: number) => boolean,
): Promise<void> {
  await checkArchive(path);
  const workbook = new ExcelJS.stream.xlsx.WorkbookReader(path, {
    sharedStrings: 'cache',
    styles: 'cache',
    hyperlinks: 'ignore',
    worksheets: 'emit',
    entries: 'ignore',
  });
  try {
    let filledSheets = 0;
    for await (const sheet of workbook) {
      let filled = false;
      for await (const row of sheet) {
        const values = row.values as ExcelJS.CellValue[];
        const cells = Array.from({ length: Math.max(0, values.length - 1) }, (_, i) =>
          cellText(values[i + 1]),
        );
        if (cells.every((c) => c.trim() === '')) continue;
        filled = true;
        if (!onRow(cells, row.number, filledSheets)) return;
      }
      if (filled) filledSheets++;
    }
  } catch (e) {
    if (e instanceof InputProblem) throw e;
    throw refuse(`The workbook cannot be read: ${(e as Error).message.slice(0, 120)}.`);
  }
}
