import {
  ARCHIVED,
  ARCHIVED_TABLES,
  ArchiveHeadSchema,
  MOST_UNPACKED_BYTES,
  type ArchivedTable,
  type ArchiveHead,
  type TakenIn,
} from '@cellmend/contract/archive';
import { InputProblem } from '@cellmend/core/pack';
import { DatabaseError, QueryTypes } from 'sequelize';
import { open, type Entry, type ZipFile } from 'yauzl';
import { z } from 'zod';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { closeGate } from '../safety/service';

const MOST_ENTRIES = 200_000;
/** One table of rows, unpacked. */
const MOST_TABLE_BYTES = 256 * 1024 * 1024;
const damaged = (what: string, where = 'the archive'): InputProblem =>
  new InputProblem('archive', what, where, 'An archive of one job, as this program writes it.');

/** Entries of an archive by name, read one at a time; real bytes are counted, not what the zip claims. */
class Entries {
  private unpacked = 0;
  private constructor(
    private readonly zip: ZipFile,
    private readonly byName: Map<string, Entry>,
  ) {}

  static async open(path: string): Promise<Entries> {
    const zip = await new Promise<ZipFile>((resolve, reject) =>
      open(path, { lazyEntries: true, autoClose: false, validateEntrySizes: true }, (e, file) =>
        file ? resolve(file) : reject(e ?? new Error('no file')),
      ),
    ).catch(() => {
      throw damaged('The archive cannot be opened.');
    });
    const byName = new Map<string, Entry>();
    await new Promise<void>((resolve, reject) => {
      zip.on('entry', (entry: Entry) => {
        byName.set(entry.fileName, entry);
        if (byName.size > MOST_ENTRIES) return reject(damaged(`More than ${MOST_ENTRIES} files in it.`));
        zip.readEntry();
      });
      zip.on('end', resolve);
      zip.on('error', () => reject(damaged('The archive is damaged.')));
      zip.readEntry();
    }).catch((e: unknown) => {
      zip.close();
      throw e;
    });
    return new Entries(zip, byName);
  }

  async read(name: string, most = MOST_TABLE_BYTES): Promise<Buffer> {
    const entry = this.byName.get(name);
    if (!entry) throw damaged(`The archive has no ${name}.`, name);
    return new Promise<Buffer>((resolve, reject) => {
      this.zip.openReadStream(entry, (error, stream) => {
        if (!stream) return reject(damaged(`${name} cannot be read: ${error?.message ?? ''}.`, name));
        const pieces: Buffer[] = [];
        let bytes = 0;
        stream.on('data', (piece: Buffer) => {
          bytes += piece.length;
          this.unpacked += piece.length;
          if (bytes > most || this.unpacked > MOST_UNPACKED_BYTES)
            stream.destroy(damaged('It unpacks to more than an archive of a job can be.', name));
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

type Rows = { [T in ArchivedTable]: z.output<(typeof ARCHIVED)[T]>[] };

function told<T>(schema: z.ZodType<T>, value: unknown, name: string): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const first = parsed.error.issues[0]!;
  throw damaged(`${name}: ${first.path.join('.')} ${first.message}`.trim(), name);
}

/** Rows that the same thing may have left here already: it is the same, or stays as it is here. */
const SHARED: ReadonlySet<ArchivedTable> = new Set([
  'people',
  'vehicles',
  'pack_profiles',
  'pack_profile_versions',
  'packs',
  'parts',
  'part_facts',
  'placements',
  'pack_fittings',
  'photo_files',
  'run_files',
]);
/** Names that are one of a kind in a workshop, and how many letters they may have. */
const NAMED = [
  ['people', 'name', 80],
  ['parts', 'label', 40],
  ['packs', 'label', 40],
] as const;

/**
 * Takes a job in from an archive: all of it or nothing. What is here already stays; what has a name that is taken gets another,
 * and that is told. People who are not here come as names without a way in.
 * @throws InputProblem for what is no archive, 409 where the job is here already
 */
export async function takeArchive(store: Store, doing: Doing, path: string): Promise<TakenIn> {
  const entries = await Entries.open(path);
  try {
    const head = told<ArchiveHead>(ArchiveHeadSchema, await entries.json('archive.json'), 'archive.json');
    const rows = {} as Record<ArchivedTable, Record<string, unknown>[]>;
    for (const t of ARCHIVED_TABLES)
      rows[t] = told(z.array(ARCHIVED[t]), await entries.json(`record/${t}.json`), `record/${t}.json`);
    return await put(store, doing, head, rows as unknown as Rows, entries).catch((e: unknown) => {
      // A row that names what is not in the archive, or what the database does not hold to be possible.
      if (e instanceof DatabaseError && /^2[23]/.test((e.original as { code?: string }).code ?? ''))
        throw damaged(`A row of it does not fit: ${e.message}.`);
      throw e;
    });
  } finally {
    entries.close();
  }
}

async function put(
  store: Store,
  { tx, ...doing }: Doing,
  head: ArchiveHead,
  rows: Rows,
  entries: Entries,
): Promise<TakenIn> {
  const ask = <T extends object>(sql: string, bind: unknown[]): Promise<T[]> =>
    store.sequelize.query<T>(sql, { bind, type: QueryTypes.SELECT, transaction: tx });
  const [job] = rows.jobs;
  if (!job || rows.jobs.length !== 1 || job.id !== head.jobId)
    throw damaged('It is not of one job.', 'record/jobs.json');
  // Two archives at once go one after the other: names and numbers are given out once.
  await ask('SELECT pg_advisory_xact_lock(714003)', []);
  const [here] = await ask<{ number: number }>('SELECT number FROM jobs WHERE id = $1', [job.id]);
  if (here) throw new Refusal('conflict', 'Here already', `That job is here already, as job ${here.number}.`);
  ownOnly(rows, head.jobId);

  const renamed: string[] = [];
  // The vehicle that is known here by its plate is the same one.
  for (const v of rows.vehicles) {
    if (v.plate === null) continue;
    const [known] = await ask<{ id: string }>('SELECT id FROM vehicles WHERE lower(plate) = lower($1)', [
      v.plate,
    ]);
    if (!known || known.id === v.id) continue;
    for (const f of rows.pack_fittings) if (f.vehicle_id === v.id) f.vehicle_id = known.id;
    if (job.vehicle_id === v.id) job.vehicle_id = known.id;
    v.id = known.id;
  }
  const [taken] = await ask('SELECT 1 FROM jobs WHERE number = $1', [job.number]);
  if (taken) {
    const there = job.number;
    for (let free = false; !free;) {
      const [next] = await ask<{ n: number }>("SELECT nextval('job_numbers')::int AS n", []);
      job.number = next!.n;
      free = (await ask('SELECT 1 FROM jobs WHERE number = $1', [job.number])).length === 0;
    }
    renamed.push(`job ${there} is job ${job.number} here`);
  }
  for (const [table, column, letters] of NAMED)
    for (const r of rows[table] as unknown as Record<string, string>[]) {
      const first = r[column]!;
      // Of two people of one name neither is taken for the other.
      const stem = table === 'people' ? `${first} (${head.workshop})` : first;
      for (let n = table === 'people' ? 1 : 2; ; n++) {
        const [other] = await ask<{ id: string }>(
          `SELECT id FROM ${table} WHERE ${column} = $1 AND id <> $2`,
          [r[column], r.id],
        );
        if (!other) break;
        r[column] = n === 1 ? stem.slice(0, letters) : `${stem.slice(0, letters - 4)}/${n}`;
      }
      const [same] = await ask('SELECT 1 FROM ' + table + ' WHERE id = $1', [r.id]);
      if (r[column] !== first && !same) renamed.push(`${first} is ${r[column]} here`);
    }

  // What is here already stays as it is here: an archive adds nothing to its history.
  const known = async (table: 'parts' | 'packs'): Promise<Set<string>> =>
    new Set(
      (
        await ask<{ id: string }>(`SELECT id FROM ${table} WHERE id = ANY($1::uuid[])`, [
          rows[table].map((r) => r.id),
        ])
      ).map((r) => r.id),
    );
  const [parts, packs] = [await known('parts'), await known('packs')];
  rows.part_facts = rows.part_facts.filter((r) => !parts.has(r.part_id));
  rows.placements = rows.placements.filter((r) => !parts.has(r.part_id));
  rows.observations = rows.observations.filter((r) => r.job_id !== null || !parts.has(r.part_id ?? ''));
  rows.pack_fittings = rows.pack_fittings.filter((r) => !packs.has(r.pack_id));

  const insert = async (table: ArchivedTable, list: object[]): Promise<void> => {
    if (list.length === 0) return;
    const columns = Object.keys(list[0]!).map((c) => `"${c}"`);
    await store.sequelize.query(
      `INSERT INTO ${table} (${columns.join(', ')}) SELECT ${columns.join(', ')} FROM jsonb_populate_recordset(null::${table}, $1::jsonb)
       ${SHARED.has(table) ? 'ON CONFLICT DO NOTHING' : ''}`,
      { bind: [JSON.stringify(list)], transaction: tx },
    );
  };
  for (const table of ARCHIVED_TABLES) {
    switch (table) {
      case 'people':
        await insert(
          table,
          rows.people.map((p) => ({
            ...p,
            role: 'viewer',
            // No word opens it.
            password_hash: '',
            hv_level: 0,
            demo: false,
            created_at: new Date().toISOString(),
            ended_at: new Date().toISOString(),
          })),
        );
        break;
      case 'pack_profiles':
        for (const p of rows.pack_profiles) {
          // The database keeps the first version as the profile is made, and each later one beside it.
          const versions = rows.pack_profile_versions.filter((v) => v.profile_id === p.id);
          const first = versions[0] ?? { version: p.version, profile: p.profile, at: p.updated_at };
          const made = await ask<{ id: string }>('SELECT id FROM pack_profiles WHERE id = $1', [p.id]);
          if (made.length > 0) continue;
          await insert(table, [
            { ...p, version: first.version, profile: first.profile, updated_at: first.at },
          ]);
          await insert('pack_profile_versions', versions);
          await store.sequelize.query(
            'UPDATE pack_profiles SET profile = $2, version = $3, updated_at = $4 WHERE id = $1',
            { bind: [p.id, JSON.stringify(p.profile), p.version, p.updated_at], transaction: tx },
          );
        }
        break;
      case 'pack_profile_versions':
        break;
      case 'scan_chunks':
        for (const { values, ...r } of rows.scan_chunks) await withBytes(table, r, { values: values.file });
        break;
      case 'scan_sources':
        for (const { bytes, ...r } of rows.scan_sources) await withBytes(table, r, { bytes: bytes.file });
        break;
      case 'photo_files':
        for (const { bytes, small, ...r } of rows.photo_files)
          await withBytes(table, r, { bytes: bytes.file, small: small.file });
        break;
      case 'run_files':
        for (const { bytes, ...r } of rows.run_files) await withBytes(table, r, { bytes: bytes.file });
        break;
      default:
        await insert(table, rows[table]);
    }
  }
  async function withBytes(
    table: ArchivedTable,
    row: Record<string, unknown>,
    files: Record<string, string>,
  ): Promise<void> {
    const plain = Object.keys(row);
    const held = Object.keys(files);
    const bytes: Buffer[] = [];
    for (const c of held) bytes.push(await entries.read(files[c]!));
    await store.sequelize.query(
      `INSERT INTO ${table} (${[...plain, ...held].map((c) => `"${c}"`).join(', ')})
       VALUES (${[...plain, ...held].map((_, i) => `$${i + 1}`).join(', ')}) ${SHARED.has(table) ? 'ON CONFLICT DO NOTHING' : ''}`,
      { bind: [...plain.map((c) => row[c]), ...bytes], transaction: tx },
    );
  }
  await ask(
    // The next job here has a number above all there are.
    "SELECT setval('job_numbers', greatest(nextval('job_numbers'), (SELECT max(number) FROM jobs)))",
    [],
  );
  const full: Doing = { tx, ...doing };
  await audit(
    store,
    full,
    job.id,
    'taken in from an archive',
    head.workshop,
    [`job ${head.jobNumber} there`, ...renamed].join('; '),
  );
  // What was proven at another bench, on another clock, is not proven here.
  const row = await store.models.Job.findByPk(job.id, { transaction: tx, rejectOnEmpty: true });
  await closeGate(store, full, row, 'taken-in', `taken in from an archive of ${head.workshop}`);
  await refreshNeed(store, tx, job.id);
  await announce(store, tx, 'jobs', job.number);
  return { number: job.number, renamed };
}

/** What an archive brings is of its own job: nothing may be hung on one that is here already. */
function ownOnly(rows: Rows, jobId: string): void {
  const scans = new Set(rows.scans.map((s) => s.id));
  for (const table of ARCHIVED_TABLES)
    for (const r of rows[table] as Record<string, unknown>[])
      if (
        ('job_id' in r && r.job_id !== null && r.job_id !== jobId) ||
        ('scan_id' in r && !scans.has(r.scan_id as string))
      )
        throw damaged(`A row of ${table} is of another job.`, `record/${table}.json`);
}
