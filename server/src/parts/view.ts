import type { PartHistory, StockPart } from '@cellmend/contract/stock';
import { QueryTypes, type Transaction } from 'sequelize';
import type { Store } from '../domain/store';
import { notFound } from '../domain/refusal';
import { unitOf, type ReadingData } from '../records/readings';
import { partsAsOf } from './donors';

/** Where a part can be taken from. */
const IN_STOCK = ['shelf', 'bench', 'quarantine'];

interface PlaceRow {
  partId: string;
  kind: StockPart['place']['kind'];
  where: string;
  reason: string;
  proof: string;
  by: string | null;
  at: Date;
  job: number | null;
}
const PLACES = `SELECT c.seq, c.part_id AS "partId", c.kind, CASE WHEN k.id IS NULL THEN '' ELSE c.place || ' of ' || k.label END AS "where",
    c.reason, c.proof, w.name AS by, c.at, j.number AS job
  FROM placements c LEFT JOIN packs k ON k.id = c.pack_id LEFT JOIN people w ON w.id = c.person_id LEFT JOIN jobs j ON j.id = c.job_id`;

const placeOf = ({ kind, where, reason, proof, by, at, job }: PlaceRow): StockPart['place'] => ({
  kind,
  where,
  reason,
  proof,
  by: by ?? 'the app',
  at: at.toISOString(),
  job,
});

/** Parts by id as pages show them, by label. */
export async function viewParts(
  store: Store,
  ids: readonly string[],
  tx?: Transaction,
): Promise<StockPart[]> {
  if (ids.length === 0) return [];
  const options = { replacements: { ids }, type: QueryTypes.SELECT as const, transaction: tx ?? null };
  const parts = await partsAsOf(store, ids, new Date(Date.now() + 60_000), tx);
  const places = await store.sequelize.query<PlaceRow>(
    `SELECT DISTINCT ON ("partId") * FROM (${PLACES}) p WHERE "partId" IN (:ids) ORDER BY "partId", seq DESC`,
    options,
  );
  const reserved = await store.sequelize.query<{ part: string; job: number; place: string }>(
    `SELECT r.part_id AS part, j.number AS job, r.place FROM reservations r JOIN jobs j ON j.id = r.job_id
      WHERE r.ended_at IS NULL AND r.part_id IN (:ids)`,
    options,
  );
  const at = new Map(places.map((p) => [p.partId, p]));
  const held = new Map(reserved.map(({ part, ...r }) => [part, r]));
  return parts.map((p) => ({
    id: p.id,
    label: p.label,
    kind: p.kind as StockPart['kind'],
    ...p.facts,
    ...p.figures,
    taken: p.taken,
    ...(p.wetSince ? { wetSince: p.wetSince } : {}),
    place: placeOf(at.get(p.id)!),
    reserved: held.get(p.id) ?? null,
  }));
}

/** Everything that is in the workshop and in no pack. */
export async function listStock(store: Store): Promise<StockPart[]> {
  const rows = await store.sequelize.query<{ id: string }>(
    'SELECT part_id AS id FROM current_placements WHERE kind IN (:kinds)',
    { replacements: { kinds: IN_STOCK }, type: QueryTypes.SELECT },
  );
  return viewParts(
    store,
    rows.map((r) => r.id),
  );
}

/** The whole history of one part: where it was, what it was taken for, what was measured of it. */
export async function partHistory(store: Store, id: string, tx?: Transaction): Promise<PartHistory> {
  const [part] = await viewParts(store, [id], tx);
  if (!part) throw notFound('That part');
  const options = { replacements: { id }, type: QueryTypes.SELECT as const, transaction: tx ?? null };
  const placements = await store.sequelize.query<PlaceRow>(
    `SELECT * FROM (${PLACES}) p WHERE "partId" = :id ORDER BY seq DESC`,
    options,
  );
  const facts = await store.sequelize.query<PartHistory['facts'][number] & { at: Date; by: string | null }>(
    `SELECT f.version, f.facts, f.reason, w.name AS by, f.at FROM part_facts f LEFT JOIN people w ON w.id = f.person_id
      WHERE f.part_id = :id ORDER BY f.version DESC`,
    options,
  );
  const readings = await store.sequelize.query<{
    kind: string;
    data: ReadingData;
    by: string | null;
    at: Date;
    job: number | null;
  }>(
    `SELECT o.kind, o.data, w.name AS by, o.observed_at AS at, j.number AS job FROM observations o
       LEFT JOIN people w ON w.id = o.person_id LEFT JOIN jobs j ON j.id = o.job_id
      WHERE o.topic = 'reading' AND (o.part_id = :id OR EXISTS (
        SELECT 1 FROM (SELECT pack_id, place, at, kind, lead(at) OVER (ORDER BY seq) AS until FROM placements WHERE part_id = :id) s
         WHERE s.kind = 'pack' AND s.pack_id = j.pack_id AND o.subject = s.place AND o.subject_kind = 'place'
           AND o.observed_at >= s.at AND (s.until IS NULL OR o.observed_at < s.until)))
      ORDER BY o.observed_at DESC LIMIT 500`,
    options,
  );
  const photos = await store.sequelize.query<{ id: string }>(
    `SELECT o.id FROM observations o JOIN jobs j ON j.id = o.job_id
      WHERE o.topic = 'photo' AND o.kind = 'taken' AND NOT EXISTS (SELECT 1 FROM observations n WHERE n.supersedes = o.id)
        AND EXISTS (
        SELECT 1 FROM (SELECT pack_id, place, at, kind, lead(at) OVER (ORDER BY seq) AS until FROM placements WHERE part_id = :id) s
         WHERE s.kind = 'pack' AND s.pack_id = j.pack_id AND o.subject = s.place
           AND o.observed_at >= s.at AND (s.until IS NULL OR o.observed_at < s.until))
      ORDER BY o.observed_at DESC LIMIT 24`,
    options,
  );
  return {
    part,
    photos: photos.map((p) => p.id),
    placements: placements.map(placeOf),
    facts: facts.map((f) => ({ ...f, by: f.by ?? 'the app', at: f.at.toISOString() })),
    readings: readings.map((r) => ({
      kind: r.kind,
      value: r.data.value,
      unit: unitOf(r.kind),
      text: r.data.text,
      by: r.by ?? 'the app',
      at: r.at.toISOString(),
      job: r.job,
    })),
  };
}

/** The part of a label, whatever its case. @throws 404 */
export async function findPart(store: Store, label: string): Promise<{ id: string; label: string }> {
  const [row] = await store.sequelize.query<{ id: string; label: string }>(
    'SELECT id, label FROM parts WHERE lower(label) = lower(:label) ORDER BY (label = :label) DESC LIMIT 1',
    { replacements: { label }, type: QueryTypes.SELECT },
  );
  if (!row) throw notFound('A part of that label');
  return row;
}
