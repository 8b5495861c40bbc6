import { z } from 'zod';

/**
 * An open archive of one job: a zip that is read without this program. `archive.json` says what it is, `record/TABLE.json`
 * holds the rows of each table below as they were written, `files/` what they name (scans as they came, photographs, logs),
 * `readable/` the same for a spreadsheet, and `schema.json` these shapes as JSON Schema.
 */
export const ARCHIVE_FORMAT = 'bold-cellmend job archive';
/**
 * Raised whenever an older program could not read what is written: rows keep the shapes below, but what an observation holds may be new
 * (2: the bus while a vehicle is switched ready, plans of the bench;
 * 3: ways in, mud outside). Every version up to this one is taken in.
 */
export const ARCHIVE_VERSION = 3;

const id = z.uuid();
const maybeId = z.uuid().nullable();
/** As PostgreSQL writes it, to the microsecond, with its offset. */
const moment = z.iso.datetime({ offset: true, precision: undefined });
const maybeMoment = moment.nullable();
const text = z.string().max(2_000_000);
/** Counts, versions and numbers of what people make; a number that fills its column would leave none for the next. */
const whole = z.int().min(0).max(100_000_000);
const json = z.json();
/** Bytes lie in a file of their own. */
const file = z.object({ file: z.string().regex(/^files\/[A-Za-z0-9._/-]{1,200}$/) });

/** Every table with its columns; nothing else is written, and nothing else is taken in. In the order they depend. */
export const ARCHIVED = {
  people: z.strictObject({ id, name: text }),
  vehicles: z.strictObject({ id, name: text, plate: text.nullable(), created_at: moment }),
  pack_profiles: z.strictObject({
    id,
    name: text,
    profile: json,
    version: whole,
    created_at: moment,
    updated_at: moment,
  }),
  pack_profile_versions: z.strictObject({
    profile_id: id,
    version: whole,
    profile: json,
    person_id: maybeId,
    at: moment,
  }),
  packs: z.strictObject({ id, label: text, profile_id: id, created_at: moment }),
  jobs: z.strictObject({
    id,
    number: z.int().min(1).max(9_999_999),
    title: text,
    complaint: text,
    demo_files: json,
    opened_at: moment,
    closed_at: maybeMoment,
    need: text,
    need_detail: text,
    need_stage: text,
    need_since: moment,
    due_at: maybeMoment,
    marks: json,
    vehicle_id: maybeId,
    pack_id: maybeId,
  }),
  pack_fittings: z.strictObject({
    pack_id: id,
    vehicle_id: maybeId,
    job_id: maybeId,
    person_id: maybeId,
    at: moment,
  }),
  scans: z.strictObject({
    id,
    job_id: id,
    name: text,
    role: text,
    channel_ids: json,
    simultaneous: z.boolean(),
    row_count: whole,
    duration_s: z.number(),
    notices: json,
    source_sha256: text,
    person_id: id,
    created_at: moment,
    started_at: maybeMoment,
    format: text,
  }),
  scan_chunks: z.strictObject({
    scan_id: id,
    signal: text,
    part: whole,
    count: whole,
    low: z.number().nullable(),
    high: z.number().nullable(),
    /** Little-endian doubles. */
    values: file,
  }),
  scan_sources: z.strictObject({ scan_id: id, part: whole, bytes: file }),
  scan_pictures: z.strictObject({ scan_id: id, picture: json }),
  findings: z.strictObject({
    id,
    job_id: id,
    topic: text,
    core_version: text,
    input_ids: json,
    parameters: json,
    result: json,
    headline: text,
    created_at: moment,
    profile_version: whole.nullable(),
    subject: text,
    digest: json,
  }),
  decisions: z.strictObject({
    id,
    job_id: id,
    topic: text,
    version: whole,
    body: json,
    note: text,
    finding_ids: json,
    person_id: id,
    signed_at: moment,
  }),
  parts: z.strictObject({ id, label: text, kind: text, created_at: moment }),
  part_facts: z.strictObject({
    part_id: id,
    version: whole,
    facts: json,
    reason: text,
    person_id: maybeId,
    at: moment,
  }),
  placements: z.strictObject({
    id,
    part_id: id,
    kind: text,
    pack_id: maybeId,
    place: text,
    job_id: maybeId,
    reason: text,
    proof: text,
    person_id: maybeId,
    at: moment,
  }),
  reservations: z.strictObject({
    id,
    part_id: id,
    job_id: id,
    place: text,
    person_id: id,
    at: moment,
    ended_at: maybeMoment,
  }),
  observations: z.strictObject({
    id,
    job_id: maybeId,
    topic: text,
    kind: text,
    data: json,
    person_id: maybeId,
    recorded_at: moment,
    supersedes: maybeId,
    reason: text,
    part_id: maybeId,
    subject_kind: text,
    subject: text,
    instrument: text,
    conditions: text,
    stage: text,
    observed_at: moment,
  }),
  photo_files: z.strictObject({ sha256: text, bytes: file, small: file, created_at: moment }),
  run_files: z.strictObject({ sha256: text, bytes: file, created_at: moment }),
  clocks: z.strictObject({
    id,
    job_id: id,
    label: text,
    kind: text,
    stage: text,
    started_at: moment,
    ends_at: moment,
    done_at: maybeMoment,
    person_id: maybeId,
  }),
  stops: z.strictObject({
    id,
    job_id: id,
    kind: text,
    place: text,
    note: text,
    person_id: id,
    at: moment,
    ended_at: maybeMoment,
    ended_by: maybeId,
    end_reason: text.nullable(),
    outputs: json,
  }),
  audit: z.strictObject({
    at: moment,
    job_id: maybeId,
    person_id: maybeId,
    what: text,
    subject: text,
    detail: text,
  }),
} as const;
export type ArchivedTable = keyof typeof ARCHIVED;
export const ARCHIVED_TABLES = Object.keys(ARCHIVED) as ArchivedTable[];
export const columnsOf = (table: ArchivedTable): string[] => Object.keys(ARCHIVED[table].shape);

export const ArchiveHeadSchema = z.object({
  format: z.literal(ARCHIVE_FORMAT),
  version: z
    .int()
    .min(1)
    .max(
      ARCHIVE_VERSION,
      'It was written by a newer version of this program: bring this one up to date first.',
    ),
  workshop: z.string().trim().min(1).max(200),
  exportedAt: moment,
  /** The one job that it is of. */
  jobId: id,
  jobNumber: whole,
  rows: z.record(z.string(), whole),
});
export type ArchiveHead = z.infer<typeof ArchiveHeadSchema>;

/** Whether the vehicle of an archive is the one of that plate that is here: asked of the lead who takes it in. */
export const SameVehicleSchema = z.enum(['same', 'other']);
export type SameVehicle = z.infer<typeof SameVehicleSchema>;

/** What was taken in, and what had to be called otherwise since its name was taken here. */
export const TakenInSchema = z.object({
  number: z.int(),
  renamed: z.array(z.string()),
});
export type TakenIn = z.infer<typeof TakenInSchema>;
/**
 * Entries of the record that one archive may hold: each becomes a link of the chain at commit, and no other write of this workshop can
 * commit meanwhile.
 */
export const MOST_CHAINED_ROWS = 8000;
/** Bytes of an archive that is sent, and those it may unpack to. */
export const MOST_ARCHIVE_BYTES = 512 * 1024 * 1024;
export const MOST_UNPACKED_BYTES = 2 * 1024 * 1024 * 1024;

/** The shapes as JSON Schema, as they lie in every archive. */
export const archiveSchema = (): object => ({
  $schema: 'https://json-schema.org/draft/2020-12/schema',
  title: `${ARCHIVE_FORMAT}, version ${ARCHIVE_VERSION}`,
  type: 'object',
  properties: {
    'archive.json': z.toJSONSchema(ArchiveHeadSchema),
    ...Object.fromEntries(
      ARCHIVED_TABLES.map((t) => [`record/${t}.json`, z.toJSONSchema(z.array(ARCHIVED[t]))]),
    ),
  },
});
