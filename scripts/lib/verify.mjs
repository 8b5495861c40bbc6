// Whether the record is as it was written: every row against its link, every link against the one before.
// The sums are worked out here, not by functions of the database that is looked at.
import { runSql } from './postgres.mjs';

/** What each link tells apart, in the order it was chained. */
export const TABLES = [
  'audit',
  'observations',
  'decisions',
  'findings',
  'placements',
  'part_facts',
  'pack_fittings',
  'pack_profile_versions',
  'scans',
  'stops',
];
const sum = (text) => `encode(sha256(convert_to(${text}, 'UTF8')), 'hex')`;
const KEY = `coalesce(r->>'id', (r->>'part_id') || '/' || (r->>'version'), (r->>'profile_id') || '/' || (r->>'version'), r->>'seq')`;

const links = `
  SELECT seq, what, row_key AS key, CASE WHEN seq <> before_seq + 1 THEN 'links before it are gone' ELSE 'its link was changed' END AS how FROM (
    SELECT *, lag(sha256, 1, '') OVER w AS before, lag(seq, 1, 0::bigint) OVER w AS before_seq FROM chain WINDOW w AS (ORDER BY seq)) l
  WHERE seq <> before_seq + 1 OR sha256 <> ${sum("concat_ws('|', before, seq, what, row_key, row_sha256)")}`;
const rows = (table) => `
  SELECT coalesce(l.seq, 9000000000000000000) AS seq, '${table}' AS what, coalesce(l.row_key, h.key) AS key,
    CASE WHEN l.seq IS NULL THEN 'it was added past the chain' WHEN h.key IS NULL THEN 'it is gone' ELSE 'it was changed' END AS how
  FROM (SELECT DISTINCT ON (row_key) * FROM chain WHERE what = '${table}' ORDER BY row_key, seq DESC) l
  FULL JOIN (SELECT ${KEY} AS key, r FROM (SELECT to_jsonb(x) AS r FROM ${table} x) y) h ON h.key = l.row_key
  WHERE l.seq IS NULL OR h.key IS NULL
    OR l.row_sha256 <> ${sum('(SELECT jsonb_object_agg(c, h.r->c) FROM unnest(l.cols) c)::text')}`;
const sources = `
  SELECT l.seq, 'scan_sources' AS what, s.id::text AS key, 'the file as it came was changed' AS how
  FROM (SELECT scan_id, encode(sha256(string_agg(bytes, ''::bytea ORDER BY part)), 'hex') AS sha FROM scan_sources GROUP BY scan_id) f
  JOIN scans s ON s.id = f.scan_id JOIN chain l ON l.what = 'scans' AND l.row_key = s.id::text
  WHERE f.sha <> s.source_sha256`;
const runs = `
  SELECT l.seq, 'run_files' AS what, o.id::text AS key,
    CASE WHEN f.sha256 IS NULL THEN 'the file of a run is gone' ELSE 'the file of a run was changed' END AS how
  FROM observations o JOIN chain l ON l.what = 'observations' AND l.row_key = o.id::text
  LEFT JOIN run_files f ON f.sha256 = o.data->>'sha256'
  WHERE o.topic = 'bench' AND o.kind = 'run' AND o.data->>'sha256' IS NOT NULL
    AND encode(sha256(f.bytes), 'hex') IS DISTINCT FROM o.data->>'sha256'`;
const photos = `
  SELECT l.seq, 'photo_files' AS what, o.id::text AS key,
    CASE WHEN f.sha256 IS NULL THEN 'the photograph is gone' ELSE 'the photograph was changed' END AS how
  FROM observations o JOIN chain l ON l.what = 'observations' AND l.row_key = o.id::text
  LEFT JOIN photo_files f ON f.sha256 = o.data->>'sha256'
  WHERE o.topic = 'photo' AND o.kind = 'taken' AND encode(sha256(f.bytes), 'hex') IS DISTINCT FROM o.data->>'sha256'`;

/**
 * Looks at the whole record of a database.
 * @returns links (how many), head (the newest sum: written down elsewhere it also tells whether the end was cut off),
 *   breaks (how many rows or links are not as they were), first (seq, what, key, how) or null.
 */
export function verifyRecord(url) {
  const out = runSql(
    url,
    `SET default_transaction_read_only = on; SET timezone = 'UTC'; SET extra_float_digits = 1;
     WITH breaks AS (${[links, ...TABLES.map(rows), sources, photos, runs].join('\n UNION ALL ')})
     SELECT json_build_object(
       'links', (SELECT count(*) FROM chain),
       'head', (SELECT sha256 FROM chain ORDER BY seq DESC LIMIT 1),
       'breaks', (SELECT count(*) FROM breaks),
       'first', (SELECT row_to_json(b) FROM breaks b ORDER BY seq LIMIT 1))`,
  );
  return JSON.parse(out.trim().split('\n').at(-1));
}
