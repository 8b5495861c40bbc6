import { CHAINED } from './chainAndRights';
import type { Migration } from './migration';

/** Rows that may change, each state of them a link of the chain. */
const STATES = [
  'people',
  'settings',
  'pack_profiles',
  'parts',
  'reservations',
  'clocks',
  'vehicles',
  'packs',
] as const;
/** Tables that only grow. */
const GROWING = ['safety_rules', 'qualifications', 'sums', 'archived_jobs'] as const;
/** Every table whose rows are links of the chain. */
export const ALL_CHAINED = [...CHAINED, ...STATES, ...GROWING] as const;

const each = (tables: readonly string[], sql: (table: string) => string): string =>
  tables.map(sql).join('\n');

/** Sum of the readings of a scan, or of the file it came as; each piece by its own sum, so that no value grows with the scan. */
export const SCAN_READINGS = `encode(sha256(convert_to(coalesce((SELECT string_agg(concat_ws('|', c.signal, c.part, c.count, c.low, c.high, encode(sha256(c."values"), 'hex')), ',' ORDER BY c.signal COLLATE "C", c.part) FROM scan_chunks c WHERE c.scan_id = s.id), ''), 'UTF8')), 'hex')`;
export const SCAN_SOURCE = `encode(sha256(convert_to(coalesce((SELECT string_agg(encode(sha256(f.bytes), 'hex'), ',' ORDER BY f.part) FROM scan_sources f WHERE f.scan_id = s.id), ''), 'UTF8')), 'hex')`;
export const SCAN_PICTURE = `encode(sha256(convert_to(coalesce((SELECT p.picture::text FROM scan_pictures p WHERE p.scan_id = s.id), ''), 'UTF8')), 'hex')`;

/**
 * What the serving role may do, anew: it reads the tables that are named and adds to those that grow, and in those whose rows never go it
 * changes them as well.
 */
export const runRights = (
  readOnly: readonly string[],
): string => `CREATE OR REPLACE FUNCTION run_rights(role name) RETURNS void LANGUAGE plpgsql AS $$
DECLARE t record;
BEGIN
  REVOKE CREATE ON SCHEMA public FROM PUBLIC;
  REVOKE ALL ON FUNCTION chain_add(text, jsonb) FROM PUBLIC;
  EXECUTE format('REVOKE ALL ON ALL TABLES IN SCHEMA public FROM %I', role);
  EXECUTE format('GRANT USAGE ON SCHEMA public TO %I', role);
  EXECUTE format('GRANT USAGE, UPDATE ON ALL SEQUENCES IN SCHEMA public TO %I', role);
  FOR t IN SELECT c.relname AS name, c.relkind = 'v' OR c.relname IN (${readOnly.map((t) => `'${t}'`).join(', ')}) AS read_only,
      EXISTS (SELECT 1 FROM pg_trigger g JOIN pg_proc p ON p.oid = g.tgfoid WHERE g.tgrelid = c.oid AND p.proname = 'refuse_change' AND (g.tgtype & 16) <> 0) AS grows,
      EXISTS (SELECT 1 FROM pg_trigger g JOIN pg_proc p ON p.oid = g.tgfoid WHERE g.tgrelid = c.oid AND p.proname = 'refuse_change' AND (g.tgtype & 8) <> 0) AS stays
    FROM pg_class c WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'v') LOOP
    EXECUTE format('GRANT %s ON %I TO %I',
      CASE WHEN t.read_only THEN 'SELECT' WHEN t.grows THEN 'SELECT, INSERT' WHEN t.stays THEN 'SELECT, INSERT, UPDATE' ELSE 'SELECT, INSERT, UPDATE, DELETE' END, t.name, role);
  END LOOP;
  EXECUTE format('REVOKE DELETE, UPDATE ON stops FROM %I', role);
  EXECUTE format('GRANT UPDATE (ended_at, ended_by, end_reason, outputs) ON stops TO %I', role);
END $$;`;

/** Who may sign, by what rules and over which bytes: all of it in the chain, by version and with who granted or signed it. */
export const guards: Migration = {
  name: '017-people-rules-and-sums',
  sql: `
-- What keeps people safe at the gate, by version; the newest is in force for a lock-out that is begun now.
CREATE TABLE safety_rules (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  version int NOT NULL UNIQUE CHECK (version BETWEEN 1 AND 1000000),
  two_persons boolean NOT NULL,
  gate_hours double precision NOT NULL CHECK (gate_hours BETWEEN 1 AND 24),
  least_wait_min double precision NOT NULL CHECK (least_wait_min BETWEEN 1 AND 120),
  dead_v double precision NOT NULL CHECK (dead_v BETWEEN 0.5 AND 30),
  person_id uuid REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now()
);
INSERT INTO safety_rules (version, two_persons, gate_hours, least_wait_min, dead_v)
  SELECT 1, coalesce((value->>'twoPersons')::boolean, false), coalesce((value->>'gateHours')::float8, 10),
    coalesce((value->>'leastWaitMin')::float8, 5), coalesce((value->>'deadV')::float8, 5)
  FROM (SELECT (SELECT value FROM settings WHERE name = 'workshop-rules') AS value) s;
-- Who may sign high voltage: granted by somebody else who holds at least that level, or self-declared until somebody countersigns.
CREATE TABLE qualifications (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  seq bigint GENERATED ALWAYS AS IDENTITY UNIQUE,
  person_id uuid NOT NULL REFERENCES people(id),
  level int NOT NULL CHECK (level BETWEEN 0 AND 3),
  until date,
  issuer text NOT NULL DEFAULT '' CHECK (length(issuer) <= 120),
  number text NOT NULL DEFAULT '' CHECK (length(number) <= 80),
  -- Null: by themselves, and not countersigned.
  granted_by uuid REFERENCES people(id) CHECK (granted_by <> person_id),
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX qualifications_person ON qualifications (person_id, seq DESC);
ALTER TABLE people ADD COLUMN hv_issuer text NOT NULL DEFAULT '', ADD COLUMN hv_number text NOT NULL DEFAULT '', ADD COLUMN hv_self_declared boolean NOT NULL DEFAULT false;
-- Who granted what stood here before is not known: it counts as declared by themselves.
UPDATE people SET hv_self_declared = true WHERE hv_level > 0;
INSERT INTO qualifications (person_id, level, until) SELECT id, hv_level, hv_until FROM people WHERE hv_level > 0 ORDER BY created_at, id;
-- Sums of what is too large for the chain itself.
CREATE TABLE sums (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
  what text NOT NULL CHECK (what IN ('scan readings', 'scan source', 'scan picture', 'photo small')),
  of text NOT NULL,
  sha256 text NOT NULL CHECK (sha256 ~ '^[0-9a-f]{64}$'),
  UNIQUE (what, of)
);
CREATE FUNCTION keep_scan_sums(scan uuid) RETURNS void LANGUAGE sql AS $$
  INSERT INTO sums (what, of, sha256)
    SELECT w.what, s.id::text, w.sha FROM scans s CROSS JOIN LATERAL (VALUES
      ('scan readings', ${SCAN_READINGS}), ('scan source', ${SCAN_SOURCE}), ('scan picture', ${SCAN_PICTURE})) w(what, sha)
    WHERE s.id = scan
$$;
DO $$ DECLARE s uuid; BEGIN FOR s IN SELECT id FROM scans LOOP PERFORM keep_scan_sums(s); END LOOP; END $$;
INSERT INTO sums (what, of, sha256) SELECT 'photo small', sha256, encode(sha256(small), 'hex') FROM photo_files;

CREATE OR REPLACE FUNCTION row_key(r jsonb) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT coalesce(r->>'id', (r->>'part_id') || '/' || (r->>'version'), (r->>'profile_id') || '/' || (r->>'version'), r->>'seq', r->>'origin_id', r->>'name')
$$;
SET LOCAL timezone = 'UTC';
SET LOCAL extra_float_digits = 1;
DO $$
DECLARE t text; r jsonb;
BEGIN
  FOREACH t IN ARRAY ARRAY[${[...STATES, ...GROWING].map((t) => `'${t}'`).join(',')}] LOOP
    FOR r IN EXECUTE format('SELECT to_jsonb(x) FROM %I x', t) LOOP PERFORM chain_add(t, r); END LOOP;
  END LOOP;
END $$;
${each(STATES, (t) => `CREATE CONSTRAINT TRIGGER ${t}_chained AFTER INSERT OR UPDATE ON ${t} DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION chain_row();`)}
${each(GROWING, (t) => `CREATE CONSTRAINT TRIGGER ${t}_chained AFTER INSERT ON ${t} DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION chain_row();`)}
${each(
  ['safety_rules', 'qualifications', 'sums'],
  (
    t,
  ) => `CREATE TRIGGER ${t}_fixed BEFORE UPDATE OR DELETE ON ${t} FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER ${t}_whole BEFORE TRUNCATE ON ${t} FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();`,
)}
-- A row that never goes may still change; one that only grows may not.
${runRights(['chain', 'schema_migrations'])}
-- What is in the chain by its states changes and never goes.
${each(
  STATES,
  (t) => `CREATE TRIGGER ${t}_stays BEFORE DELETE ON ${t} FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER ${t}_whole BEFORE TRUNCATE ON ${t} FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();`,
)}
`,
};
