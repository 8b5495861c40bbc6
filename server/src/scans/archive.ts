import { InputProblem } from '@cellmend/core/pack';
import { createWriteStream } from 'node:fs';
import { basename } from 'node:path';
import { Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { open, type Entry, type ZipFile } from 'yauzl';

/** Bytes that a table in an archive may really unpack to, whatever its entry claims. */
const MOST_BYTES = 400 * 1024 * 1024;
const MOST_TABLES = 20;
const TABLE = /\.(?:csv|tsv|txt|log|asc)$/i;

const openZip = (path: string): Promise<ZipFile> =>
  new Promise((resolve, reject) =>
    open(path, { lazyEntries: true, validateEntrySizes: true }, (error, file) =>
      file ? resolve(file) : reject(error ?? new Error('no file')),
    ),
  );
const damaged = (what: string): InputProblem =>
  new InputProblem(
    'archive',
    what,
    'the archive',
    'A .zip with the tables of scans in it, or an .xlsx workbook.',
  );

/** The tables an archive holds, by name; null where it is a workbook. @throws InputProblem */
export async function tablesIn(path: string): Promise<string[] | null> {
  const zip = await openZip(path).catch(() => {
    throw damaged('The archive cannot be opened.');
  });
  try {
    return await new Promise<string[] | null>((resolve, reject) => {
      const names: string[] = [];
      let entries = 0;
      zip.on('entry', (entry: Entry) => {
        if (entry.fileName.startsWith('xl/')) return resolve(null);
        if (TABLE.test(entry.fileName) && !/(?:^|\/)(?:__MACOSX|\.)/.test(entry.fileName))
          names.push(entry.fileName);
        if (++entries > 2000 || names.length > MOST_TABLES)
          return reject(damaged(`The archive holds more than ${MOST_TABLES} tables.`));
        zip.readEntry();
      });
      zip.on('end', () =>
        names.length > 0
          ? resolve(names.sort((a, b) => a.localeCompare(b, 'en', { numeric: true })))
          : reject(damaged('The archive holds no table.')),
      );
      zip.on('error', () => reject(damaged('The archive is damaged.')));
      zip.readEntry();
    });
  } finally {
    zip.close();
  }
}

/** Unpacks one table of an archive beside it; its bytes are counted as they come. @throws InputProblem */
export async function unpack(path: string, name: string): Promise<string> {
  const zip = await openZip(path);
  try {
    const entry = await new Promise<Entry>((resolve, reject) => {
      zip.on('entry', (e: Entry) => (e.fileName === name ? resolve(e) : zip.readEntry()));
      zip.on('end', () => reject(damaged(`The archive holds no ${basename(name)}.`)));
      zip.on('error', () => reject(damaged('The archive is damaged.')));
      zip.readEntry();
    });
    const stream = await new Promise<NodeJS.ReadableStream>((resolve, reject) =>
      zip.openReadStream(entry, (error, s) =>
        s ? resolve(s) : reject(error ?? damaged('The archive is damaged.')),
      ),
    );
    const to = `${path}.table`;
    let bytes = 0;
    const counted = new Transform({
      transform(piece: Buffer, _encoding, done) {
        bytes += piece.length;
        done(bytes > MOST_BYTES ? damaged(`${basename(name)} unpacks to more than 400 MB.`) : null, piece);
      },
    });
    await pipeline(stream, counted, createWriteStream(to)).catch((e: unknown) => {
      throw e instanceof InputProblem ? e : damaged(`${basename(name)} cannot be unpacked.`);
    });
    return to;
  } finally {
    zip.close();
  }
}
