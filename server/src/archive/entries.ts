import { MOST_UNPACKED_BYTES } from '@cellmend/contract/archive';
import { InputProblem } from '@cellmend/core/pack';
import { open, type Entry, type ZipFile } from 'yauzl';
import { depthOf } from '../domain/depth';

/** Files of one archive: tables, and a piece of a recording or a photograph each. */
const MOST_ENTRIES = 20_000;
/** One table of rows, unpacked. */
const MOST_TABLE_BYTES = 64 * 1024 * 1024;
/** Brackets within brackets: what this program writes has some ten. */
const MOST_DEPTH = 64;

export const damaged = (what: string, where = 'the archive'): InputProblem =>
  new InputProblem('archive', what, where, 'An archive of one job, as this program writes it.');

/** Entries of an archive by name, read one at a time; real bytes are counted, not what the zip claims. */
export class Entries {
  private unpacked = 0;
  private constructor(
    private readonly zip: ZipFile,
    private readonly byName: Map<string, Entry>,
  ) {}

  /** @throws InputProblem before anything is unpacked where it holds more files than an archive can */
  static async open(path: string): Promise<Entries> {
    const zip = await new Promise<ZipFile>((resolve, reject) =>
      open(path, { lazyEntries: true, autoClose: false, validateEntrySizes: true }, (e, file) =>
        file ? resolve(file) : reject(e ?? new Error('no file')),
      ),
    ).catch(() => {
      throw damaged('The archive cannot be opened.');
    });
    const byName = new Map<string, Entry>();
    try {
      if (zip.entryCount > MOST_ENTRIES) throw damaged(`More than ${MOST_ENTRIES} files in it.`);
      await new Promise<void>((resolve, reject) => {
        zip.on('entry', (entry: Entry) => {
          if (byName.has(entry.fileName)) return reject(damaged(`It holds ${entry.fileName} twice.`));
          byName.set(entry.fileName, entry);
          zip.readEntry();
        });
        zip.on('end', resolve);
        zip.on('error', () => reject(damaged('The archive is damaged.')));
        zip.readEntry();
      });
    } catch (e) {
      zip.close();
      throw e;
    }
    return new Entries(zip, byName);
  }

  async read(name: string, most = MOST_TABLE_BYTES): Promise<Buffer> {
    const entry = this.byName.get(name);
    if (!entry) throw damaged(`The archive has no ${name}.`, name);
    const tooLarge = damaged('It unpacks to more than an archive of a job can be.', name);
    if (entry.uncompressedSize > most) throw tooLarge;
    return new Promise<Buffer>((resolve, reject) => {
      this.zip.openReadStream(entry, (error, stream) => {
        if (!stream) return reject(damaged(`${name} cannot be read: ${error?.message ?? ''}.`, name));
        const pieces: Buffer[] = [];
        let bytes = 0;
        stream.on('data', (piece: Buffer) => {
          bytes += piece.length;
          this.unpacked += piece.length;
          if (bytes > most || this.unpacked > MOST_UNPACKED_BYTES) stream.destroy(tooLarge);
          else pieces.push(piece);
        });
        stream.on('end', () => resolve(Buffer.concat(pieces)));
        stream.on('error', (e) =>
          reject(e instanceof InputProblem ? e : damaged(`${name} is damaged.`, name)),
        );
      });
    });
  }

  async json(name: string): Promise<unknown> {
    const bytes = await this.read(name);
    if (depthOf(bytes) > MOST_DEPTH) throw damaged(`${name} is nested too deep.`, name);
    try {
      return JSON.parse(bytes.toString('utf8')) as unknown;
    } catch {
      throw damaged(`${name} is no JSON.`, name);
    }
  }
  close(): void {
    this.zip.close();
  }
}
