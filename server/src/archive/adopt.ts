import {
  ARCHIVED,
  ARCHIVED_TABLES,
  MOST_CHAINED_ROWS,
  type ArchivedTable,
  type ArchiveHead,
} from '@cellmend/contract/archive';
import { createHash, randomUUID } from 'node:crypto';
import type { z } from 'zod';
import { CHAINED } from '../db/chainAndRights';
import { damaged } from './entries';

export type ArchiveRows = { [T in ArchivedTable]: z.output<(typeof ARCHIVED)[T]>[] };
type Row = Record<string, unknown>;

/** What each column that names a thing names; every one of them has to lie in the archive itself. */
const REFERENCES: Partial<Record<ArchivedTable, Record<string, ArchivedTable>>> = {
  pack_profile_versions: { profile_id: 'pack_profiles', person_id: 'people' },
  packs: { profile_id: 'pack_profiles' },
  jobs: { vehicle_id: 'vehicles', pack_id: 'packs' },
  pack_fittings: { pack_id: 'packs', vehicle_id: 'vehicles', job_id: 'jobs', person_id: 'people' },
  scans: { job_id: 'jobs', person_id: 'people' },
  scan_chunks: { scan_id: 'scans' },
  scan_sources: { scan_id: 'scans' },
  scan_pictures: { scan_id: 'scans' },
  findings: { job_id: 'jobs' },
  decisions: { job_id: 'jobs', person_id: 'people' },
  part_facts: { part_id: 'parts', person_id: 'people' },
  placements: { part_id: 'parts', pack_id: 'packs', job_id: 'jobs', person_id: 'people' },
  reservations: { part_id: 'parts', job_id: 'jobs', person_id: 'people' },
  observations: { job_id: 'jobs', person_id: 'people', supersedes: 'observations', part_id: 'parts' },
  clocks: { job_id: 'jobs', person_id: 'people' },
  stops: { job_id: 'jobs', person_id: 'people', ended_by: 'people' },
  audit: { job_id: 'jobs', person_id: 'people' },
};
/** Moments that may lie after the archive was written: what is waited for. */
const AHEAD: ReadonlySet<string> = new Set(['ends_at', 'due_at']);
const MOMENT = /_at$|^at$|_since$/;
/** Rows of the job itself; packs, parts and profiles are older than it. */
const OF_JOB: ReadonlySet<ArchivedTable> = new Set([
  'scans',
  'findings',
  'decisions',
  'reservations',
  'clocks',
  'stops',
  'audit',
]);
const FIRST_MS = Date.UTC(2000, 0, 1);
const DAY_MS = 86_400_000;
const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;

const where = (table: ArchivedTable): string => `record/${table}.json`;

/** The same somebody of the same workshop is one person here, and nobody who has an account. */
export function idOfElsewhere(workshop: string, id: string): string {
  const hex = createHash('sha256').update(`person of elsewhere\n${workshop}\n${id}`).digest('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-8${hex.slice(13, 16)}-a${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
}

/**
 * Makes the rows of an archive rows of here: every reference resolves inside the archive, every thing gets an id of ours, people
 * become people of elsewhere, and every moment lies in the job's span. What an archive names beyond itself is refused.
 * @param nowMs the clock of here, ms since 1970
 * @throws InputProblem that names the table
 */
export function adopt(head: ArchiveHead, rows: ArchiveRows, nowMs: number): ArchiveRows {
  const [job] = rows.jobs;
  if (!job || rows.jobs.length !== 1 || job.id !== head.jobId)
    throw damaged('It is not of one job.', where('jobs'));
  inBounds(rows);
  const ids = idsByTable(rows);
  referencesResolve(rows, ids);
  correctionsFit(rows.observations);
  momentsFit(head, rows, nowMs);
  const minted = mint(head, rows);
  return Object.fromEntries(
    ARCHIVED_TABLES.map((t) => [t, (rows[t] as Row[]).map((r) => renamed(r, minted) as Row)]),
  ) as ArchiveRows;
}

function inBounds(rows: ArchiveRows): void {
  const chained = CHAINED.reduce((n, t) => n + rows[t].length, 0);
  if (chained > MOST_CHAINED_ROWS)
    throw damaged(`It holds ${chained} entries; a job has at most ${MOST_CHAINED_ROWS}.`, 'record');
  for (const one of ['vehicles', 'packs', 'pack_profiles'] as const)
    if (rows[one].length > 1) throw damaged(`It holds more than one of ${one}.`, where(one));
}

function idsByTable(rows: ArchiveRows): Map<ArchivedTable, Set<string>> {
  const seen = new Set<string>();
  return new Map(
    ARCHIVED_TABLES.map((t) => {
      const own = (rows[t] as Row[]).flatMap((r) => (typeof r.id === 'string' ? [r.id] : []));
      for (const id of own) {
        if (seen.has(id)) throw damaged(`Two rows have one id.`, where(t));
        seen.add(id);
      }
      return [t, new Set(own)];
    }),
  );
}

function referencesResolve(rows: ArchiveRows, ids: Map<ArchivedTable, Set<string>>): void {
  for (const table of ARCHIVED_TABLES)
    for (const r of rows[table] as Row[])
      for (const [column, of] of Object.entries(REFERENCES[table] ?? {})) {
        const id = r[column];
        if (id !== null && !ids.get(of)!.has(id as string))
          throw damaged(
            of === 'jobs'
              ? `A row of ${table} is of another job.`
              : `A row of ${table} names ${column} that is not in the archive.`,
            where(table),
          );
      }
  // What is of no job at all is of a part, or it would hang on nothing.
  if (rows.audit.some((r) => r.job_id === null)) throw damaged('A line is of no job.', where('audit'));
  if (rows.observations.some((r) => r.job_id === null && r.part_id === null))
    throw damaged('An observation is of nothing.', where('observations'));
}

/** A correction names an earlier observation of the same topic, each of them once. */
function correctionsFit(observations: ArchiveRows['observations']): void {
  const before = new Map<string, (typeof observations)[number]>();
  const corrected = new Set<string>();
  for (const o of observations) {
    if (o.supersedes !== null) {
      const old = before.get(o.supersedes);
      if (!old || old.topic !== o.topic || corrected.has(o.supersedes))
        throw damaged('A correction does not fit what it corrects.', where('observations'));
      corrected.add(o.supersedes);
    }
    before.set(o.id, o);
  }
}

function momentsFit(head: ArchiveHead, rows: ArchiveRows, nowMs: number): void {
  const job = rows.jobs[0]!;
  const writtenMs = Date.parse(head.exportedAt);
  if (writtenMs > nowMs + DAY_MS) throw damaged('It was written in the future.', 'archive.json');
  const openedMs = Date.parse(job.opened_at);
  for (const table of ARCHIVED_TABLES)
    for (const r of rows[table] as Row[])
      for (const [column, value] of Object.entries(r)) {
        if (!MOMENT.test(column) || typeof value !== 'string') continue;
        const ms = Date.parse(value);
        // A scan may have been begun, and a reading taken, before its job was opened; it is entered within it.
        const ofJob =
          (OF_JOB.has(table) || r.job_id === job.id) && !/^(started|observed|ends)_at$/.test(column);
        const least =
          ofJob && table !== 'pack_fittings' && table !== 'placements' ? openedMs - DAY_MS : FIRST_MS;
        const most = AHEAD.has(column) ? writtenMs + 400 * DAY_MS : writtenMs + DAY_MS;
        if (!(ms >= least && ms <= most))
          throw damaged(`${column} of a row of ${table} is outside the time of the job.`, where(table));
      }
}

/** New ids, in the order of the old ones: what was written at one moment keeps its order. */
function mint(head: ArchiveHead, rows: ArchiveRows): Map<string, string> {
  const old = new Set<string>();
  const find = (v: unknown): void => {
    if (typeof v === 'string') {
      if (UUID.test(v)) old.add(v);
    } else if (Array.isArray(v)) v.forEach(find);
    else if (v !== null && typeof v === 'object')
      for (const [k, w] of Object.entries(v)) {
        find(k);
        find(w);
      }
  };
  for (const t of ARCHIVED_TABLES) find(rows[t]);
  const sorted = [...old].sort();
  const fresh = sorted.map(() => randomUUID() as string).sort();
  const minted = new Map(sorted.map((id, i) => [id, fresh[i]!]));
  for (const p of rows.people) minted.set(p.id, idOfElsewhere(head.workshop, p.id));
  return minted;
}

function renamed(v: unknown, minted: Map<string, string>): unknown {
  if (typeof v === 'string') return minted.get(v) ?? v;
  if (Array.isArray(v)) return v.map((w) => renamed(w, minted));
  if (v === null || typeof v !== 'object') return v;
  return Object.fromEntries(Object.entries(v).map(([k, w]) => [minted.get(k) ?? k, renamed(w, minted)]));
}
