import {
  ARCHIVED_TABLES,
  ARCHIVE_FORMAT,
  ARCHIVE_VERSION,
  archiveSchema,
  columnsOf,
  type ArchiveHead,
  type ArchivedTable,
} from '@cellmend/contract/archive';
import { CORE_VERSION } from '@cellmend/core/pack';
import Papa from 'papaparse';
import { QueryTypes, Transaction } from 'sequelize';
import { ZipFile } from 'yazl';
import type { Store } from '../domain/store';
import { findJob } from '../jobs/find';
import { readSetting } from '../domain/settings';

/** Which rows of each table belong to a job; `:job`, `:pack`, `:vehicle`, `:profile` are its own. */
const PARTS = `(SELECT part_id FROM placements WHERE job_id = :job OR pack_id = :pack UNION SELECT part_id FROM reservations WHERE job_id = :job)`;
const OF_PART = `part_id IN ${PARTS}`;
/** What other jobs did with a part, or in other packs, is theirs to tell. */
const OWN = `(job_id = :job OR job_id IS NULL)`;
const SCANS = '(SELECT id FROM scans WHERE job_id = :job)';
const ROWS: Record<ArchivedTable, { where: string; order: string }> = {
  people: { where: 'false', order: 'id' },
  vehicles: { where: 'id = :vehicle', order: 'id' },
  pack_profiles: { where: 'id = :profile', order: 'id' },
  pack_profile_versions: { where: 'profile_id = :profile', order: 'version' },
  packs: { where: 'id = :pack', order: 'id' },
  jobs: { where: 'id = :job', order: 'id' },
  pack_fittings: {
    where: `pack_id = :pack AND ${OWN} AND (vehicle_id = :vehicle OR vehicle_id IS NULL)`,
    order: 'seq',
  },
  scans: { where: 'job_id = :job', order: 'created_at, id' },
  scan_chunks: { where: `scan_id IN ${SCANS}`, order: 'scan_id, signal, part' },
  scan_sources: { where: `scan_id IN ${SCANS}`, order: 'scan_id, part' },
  scan_pictures: { where: `scan_id IN ${SCANS}`, order: 'scan_id' },
  findings: { where: 'job_id = :job', order: 'created_at, id' },
  decisions: { where: 'job_id = :job', order: 'signed_at, topic, version' },
  parts: { where: `id IN ${PARTS}`, order: 'label' },
  part_facts: { where: OF_PART, order: 'part_id, version' },
  placements: { where: `${OF_PART} AND ${OWN} AND (pack_id = :pack OR pack_id IS NULL)`, order: 'seq' },
  reservations: { where: 'job_id = :job', order: 'at, id' },
  observations: { where: `job_id = :job OR (job_id IS NULL AND ${OF_PART})`, order: 'seq' },
  photo_files: {
    where: `sha256 IN (SELECT data->>'sha256' FROM observations WHERE job_id = :job AND topic = 'photo')`,
    order: 'sha256',
  },
  run_files: {
    where: `sha256 IN (SELECT data->>'sha256' FROM observations WHERE job_id = :job AND topic = 'bench')`,
    order: 'sha256',
  },
  clocks: { where: 'job_id = :job', order: 'started_at, id' },
  stops: { where: 'job_id = :job', order: 'at, id' },
  audit: { where: 'job_id = :job', order: 'id' },
};
/** Columns of bytes, which lie in files of their own. */
const BYTES: Partial<Record<ArchivedTable, string[]>> = {
  scan_chunks: ['values'],
  scan_sources: ['bytes'],
  photo_files: ['bytes', 'small'],
  run_files: ['bytes'],
};
const PEOPLE_COLUMNS = ['person_id', 'ended_by'];
type Row = Record<string, unknown>;

const README = (head: ArchiveHead): string =>
  `Job ${head.jobNumber}, ${head.workshop}, ${head.exportedAt.slice(0, 10)}

archive.json       what this is
record/*.json      every row of the record of this job, a table a file
files/             scans as they came, readings (little-endian doubles), photographs, logs of chargers
readable/*.csv     readings, findings, decisions and the timeline, for a spreadsheet
schema.json        the shapes of all of it, as JSON Schema

Times are in UTC, currents positive on discharge, everything in SI units and degrees Celsius.
`;

/** A job as an open archive: all of it at one moment, read only. The zip is written while it is sent. */
export async function writeArchive(store: Store, number: unknown): Promise<{ name: string; zip: ZipFile }> {
  const { job, pack } = await findJob(store, number);
  const zip = new ZipFile();
  const json = (path: string, value: unknown): void =>
    zip.addBuffer(Buffer.from(JSON.stringify(value, null, 1)), path);
  const tables = new Map<ArchivedTable, Row[]>();
  await store.sequelize.transaction(
    { isolationLevel: Transaction.ISOLATION_LEVELS.REPEATABLE_READ, readOnly: true },
    async (tx) => {
      await store.sequelize.query("SET LOCAL timezone = 'UTC'", { transaction: tx });
      const ask = <T extends object>(sql: string): Promise<T[]> =>
        store.sequelize.query<T>(sql, {
          type: QueryTypes.SELECT,
          transaction: tx,
          replacements: {
            job: job.id,
            pack: pack.id,
            vehicle: job.vehicleId,
            profile: pack.profileId,
          },
        });
      let files = 0;
      for (const table of ARCHIVED_TABLES) {
        if (table === 'people') continue;
        const bytes = BYTES[table] ?? [];
        const plain = columnsOf(table).filter((c) => !bytes.includes(c));
        const { where, order } = ROWS[table];
        const rows = await ask<{ row: Row } & Record<string, Buffer>>(
          `SELECT (SELECT to_jsonb(p) FROM (SELECT ${plain.map((c) => `t."${c}"`).join(', ')}) p) AS row${bytes.map((c) => `, t."${c}"`).join('')}
             FROM ${table} t WHERE ${where} ORDER BY ${order}`,
        );
        tables.set(
          table,
          rows.map(({ row, ...held }) => {
            for (const c of bytes) {
              const path = `files/${table}/${String(++files).padStart(6, '0')}${table === 'photo_files' ? '.jpg' : ''}`;
              zip.addBuffer(held[c]!, path, { compress: table !== 'photo_files' });
              row[c] = { file: path };
            }
            return row;
          }),
        );
      }
      const ids = new Set(
        [...tables.values()]
          .flat()
          .flatMap((r) => PEOPLE_COLUMNS.flatMap((c) => (r[c] as string | null) ?? [])),
      );
      const people = await store.models.Person.findAll({ where: { id: [...ids] }, transaction: tx });
      tables.set(
        'people',
        people.map(({ id, name }) => ({ id, name })).sort((a, b) => (a.id < b.id ? -1 : 1)),
      );
    },
  );
  const named = await readSetting(store, 'workshop');
  const head: ArchiveHead = {
    format: ARCHIVE_FORMAT,
    version: ARCHIVE_VERSION,
    workshop: typeof named === 'string' ? named : 'The workshop',
    exportedAt: new Date().toISOString(),
    jobId: job.id,
    jobNumber: job.number,
    rows: Object.fromEntries(ARCHIVED_TABLES.map((t) => [t, tables.get(t)!.length])),
  };
  json('archive.json', { ...head, coreVersion: CORE_VERSION });
  json('schema.json', archiveSchema());
  for (const t of ARCHIVED_TABLES) json(`record/${t}.json`, tables.get(t));
  for (const [name, table] of Object.entries(readable(tables)))
    zip.addBuffer(
      Buffer.from(`\uFEFF${Papa.unparse(table, { escapeFormulae: true })}`),
      `readable/${name}.csv`,
    );
  zip.addBuffer(Buffer.from(README(head)), 'README.txt');
  zip.end();
  return { name: `job-${job.number}.zip`, zip };
}

/** The same for a spreadsheet: what was read, found, decided and done, a line each. */
function readable(tables: Map<ArchivedTable, Row[]>): Record<string, Row[]> {
  const names = new Map(tables.get('people')!.map((p) => [p.id, p.name]));
  const by = (r: Row): unknown => names.get(r.person_id) ?? '';
  const observations = tables.get('observations')!;
  const gone = new Set(observations.map((o) => o.supersedes).filter(Boolean));
  return {
    readings: observations
      .filter((o) => o.topic === 'reading')
      .map((o) => {
        const data = o.data as { value: number | null; text: string };
        return {
          at: o.observed_at,
          place: o.subject,
          kind: o.kind,
          value: data.value,
          text: data.text,
          conditions: o.conditions,
          instrument: o.instrument,
          by: by(o),
          stands: gone.has(o.id) ? 'corrected since' : 'yes',
        };
      }),
    findings: tables
      .get('findings')!
      .map((f) => ({ at: f.created_at, topic: f.topic, of: f.subject, says: f.headline })),
    decisions: tables.get('decisions')!.map((d) => ({
      at: d.signed_at,
      topic: d.topic,
      version: d.version,
      by: by(d),
      note: d.note,
      body: JSON.stringify(d.body),
    })),
    timeline: tables
      .get('audit')!
      .map((a) => ({ at: a.at, by: by(a), what: a.what, subject: a.subject, detail: a.detail })),
  };
}
