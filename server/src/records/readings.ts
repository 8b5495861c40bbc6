import type { Bound } from '@cellmend/core/jot';
import type { ReadingKind, SubjectKind } from '@cellmend/contract/records';
import type { Stage } from '@cellmend/core/route';
import { QUANTITIES } from '@cellmend/core/jot';
import type { PackProfile } from '@cellmend/core/pack';
import { literal, type Transaction } from 'sequelize';
import { columnsOf, select, selectRows } from '../db/select';
import type { ObservationFacts } from '../db/rows';
import type { Doing, Store } from '../domain/store';
import { keepObservation } from './observe';

/** What somebody read off at a place, as it is kept in the one store of observations. */
export interface ReadingFact {
  id: string;
  kind: ReadingKind;
  /** Module or channel; empty for the whole pack. */
  place: string;
  value: number | null;
  /** At least the value, or over the meter's range (no value). */
  bound: Bound | null;
  text: string;
  instrument: string;
  conditions: string;
  stage: Stage;
  observedAt: Date;
  recordedAt: Date;
  personId: string | null;
  supersedes: string | null;
  reason: string;
}
export interface ReadingData {
  value: number | null;
  text: string;
  bound?: Bound;
  /** Of the thing measured, where it belongs to the figure. */
  temperatureC?: number | null;
  /** When it was measured nobody knows: its moment is the one at which it was written down. */
  undated?: true;
}

export const unitOf = (kind: string): string =>
  kind in QUANTITIES ? QUANTITIES[kind as keyof typeof QUANTITIES].unit : '';

export function readingOf(row: ObservationFacts): ReadingFact {
  const data = row.data as ReadingData;
  return {
    id: row.id,
    kind: row.kind as ReadingKind,
    place: row.subject,
    value: data.value,
    bound: data.bound ?? null,
    text: data.text,
    instrument: row.instrument,
    conditions: row.conditions,
    stage: row.stage as Stage,
    observedAt: row.observedAt,
    recordedAt: row.recordedAt,
    personId: row.personId,
    supersedes: row.supersedes,
    reason: row.reason,
  };
}

const subjectKindOf = (place: string, profile: PackProfile): SubjectKind =>
  place === '' ? 'pack' : profile.channels.some((c) => c.id === place) ? 'channel' : 'place';

/** Keeps one reading of a job. */
export async function keepReading(
  store: Store,
  doing: Doing,
  jobId: string,
  profile: PackProfile,
  reading: Omit<ReadingFact, 'id' | 'bound' | 'recordedAt' | 'personId'> & {
    id?: string | undefined;
    bound?: Bound | null;
  },
): Promise<ReadingFact> {
  const { id, kind, place, value, bound = null, text, supersedes, reason, ...rest } = reading;
  const row = await keepObservation(store, doing, {
    ...(id ? { id } : {}),
    jobId,
    topic: 'reading',
    kind,
    data: { value, text, ...(bound ? { bound } : {}) } satisfies ReadingData,
    subjectKind: subjectKindOf(place, profile),
    subject: place,
    ...rest,
    corrects: supersedes ? { supersedes, reason } : null,
  });
  return readingOf(row);
}

/** Nobody has superseded it. */
const STANDING_SQL =
  'NOT EXISTS (SELECT 1 FROM observations newer WHERE newer.supersedes = "observations"."id")';
export const STANDING = literal(STANDING_SQL);

export interface ReadingQuery {
  kind?: ReadingKind;
  places?: string[];
  ids?: string[];
  conditions?: string;
  since?: Date;
  /** Also those that were corrected since. */
  corrected?: boolean;
  newest?: number;
}

/** Readings of a job that stand, oldest first by the time they were taken; the newest `newest` of them. */
export async function readingsOf(
  store: Store,
  jobId: string,
  { kind, places, ids, conditions, since, corrected = false, newest }: ReadingQuery,
  tx?: Transaction,
): Promise<ReadingFact[]> {
  if (places?.length === 0 || ids?.length === 0) return [];
  const where = [
    "job_id = :jobId AND topic = 'reading'",
    ...(kind ? ['kind = :kind'] : []),
    ...(places ? ['subject IN (:places)'] : []),
    ...(ids ? ['id IN (:ids)'] : []),
    ...(conditions === undefined ? [] : ['conditions = :conditions']),
    ...(since ? ['observed_at >= :since'] : []),
    ...(corrected ? [] : [STANDING_SQL]),
  ];
  const rows = await selectRows(
    store,
    store.models.Observation,
    `WHERE ${where.join(' AND ')} ORDER BY observed_at DESC, seq DESC ${newest ? 'LIMIT :newest' : ''}`,
    { jobId, kind, places, ids, conditions, since, newest },
    tx,
  );
  return rows.reverse().map(readingOf);
}

/** The newest reading of one kind at each of some places, those that were corrected left out: a look-up a place. */
export async function newestByPlace(
  store: Store,
  jobId: string,
  kind: ReadingKind,
  places: readonly string[],
  tx?: Transaction,
): Promise<ReadingFact[]> {
  if (places.length === 0) return [];
  const rows = await select<ObservationFacts>(
    store,
    `SELECT ${columnsOf(store.models.Observation).replaceAll('observations.', 'o.')} FROM unnest(array[:places]) AS p(place) CROSS JOIN LATERAL (
       SELECT * FROM observations o WHERE o.job_id = :jobId AND o.topic = 'reading' AND o.kind = :kind AND o.subject = p.place
         AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id)
        ORDER BY o.observed_at DESC, o.seq DESC LIMIT 1) o`,
    { jobId, kind, places: [...places] },
    tx,
  );
  return rows.map(readingOf);
}
