import { ARCHIVED_TABLES, type ArchivedTable } from '@cellmend/contract/archive';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { ZipFile } from 'yazl';
import { Entries } from '../src/archive/entries';
import { writeArchive } from '../src/archive/write';
import type { Store } from '../src/domain/store';

export type Tables = Record<ArchivedTable, Record<string, unknown>[]>;
/** An archive that is taken apart: its head, its tables, and the bytes beside them. */
export interface Parts {
  head: Record<string, unknown>;
  tables: Tables;
  files: Map<string, Buffer>;
}

export async function zipOf({ head, tables, files }: Parts): Promise<Buffer> {
  const zip = new ZipFile();
  zip.addBuffer(Buffer.from(JSON.stringify(head)), 'archive.json');
  for (const t of ARCHIVED_TABLES) zip.addBuffer(Buffer.from(JSON.stringify(tables[t])), `record/${t}.json`);
  for (const [name, bytes] of files) zip.addBuffer(bytes, name, { compress: false });
  zip.end();
  const pieces: Buffer[] = [];
  for await (const piece of zip.outputStream) pieces.push(piece as Buffer);
  return Buffer.concat(pieces);
}

const UUID = /[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/g;

/** Tables and head of a job's archive, and the bytes beside them, as the job is written. */
export async function partsOf(store: Store, n: number): Promise<Parts> {
  const { zip } = await writeArchive(store, n);
  const pieces: Buffer[] = [];
  for await (const piece of zip.outputStream) pieces.push(piece as Buffer);
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-forged-'));
  const file = join(folder, 'a.zip');
  writeFileSync(file, Buffer.concat(pieces));
  const entries = await Entries.open(file);
  try {
    const head = (await entries.json('archive.json')) as Record<string, unknown>;
    const tables = {} as Tables;
    for (const t of ARCHIVED_TABLES) tables[t] = (await entries.json(`record/${t}.json`)) as never;
    const files = new Map<string, Buffer>();
    for (const [, path] of JSON.stringify(tables).matchAll(/"file":"(files\/[^"]+)"/g))
      files.set(path!, await entries.read(path!));
    return { head, tables, files };
  } finally {
    entries.close();
    rmSync(folder, { recursive: true });
  }
}
/** The same job under ids of its own, as one of another workshop is. */
export function elsewhere({ head, tables, files }: Parts): Parts {
  const map = new Map<string, string>();
  const text = JSON.stringify({ head, tables }).replace(UUID, (id) => {
    if (!map.has(id)) map.set(id, crypto.randomUUID());
    return map.get(id)!;
  });
  return { ...(JSON.parse(text) as Pick<Parts, 'head' | 'tables'>), files };
}

/** Every row of every table of a database, by the sum of its text; and which ids there are. */
export interface Snapshot {
  rows: Map<string, Map<string, string>>;
  ids: Set<string>;
}
/** What comes and goes by itself: sessions, keys of requests, what is due. */
const PASSING = [
  'user_sessions',
  'idempotency_keys',
  'sign_in_tries',
  'due_findings',
  'live_sessions',
  'chain',
];

export async function snapshot(url: string): Promise<Snapshot> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    const names = (
      await client.query<{ t: string }>(
        "SELECT tablename AS t FROM pg_tables WHERE schemaname = 'public' AND NOT tablename = ANY($1) ORDER BY 1",
        [PASSING],
      )
    ).rows.map((r) => r.t);
    const rows = new Map<string, Map<string, string>>();
    const ids = new Set<string>();
    for (const t of names) {
      const found = await client.query<{ sum: string; text: string }>(
        `SELECT md5(x::text) AS sum, left((to_jsonb(x) - '{values,bytes,small,result,profile}'::text[])::text, 4000) AS text FROM ${t} x`,
      );
      rows.set(t, new Map(found.rows.map((r) => [r.sum, r.text])));
      for (const { text } of found.rows) {
        const { id, elsewhere: guest } = JSON.parse(text.length < 4000 ? text : '{}') as {
          id?: unknown;
          elsewhere?: unknown;
        };
        // Somebody of another workshop is nobody of here: two archives of one workshop may name them both.
        if (typeof id === 'string' && !guest) ids.add(id);
      }
    }
    return { rows, ids };
  } finally {
    await client.end();
  }
}

/**
 * What an archive may not have done: a row of before that is changed or gone, or a new row that hangs on a thing that was here.
 * @param allowed ids that new rows may name: whoever took it in, and a profile that is here word for word
 */
export function strays(before: Snapshot, after: Snapshot, allowed: ReadonlySet<string>): string[] {
  const out: string[] = [];
  for (const [table, was] of before.rows) {
    const now = after.rows.get(table)!;
    for (const [sum, text] of was) if (!now.has(sum)) out.push(`${table}, changed or gone: ${text}`);
    for (const [sum, text] of now)
      // What a job was called where it came from is a name, and points at nothing here.
      if (!was.has(sum) && table !== 'archived_jobs')
        for (const [id] of text.matchAll(UUID))
          if (before.ids.has(id) && !allowed.has(id)) out.push(`${table}, hung on ${id}: ${text}`);
  }
  return out;
}

type Random = () => number;
const pick = <T>(list: readonly T[], random: Random): T => list[Math.floor(random() * list.length)]!;
const REFERENCE = /_id$|^id$|^supersedes$|^ended_by$/;
const HOSTILE_NUMBERS = [-1, 0, 2_147_483_647, 2_147_483_648, 9_999_999, 1e15, 1.5];
const HOSTILE_DATES = [
  '2020-01-01T00:00:00+00:00',
  '1970-01-01T00:00:00Z',
  '9999-12-31T23:59:59Z',
  '0001-01-01T00:00:00Z',
  '2031-05-05T05:05:05Z',
];

/** One forgery in words, done to the tables in place. */
export function forge(parts: Parts, local: Snapshot, names: readonly string[], random: Random): string {
  const { tables, head } = parts;
  const table = pick(
    ARCHIVED_TABLES.filter((t) => tables[t].length > 0),
    random,
  );
  const rows = tables[table];
  const row = pick(rows, random);
  const here = (): string => pick([...local.ids], random);
  const columns = Object.keys(row);
  const references = columns.filter((c) => REFERENCE.test(c));
  const way = Math.floor(random() * 9);
  if (way <= 2 && references.length > 0) {
    // A row, or a copy of it, that names a thing of here.
    const column = pick(references, random);
    const target = way === 2 ? { ...row, ...('id' in row ? { id: crypto.randomUUID() } : {}) } : row;
    target[column] = here();
    if (way === 2) rows.push(target);
    return `${table}.${column} names a thing of here`;
  }
  if (way === 3) {
    const id = here();
    const own = JSON.stringify(tables);
    const old = pick(
      [...own.matchAll(UUID)].map((m) => m[0]),
      random,
    );
    Object.assign(tables, JSON.parse(own.replaceAll(old, id)) as Tables);
    if (head.jobId === old) head.jobId = id;
    return 'a thing of it has the id of one of here';
  }
  if (way === 4) {
    const text = columns.filter(
      (c) => /name|label|plate|person|subject|place/.test(c) && typeof row[c] === 'string',
    );
    if (text.length > 0) row[pick(text, random)] = pick(names, random);
    return `${table} has a name of here`;
  }
  if (way === 5) {
    const number = columns.filter((c) => typeof row[c] === 'number');
    if (number.length > 0) row[pick(number, random)] = pick(HOSTILE_NUMBERS, random);
    if (random() < 0.3) tables.jobs[0]!.number = pick(HOSTILE_NUMBERS, random);
    return `${table} has a number that is none`;
  }
  if (way === 6) {
    const dates = columns.filter((c) => /_at$|^at$/.test(c));
    if (dates.length > 0) row[pick(dates, random)] = pick(HOSTILE_DATES, random);
    if (random() < 0.2) head.exportedAt = pick(HOSTILE_DATES, random);
    return `${table} has a moment outside the job`;
  }
  if (way === 7) {
    const person = pick(tables.people, random);
    person.id = here();
    person.name = pick(names, random);
    for (const t of ARCHIVED_TABLES) for (const r of tables[t]) if ('person_id' in r) r.person_id = person.id;
    return 'everything is signed by somebody of here';
  }
  tables.audit.push({
    at: head.exportedAt as string,
    job_id: random() < 0.5 ? null : here(),
    person_id: here(),
    what: 'signed',
    subject: 'hand-over',
    detail: 'all well',
  });
  if (tables.parts.length > 0)
    tables.placements.push({
      id: crypto.randomUUID(),
      part_id: here(),
      kind: 'scrapped',
      pack_id: null,
      place: '',
      job_id: head.jobId,
      reason: 'dead',
      proof: 'note 1',
      person_id: null,
      at: head.exportedAt as string,
    });
  return 'a line, and a placement, of things of here';
}

/** A generator of random numbers in [0, 1) from a seed (mulberry32). */
export function seeded(seed: number): Random {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4_294_967_296;
  };
}
