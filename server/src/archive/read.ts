import {
  ARCHIVED,
  ARCHIVED_TABLES,
  ArchiveHeadSchema,
  type ArchivedTable,
  type ArchiveHead,
} from '@cellmend/contract/archive';
import { bodyOf } from '@cellmend/contract/decisions';
import { observationSchema } from '@cellmend/contract/observations';
import { PackProfileSchema } from '@cellmend/contract/pack';
import { checkProfile, modernProfile } from '@cellmend/core/pack';
import { z } from 'zod';
import { adopt, type ArchiveRows } from './adopt';
import { damaged, Entries } from './entries';

/** Tables that nothing more is asked of before they go in: handed on as text, which the database itself takes apart. */
export const AS_TEXT = [
  'scan_pictures',
  'findings',
  'decisions',
  'part_facts',
  'placements',
  'reservations',
  'observations',
  'clocks',
  'stops',
  'audit',
] as const satisfies readonly ArchivedTable[];
type AsText = (typeof AS_TEXT)[number];
/** Rows that one statement takes. */
const PIECE_ROWS = 400;

/** An archive that was looked at whole: its rows are rows of here, in the shape the database takes. */
export interface ReadyArchive {
  head: ArchiveHead;
  rows: Omit<ArchiveRows, AsText>;
  texts: Record<AsText, string[]>;
}

function told<T>(schema: z.ZodType<T>, value: unknown, name: string): T {
  const parsed = schema.safeParse(value);
  if (parsed.success) return parsed.data;
  const first = parsed.error.issues[0]!;
  throw damaged(`${name}: ${first.path.join('.')} ${first.message}`.trim(), name);
}

/** What is in the rows is what this program could have written: profiles, observations and decisions by their own schemas. */
function contentsFit(rows: ArchiveRows): void {
  for (const { profile } of [...rows.pack_profiles, ...rows.pack_profile_versions]) {
    const name = 'record/pack_profiles.json';
    let modern: unknown;
    try {
      modern = modernProfile(profile);
    } catch {
      throw damaged('A profile of it cannot be read.', name);
    }
    const sound = told(PackProfileSchema, modern, name);
    const fault = checkProfile(sound).faults.find((f) => f.level === 'error');
    if (fault) throw damaged(`A profile of it is not consistent: ${fault.what}`, name);
  }
  for (const o of rows.observations) {
    const schema = observationSchema(o.topic as never, o.kind) ?? null;
    if (!schema) throw damaged(`There is no ${o.kind} of ${o.topic}.`, 'record/observations.json');
    told(schema, o.data, 'record/observations.json');
  }
  for (const d of rows.decisions)
    try {
      bodyOf(d.body);
    } catch {
      throw damaged(`A decision on ${d.topic} cannot be read.`, 'record/decisions.json');
    }
}

/**
 * Reads an archive whole, in a thread: limits first, then its shape, then what it names. Nothing of it is stored.
 * @throws InputProblem for what is no archive of one job
 */
export async function readArchive(path: string, nowMs: number): Promise<ReadyArchive> {
  const entries = await Entries.open(path);
  try {
    const head = told<ArchiveHead>(ArchiveHeadSchema, await entries.json('archive.json'), 'archive.json');
    const given = {} as Record<ArchivedTable, unknown>;
    for (const t of ARCHIVED_TABLES)
      given[t] = told(z.array(ARCHIVED[t]), await entries.json(`record/${t}.json`), `record/${t}.json`);
    const rows = given as ArchiveRows;
    contentsFit(rows);
    const ours = adopt(head, rows, nowMs);
    const texts = {} as ReadyArchive['texts'];
    for (const t of AS_TEXT) {
      const list = ours[t];
      texts[t] = [];
      for (let i = 0; i < list.length; i += PIECE_ROWS)
        texts[t].push(JSON.stringify(list.slice(i, i + PIECE_ROWS)));
    }
    const rest = Object.fromEntries(
      ARCHIVED_TABLES.filter((t) => !(AS_TEXT as readonly string[]).includes(t)).map((t) => [t, ours[t]]),
    );
    return { head, rows: rest as ReadyArchive['rows'], texts };
  } finally {
    entries.close();
  }
}
