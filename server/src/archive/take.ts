import {
  ARCHIVED,
  ARCHIVED_TABLES,
  type ArchivedTable,
  type SameVehicle,
  type TakenIn,
} from '@cellmend/contract/archive';
import { InputProblem } from '@cellmend/core/pack';
import { createHash } from 'node:crypto';
import { DatabaseError, QueryTypes } from 'sequelize';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { refreshNeed } from '../jobs/need';
import { makeSmall } from '../photos/picture';
import { keepSmallSum } from '../photos/service';
import { closeGate } from '../safety/service';
import { damaged, Entries } from './entries';
import type { ReadyArchive } from './read';

/** One piece of a recording, one photograph, one log: what lies in a file of its own. */
const MOST_FILE_BYTES = 64 * 1024 * 1024;
const sha256 = (...pieces: readonly Buffer[]): string => {
  const hash = createHash('sha256');
  for (const p of pieces) hash.update(p);
  return hash.digest('hex');
};

type Ask = <T extends object>(sql: string, bind: unknown[]) => Promise<T[]>;
interface Taking {
  store: Store;
  doing: Doing;
  ask: Ask;
  ready: ReadyArchive;
  entries: Entries;
  /** What is called otherwise here, to be told. */
  renamed: string[];
}

/**
 * Takes a job in from an archive that was read: all of it or nothing. It brings its own things and touches nothing that is here: its
 * ids are new, its people are people of elsewhere, its number is the next one of this workshop.
 * @param same what the lead answered where a vehicle of that plate is here
 * @throws InputProblem for what does not fit, 409 where the job is here already or the vehicle has to be asked about
 */
export async function takeArchive(
  store: Store,
  doing: Doing,
  path: string,
  ready: ReadyArchive,
  same: SameVehicle | null,
): Promise<TakenIn> {
  const entries = await Entries.open(path);
  const ask: Ask = (sql, bind) =>
    store.sequelize.query(sql, { bind, type: QueryTypes.SELECT, transaction: doing.tx }) as never;
  const taking: Taking = { store, doing, ask, ready, entries, renamed: [] };
  try {
    return await put(taking, same);
  } catch (e) {
    if (e instanceof InputProblem || e instanceof Refusal) throw e;
    const code = e instanceof DatabaseError ? ((e.original as { code?: string }).code ?? '') : '';
    // A row that the database does not hold to be possible; or rows that no job's page can be worked out from.
    if (/^2[23]/.test(code)) throw damaged(`A row of it does not fit: ${(e as Error).message}.`);
    if (e instanceof TypeError || e instanceof RangeError)
      throw damaged('Its rows do not make a job: what is next cannot be worked out from them.');
    throw e;
  } finally {
    entries.close();
  }
}

async function put(taking: Taking, same: SameVehicle | null): Promise<TakenIn> {
  const { store, doing, ask, ready, renamed } = taking;
  const { head, rows } = ready;
  // Two archives at once go one after the other: names and numbers are given out once.
  await ask('SELECT pg_advisory_xact_lock(714003)', []);
  await mustBeNew(ask, head.jobId);
  const job = rows.jobs[0]!;
  await settleVehicle(taking, same);
  const there = job.number;
  job.number = await nextNumber(ask);
  renamed.push(`job ${there} is job ${job.number} here`);
  await giveLabels(taking);
  await settleProfile(taking);
  // Sums are made row by row as they come, and only the links while others wait.
  await ask("SELECT set_config('cellmend.many_rows', 'yes', true)", []);
  await store.sequelize.query('SET CONSTRAINTS ALL IMMEDIATE', { transaction: doing.tx });
  await store.sequelize.query('SET CONSTRAINTS chain_commits_linked DEFERRED', { transaction: doing.tx });
  await putPeople(taking);
  for (const table of ARCHIVED_TABLES) await putTable(taking, table);
  for (const { id } of rows.scans) await ask('SELECT keep_scan_sums($1)', [id]);
  await ask('INSERT INTO archived_jobs (origin_id, job_id, workshop) VALUES ($1, $2, $3) RETURNING job_id', [
    head.jobId,
    job.id,
    head.workshop,
  ]);
  await audit(
    store,
    doing,
    job.id,
    'taken in from an archive',
    head.workshop,
    [`job ${head.jobNumber} there`, ...renamed].join('; '),
  );
  // What was proven at another bench, on another clock, is not proven here.
  const row = await store.models.Job.findByPk(job.id, { transaction: doing.tx, rejectOnEmpty: true });
  await closeGate(store, doing, row, 'taken-in', `taken in from an archive of ${head.workshop}`);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'jobs', job.number);
  return { number: job.number, renamed };
}

async function mustBeNew(ask: Ask, origin: string): Promise<void> {
  const [here] = await ask<{ number: number }>(
    'SELECT number FROM jobs WHERE id = $1 OR id = (SELECT job_id FROM archived_jobs WHERE origin_id = $1)',
    [origin],
  );
  if (here) throw new Refusal('conflict', 'Here already', `That job is here already, as job ${here.number}.`);
}

/** A vehicle of a plate that is here is the same one only if the lead says so. */
async function settleVehicle({ ask, ready, renamed }: Taking, same: SameVehicle | null): Promise<void> {
  const { rows } = ready;
  const [v] = rows.vehicles;
  if (!v || v.plate === null) return;
  const [known] = await ask<{ id: string; name: string }>(
    'SELECT id, name FROM vehicles WHERE lower(plate) = lower($1)',
    [v.plate],
  );
  if (!known) return;
  if (same === null)
    throw new Refusal(
      'conflict',
      'The same vehicle?',
      `${v.plate} is here already: ${known.name}. The archive calls it ${v.name}. Is it the same vehicle?`,
      {
        type: 'urn:cellmend:same-vehicle',
        accepted: 'Yes, the same vehicle; or another one, which gets no plate here.',
      },
    );
  if (same === 'other') {
    renamed.push(`the plate ${v.plate} is of another vehicle here and was left out`);
    v.plate = null;
    return;
  }
  for (const f of rows.pack_fittings) if (f.vehicle_id === v.id) f.vehicle_id = known.id;
  for (const j of rows.jobs) if (j.vehicle_id === v.id) j.vehicle_id = known.id;
  rows.vehicles = [];
}

async function nextNumber(ask: Ask): Promise<number> {
  for (;;) {
    const [next] = await ask<{ n: number }>("SELECT nextval('job_numbers')::int AS n", []);
    if ((await ask('SELECT 1 AS one FROM jobs WHERE number = $1', [next!.n])).length === 0) return next!.n;
  }
}

/** Labels that this workshop gives by itself: of nothing that comes from elsewhere, or the next of ours would be taken. */
const GIVEN_HERE = /^(?:P\d+(?:-|$)|S-\d+$)/;
const MOST_LABEL = 40;

/** The pack gets the next label of this workshop, its parts follow it; others keep theirs where it is free. */
async function giveLabels({ ask, ready, renamed }: Taking): Promise<void> {
  const own = new Set<string>();
  const isFree = async (table: 'packs' | 'parts', label: string): Promise<boolean> =>
    !own.has(label) && (await ask(`SELECT 1 AS one FROM ${table} WHERE label = $1`, [label])).length === 0;
  const next = async (table: 'packs' | 'parts', sql: string): Promise<string> => {
    for (;;) {
      const [row] = await ask<{ label: string }>(sql, []);
      if (await isFree(table, row!.label)) return row!.label;
    }
  };
  const tell = (before: string, label: string): string => {
    own.add(label);
    if (label !== before) renamed.push(`${before} is ${label} here`);
    return label;
  };
  const before = ready.rows.packs[0]?.label ?? '';
  for (const p of ready.rows.packs)
    p.label = tell(
      p.label,
      await next('packs', "SELECT 'P' || lpad(nextval('pack_numbers')::text, 3, '0') AS label"),
    );
  const now = ready.rows.packs[0]?.label ?? '';
  for (const p of ready.rows.parts) {
    const follows = before !== '' && p.label.startsWith(`${before}-`);
    const wanted = (follows ? `${now}${p.label.slice(before.length)}` : p.label).slice(0, MOST_LABEL);
    const label =
      (follows || !GIVEN_HERE.test(wanted)) && (await isFree('parts', wanted))
        ? wanted
        : await next('parts', "SELECT 'S-' || nextval('part_numbers') AS label");
    p.label = tell(p.label, label);
  }
}

/** A profile that is here word for word, in all its versions, is not taken in twice. */
async function settleProfile({ ask, ready }: Taking): Promise<void> {
  const { rows } = ready;
  const [p] = rows.pack_profiles;
  if (!p) return;
  const versions = rows.pack_profile_versions.map((v) => ({ version: v.version, profile: v.profile }));
  if (versions.length === 0) return;
  const [known] = await ask<{ id: string }>(
    `SELECT p.id FROM pack_profiles p WHERE p.name = $1 AND NOT EXISTS (
       SELECT 1 FROM jsonb_to_recordset($2::jsonb) g(version int, profile jsonb)
       LEFT JOIN pack_profile_versions v ON v.profile_id = p.id AND v.version = g.version
       WHERE v.profile IS DISTINCT FROM g.profile) ORDER BY p.created_at LIMIT 1`,
    [p.name, JSON.stringify(versions)],
  );
  if (!known) return;
  for (const k of rows.packs) k.profile_id = known.id;
  rows.pack_profiles = [];
  rows.pack_profile_versions = [];
}

/** Who worked on it elsewhere is a name with its workshop here: no account, and nobody who is here. */
async function putPeople({ ask, ready }: Taking): Promise<void> {
  const { workshop } = ready.head;
  const MOST_NAME = 80;
  for (const p of ready.rows.people) {
    const full = `${p.name.slice(0, MOST_NAME - 20)} (${workshop})`.slice(0, MOST_NAME);
    let name = full;
    for (
      let n = 2;
      (await ask('SELECT 1 AS one FROM people WHERE name = $1 AND id <> $2', [name, p.id])).length > 0;
      n++
    )
      name = `${full.slice(0, MOST_NAME - 5)}/${n}`;
    await ask(
      `INSERT INTO people (id, name, role, hv_level, password_hash, demo, ended_at, elsewhere)
       VALUES ($1, $2, 'viewer', 0, '', false, now(), $3) ON CONFLICT (id) DO NOTHING RETURNING id`,
      [p.id, name, workshop],
    );
  }
}

async function putTable(taking: Taking, table: ArchivedTable): Promise<void> {
  const { rows } = taking.ready;
  switch (table) {
    case 'people':
    case 'pack_profile_versions':
      return;
    case 'pack_profiles':
      return putProfile(taking);
    case 'scan_chunks':
      return putChunks(taking);
    case 'scan_sources':
      return putSources(taking);
    case 'photo_files':
      return putPhotos(taking);
    case 'run_files':
      return putRuns(taking);
    case 'vehicles':
    case 'packs':
    case 'jobs':
    case 'pack_fittings':
    case 'scans':
    case 'parts':
      return insert(taking, table, [JSON.stringify(rows[table])]);
    default:
      return insert(taking, table, taking.ready.texts[table]);
  }
}

async function insert({ store, doing }: Taking, table: ArchivedTable, pieces: string[]): Promise<void> {
  const columns = Object.keys(ARCHIVED[table].shape)
    .map((c) => `"${c}"`)
    .join(', ');
  for (const text of pieces)
    if (text !== '[]')
      await store.sequelize.query(
        `INSERT INTO ${table} (${columns}) SELECT ${columns} FROM jsonb_populate_recordset(null::${table}, $1::jsonb)`,
        { bind: [text], transaction: doing.tx },
      );
}

/** The database keeps the first version as a profile is made, and each later one beside it. */
async function putProfile(taking: Taking): Promise<void> {
  const [p] = taking.ready.rows.pack_profiles;
  if (!p) return;
  const versions = taking.ready.rows.pack_profile_versions;
  const first = versions[0] ?? { version: p.version, profile: p.profile, at: p.updated_at };
  await insert(taking, 'pack_profiles', [
    JSON.stringify([{ ...p, version: first.version, profile: first.profile, updated_at: first.at }]),
  ]);
  const columns = Object.keys(ARCHIVED.pack_profile_versions.shape).join(', ');
  await taking.store.sequelize.query(
    `INSERT INTO pack_profile_versions (${columns}) SELECT ${columns} FROM jsonb_populate_recordset(null::pack_profile_versions, $1::jsonb) ON CONFLICT DO NOTHING`,
    { bind: [JSON.stringify(versions)], transaction: taking.doing.tx },
  );
  await taking.store.sequelize.query(
    'UPDATE pack_profiles SET profile = $2, version = $3, updated_at = $4 WHERE id = $1 AND version < $3',
    { bind: [p.id, JSON.stringify(p.profile), p.version, p.updated_at], transaction: taking.doing.tx },
  );
}

async function putBytes(
  { store, doing }: Taking,
  table: ArchivedTable,
  row: Record<string, unknown>,
  known = '',
): Promise<void> {
  const columns = Object.keys(row);
  await store.sequelize.query(
    `INSERT INTO ${table} (${columns.map((c) => `"${c}"`).join(', ')})
     VALUES (${columns.map((_, i) => `$${i + 1}`).join(', ')}) ${known}`,
    { bind: Object.values(row), transaction: doing.tx },
  );
}

async function putChunks(taking: Taking): Promise<void> {
  for (const r of taking.ready.rows.scan_chunks) {
    const values = await taking.entries.read(r.values.file, MOST_FILE_BYTES);
    if (values.length !== 8 * r.count)
      throw damaged(`Readings of ${r.signal} are not as many as it says.`, r.values.file);
    await putBytes(taking, 'scan_chunks', { ...r, values });
  }
}

async function putSources(taking: Taking): Promise<void> {
  const sums = new Map<string, ReturnType<typeof createHash>>();
  const parts = [...taking.ready.rows.scan_sources].sort((a, b) => a.part - b.part);
  for (const r of parts) {
    const bytes = await taking.entries.read(r.bytes.file, MOST_FILE_BYTES);
    if (!sums.has(r.scan_id)) sums.set(r.scan_id, createHash('sha256'));
    sums.get(r.scan_id)!.update(bytes);
    await putBytes(taking, 'scan_sources', { ...r, bytes });
  }
  for (const s of taking.ready.rows.scans) {
    const sum = sums.get(s.id)?.digest('hex');
    if (sum !== undefined && sum !== s.source_sha256)
      throw damaged(`${s.name} is not the file that was read.`, 'files/scan_sources');
  }
}

/** A photograph fits its sum; its small one is drawn anew. */
async function putPhotos(taking: Taking): Promise<void> {
  for (const r of taking.ready.rows.photo_files) {
    const bytes = await taking.entries.read(r.bytes.file, MOST_FILE_BYTES);
    if (sha256(bytes) !== r.sha256)
      throw damaged('A photograph is not the one that was taken.', r.bytes.file);
    const small = await makeSmall(bytes);
    await putBytes(taking, 'photo_files', { ...r, bytes, small }, 'ON CONFLICT DO NOTHING');
    await keepSmallSum(taking.store, taking.doing.tx, r.sha256);
  }
}

async function putRuns(taking: Taking): Promise<void> {
  for (const r of taking.ready.rows.run_files) {
    const bytes = await taking.entries.read(r.bytes.file, MOST_FILE_BYTES);
    if (sha256(bytes) !== r.sha256)
      throw damaged('The log of a run is not the one that was kept.', r.bytes.file);
    await putBytes(taking, 'run_files', { ...r, bytes }, 'ON CONFLICT DO NOTHING');
  }
}
