// Whether the record is as it was written: every row against its link, every link against the one before.
// The sums are worked out here, not by functions of the database that is looked at.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { runSql } from './postgres.mjs';
import { root } from './setup.mjs';

/** What each link tells apart: tables that only grow, then those of whose rows each state is a link. */
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
  'people',
  'settings',
  'pack_profiles',
  'parts',
  'reservations',
  'clocks',
  'vehicles',
  'packs',
  'safety_rules',
  'qualifications',
  'sums',
  'archived_jobs',
];
/** Breaks that are named one by one; there may be more. */
const MOST_NAMED = 1000;
const sum = (text) => `encode(sha256(convert_to(${text}, 'UTF8')), 'hex')`;
const KEY = `coalesce(r->>'id', (r->>'part_id') || '/' || (r->>'version'), (r->>'profile_id') || '/' || (r->>'version'), r->>'seq', r->>'origin_id', r->>'name')`;

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
/** Bytes beside the chain: each against the sum that was written down as they were stored. */
const READINGS = `(SELECT string_agg(concat_ws('|', c.signal, c.part, c.count, c.low, c.high, encode(sha256(c."values"), 'hex')), ',' ORDER BY c.signal COLLATE "C", c.part) FROM scan_chunks c WHERE c.scan_id = s.id)`;
const SOURCE = `(SELECT string_agg(encode(sha256(f.bytes), 'hex'), ',' ORDER BY f.part) FROM scan_sources f WHERE f.scan_id = s.id)`;
const PICTURE = `(SELECT p.picture::text FROM scan_pictures p WHERE p.scan_id = s.id)`;
const summed = [
  ['scan readings', 'scan_chunks', READINGS, 'readings of a scan were changed or are gone'],
  ['scan source', 'scan_sources', SOURCE, 'the file as it came was changed or is gone'],
  ['scan picture', 'scan_pictures', PICTURE, 'the picture of a scan was changed or is gone'],
].map(
  ([what, table, text, how]) => `
  SELECT l.seq, '${table}' AS what, s.id::text AS key, '${how}' AS how
  FROM scans s LEFT JOIN chain l ON l.what = 'scans' AND l.row_key = s.id::text LEFT JOIN sums m ON m.what = '${what}' AND m.of = s.id::text
  WHERE m.sha256 IS DISTINCT FROM ${sum(`coalesce(${text}, '')`)}`,
);
const sources = `
  SELECT l.seq, 'scan_sources' AS what, s.id::text AS key, 'the file as it came is not the one of its scan' AS how
  FROM (SELECT scan_id, encode(sha256(string_agg(bytes, ''::bytea ORDER BY part)), 'hex') AS sha FROM scan_sources
        WHERE (SELECT sum(octet_length(bytes)) FROM scan_sources z WHERE z.scan_id = scan_sources.scan_id) < 500000000 GROUP BY scan_id) f
  JOIN scans s ON s.id = f.scan_id JOIN chain l ON l.what = 'scans' AND l.row_key = s.id::text
  WHERE f.sha <> s.source_sha256`;
const small = `
  SELECT NULL::bigint AS seq, 'photo_files' AS what, f.sha256 AS key, 'the small picture was changed' AS how
  FROM photo_files f LEFT JOIN sums m ON m.what = 'photo small' AND m.of = f.sha256
  WHERE m.sha256 IS DISTINCT FROM encode(sha256(f.small), 'hex')`;
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

/** Triggers and functions that keep the record, as our migrations make them; written by `npm run guards`. */
const guardsFile = join(root, 'scripts/lib/guards.json');
export const GUARDS_SQL = `
  SELECT jsonb_build_object(
    'migration', (SELECT max(name) FROM schema_migrations),
    'triggers', (SELECT json_object_agg(c.relname || '.' || g.tgname, concat_ws(' ', p.proname, g.tgtype, g.tgenabled)) FROM pg_trigger g
      JOIN pg_class c ON c.oid = g.tgrelid JOIN pg_proc p ON p.oid = g.tgfoid WHERE NOT g.tgisinternal AND c.relnamespace = 'public'::regnamespace),
    'functions', (SELECT json_object_agg(p.proname, encode(sha256(convert_to(p.prosrc, 'UTF8')), 'hex')) FROM pg_proc p WHERE p.pronamespace = 'public'::regnamespace))`;

/** What keeps the record and is not as it was made: switched off, taken away, another, or put beside it. */
function guardBreaks(url) {
  const ours = JSON.parse(readFileSync(guardsFile, 'utf8'));
  const there = JSON.parse(runSql(url, GUARDS_SQL).trim());
  const broken = (what, key, how) => ({ seq: null, what, key, how });
  // Whoever names another version would have nothing looked at: that it was not is a break.
  if (there.migration !== ours.migration)
    return [
      broken(
        'schema',
        there.migration ?? 'none',
        `it is not of this version (${ours.migration}): what keeps the record was not looked at; start the server once`,
      ),
    ];
  const differ = (kind, word) => {
    const [made, found] = [ours[kind], there[kind] ?? {}];
    return [...new Set([...Object.keys(made), ...Object.keys(found)])].flatMap((name) =>
      found[name] === made[name]
        ? []
        : [
            broken(
              word,
              name,
              !found[name] ? 'it is gone' : !made[name] ? 'it was added' : 'it was changed or switched off',
            ),
          ],
    );
  };
  return [...differ('triggers', 'trigger'), ...differ('functions', 'function')];
}

/**
 * Looks at the whole record of a database, and at what keeps it.
 * @returns links (how many), head (the newest sum: written down elsewhere it also tells whether the end was cut off),
 *   breaks (how many rows, links or guards are not as they were), first (seq, what, key, how) or null, all of them (up to a thousand).
 */
export function verifyRecord(url) {
  const out = runSql(
    url,
    `SET default_transaction_read_only = on; SET timezone = 'UTC'; SET extra_float_digits = 1;
     WITH breaks AS MATERIALIZED (${[links, ...TABLES.map(rows), ...summed, sources, photos, small, runs].join('\n UNION ALL ')})
     SELECT jsonb_build_object(
       'links', (SELECT count(*) FROM chain),
       'head', (SELECT sha256 FROM chain ORDER BY seq DESC LIMIT 1),
       'breaks', (SELECT count(*) FROM breaks),
       'all', (SELECT coalesce(jsonb_agg(b), '[]') FROM (SELECT * FROM breaks ORDER BY seq NULLS LAST LIMIT ${MOST_NAMED}) b))`,
  );
  const told = JSON.parse(out.trim().split('\n').at(-1));
  const guards = guardBreaks(url);
  const all = [...guards, ...told.all];
  return { ...told, breaks: told.breaks + guards.length, first: all[0] ?? null, all };
}
