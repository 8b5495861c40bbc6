import type { PartFacts, PartFigures } from '@cellmend/contract/stock';
import type { AgeingFigure, DonorModule, TakenOf } from '@cellmend/core/match';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Store } from '../domain/store';
import type { ReadingData } from '../records/readings';

/** A part with what it is and what was measured of it until `asOf`. */
export interface PartAsOf {
  id: string;
  label: string;
  kind: string;
  facts: PartFacts;
  figures: PartFigures;
  /** When each figure was taken, and how warm it was. */
  taken: TakenOf;
  /** Since when it is known to have been wet. */
  wetSince?: string;
}

const FIGURE_OF: Record<string, [AgeingFigure, number]> = {
  capacity: ['capacityAh', 1],
  resistance: ['resistanceMilliohm', 1000],
  voltage: ['restVoltageV', 1],
  insulation: ['insulationOhm', 1],
};
const NONE: PartFigures = {
  capacityAh: null,
  resistanceMilliohm: null,
  restVoltageV: null,
  temperatureC: null,
  insulationOhm: null,
};

/**
 * Parts by id, ordered by label, each with the newest figure of each kind: what was measured of the part by itself, or
 * at its place while it stood in a pack.
 */
export async function partsAsOf(
  store: Store,
  ids: readonly string[],
  asOf: Date,
  tx?: Transaction,
): Promise<PartAsOf[]> {
  if (ids.length === 0) return [];
  const options = {
    replacements: { ids, asOf },
    type: QueryTypes.SELECT as const,
    transaction: tx ?? null,
  };
  const rows = await store.sequelize.query<
    Omit<PartAsOf, 'figures' | 'taken' | 'wetSince'> & { wet: Date | null }
  >(
    `SELECT DISTINCT ON (p.id) p.id, p.label, p.kind, f.facts,
       (SELECT min(w.at) FROM part_facts w WHERE w.part_id = p.id AND w.facts->>'history' = 'wet' AND w.at <= :asOf) AS wet FROM parts p JOIN part_facts f ON f.part_id = p.id AND f.at <= :asOf
      WHERE p.id IN (:ids) ORDER BY p.id, f.version DESC`,
    options,
  );
  const figures = await store.sequelize.query<{
    part: string;
    kind: string;
    data: ReadingData;
    observed_at: Date;
  }>(
    `SELECT DISTINCT ON (part, kind) part, kind, data, observed_at FROM (
       SELECT o.part_id AS part, o.kind, o.data, o.observed_at, o.seq FROM observations o
        WHERE o.part_id IN (:ids) AND o.topic = 'reading' AND o.recorded_at <= :asOf
          AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id AND n.recorded_at <= :asOf)
       UNION ALL
       SELECT s.part_id, o.kind, o.data, o.observed_at, o.seq
         FROM (SELECT part_id, pack_id, place, at, lead(at) OVER (PARTITION BY part_id ORDER BY seq) AS until, kind
                 FROM placements WHERE part_id IN (:ids)) s
         JOIN jobs j ON j.pack_id = s.pack_id
         JOIN observations o ON o.job_id = j.id AND o.topic = 'reading' AND o.subject_kind = 'place' AND o.subject = s.place
          AND o.conditions <> 'per group' AND o.observed_at >= s.at AND (s.until IS NULL OR o.observed_at < s.until) AND o.recorded_at <= :asOf
        WHERE s.kind = 'pack' AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id AND n.recorded_at <= :asOf)
     ) every WHERE data->>'value' IS NOT NULL ORDER BY part, kind, observed_at DESC, seq DESC`,
    options,
  );
  const of = new Map(rows.map((r) => [r.id, { ...NONE }]));
  const takenOf = new Map(rows.map((r) => [r.id, {} as TakenOf]));
  for (const { part, kind, data, observed_at } of figures) {
    const own = of.get(part);
    const known = FIGURE_OF[kind];
    if (!own || !known || data.value === null) continue;
    const [field, factor] = known;
    // Figures are told to five digits; a factor must not add noise behind them.
    own[field] = Number((data.value * factor).toPrecision(12));
    // A figure whose day nobody knows has none: it is asked for.
    if (!data.undated)
      takenOf.get(part)![field] = { at: observed_at.toISOString(), temperatureC: data.temperatureC ?? null };
    if (kind === 'voltage') own.temperatureC = data.temperatureC ?? own.temperatureC;
  }
  return rows
    .map(({ wet, ...r }) => ({
      ...r,
      figures: of.get(r.id)!,
      taken: takenOf.get(r.id)!,
      ...(wet && r.facts.history === 'wet' ? { wetSince: wet.toISOString() } : {}),
    }))
    .sort((a, b) => (a.label < b.label ? -1 : 1));
}

/** Modules as the match ranks them; parts that are none, or whose chemistry nobody named, are left out. */
export async function donorsOf(
  store: Store,
  ids: readonly string[],
  asOf: Date,
  tx?: Transaction,
): Promise<DonorModule[]> {
  return (await partsAsOf(store, ids, asOf, tx)).flatMap(
    ({ id, label, kind, facts, figures, taken, wetSince }) =>
      kind === 'module' && facts.chemistry && facts.groupCount
        ? [
            {
              ...facts,
              ...figures,
              taken,
              ...(wetSince ? { wetSince } : {}),
              chemistry: facts.chemistry,
              groupCount: facts.groupCount,
              id,
              label,
            },
          ]
        : [],
  );
}

/** Which part stood at each place of a pack at a moment, of those that were ever moved there. */
export async function standingAt(store: Store, packId: string, asOf: Date): Promise<Map<string, string>> {
  const rows = await store.sequelize.query<{ place: string; part: string }>(
    `SELECT DISTINCT ON (s.place) s.place, s.part_id AS part FROM placements s
      WHERE s.kind = 'pack' AND s.pack_id = :packId AND s.at <= :asOf
        AND NOT EXISTS (SELECT 1 FROM placements n WHERE n.part_id = s.part_id AND n.seq > s.seq AND n.at <= :asOf)
      ORDER BY s.place, s.seq DESC`,
    { replacements: { packId, asOf }, type: QueryTypes.SELECT },
  );
  return new Map(rows.map((r) => [r.place, r.part]));
}

/** What stood at the place of an observation; the first that ever moved there is the one the pack came with. */
const AT = (when: string): string =>
  `SELECT s.part_id FROM placements s WHERE s.pack_id = j.pack_id AND s.kind = 'pack' AND s.place = o.subject AND ${when}`;

/**
 * Capacity measured of each module that stands in the pack of a job, A·h, by its place: the newest until `asOf` that was
 * taken while the same module stood there. What was measured of the one before it counts for nothing.
 */
export async function measuredAlone(
  store: Store,
  jobId: string,
  asOf: Date,
): Promise<Record<string, number>> {
  const rows = await store.sequelize.query<{ place: string; value: number }>(
    `SELECT DISTINCT ON (o.subject) o.subject AS place, (o.data->>'value')::float8 AS value
       FROM observations o JOIN jobs j ON j.id = o.job_id
      WHERE o.job_id = :jobId AND o.topic = 'reading' AND o.kind = 'capacity' AND o.subject_kind = 'place'
        AND o.conditions <> 'per group' AND o.data->>'value' IS NOT NULL AND o.recorded_at <= :asOf
        AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id AND n.recorded_at <= :asOf)
        AND COALESCE((${AT('s.at <= o.observed_at')} ORDER BY s.seq DESC LIMIT 1), (${AT('true')} ORDER BY s.seq LIMIT 1))
          IS NOT DISTINCT FROM (${AT('s.at <= :asOf')} ORDER BY s.seq DESC LIMIT 1)
      ORDER BY o.subject, o.observed_at DESC, o.seq DESC`,
    { replacements: { jobId, asOf }, type: QueryTypes.SELECT },
  );
  return Object.fromEntries(rows.map((r) => [r.place, r.value]));
}
