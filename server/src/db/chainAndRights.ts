import type { Migration } from './migration';

/** Tables that only grow: a correction is a new row, and every row has its link in the chain. */
export const CHAINED = [
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
] as const;
/** Tables that only grow and are told by the sum in their record. */
const HELD = ['scan_chunks', 'scan_sources', 'scan_pictures'];

const each = (tables: readonly string[], sql: (table: string) => string): string =>
  tables.map(sql).join('\n');

/**
 * Who has read the record can tell whether anybody changed it: each row of it is a link in one chain, made at commit
 * (last of all locks, so that it can wait for nothing). People can be ended, secrets stand where no backup takes them.
 */
export const chainAndRights: Migration = {
  name: '008-chain-people-rights',
  sql: `
CREATE TABLE secrets (name text PRIMARY KEY, value text NOT NULL);
INSERT INTO secrets (name, value) SELECT name, value #>> '{}' FROM settings WHERE name = 'session-secret';
DELETE FROM settings WHERE name = 'session-secret';
ALTER TABLE people ADD COLUMN ended_at timestamptz;
CREATE TABLE sign_in_tries (
  name text NOT NULL,
  address text NOT NULL,
  failed int NOT NULL,
  next_at timestamptz NOT NULL,
  PRIMARY KEY (name, address)
);

CREATE TABLE chain (
  seq bigint PRIMARY KEY,
  what text NOT NULL,
  row_key text NOT NULL,
  cols text[] NOT NULL,
  row_sha256 text NOT NULL,
  sha256 text NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX chain_row ON chain (what, row_key, seq DESC);
CREATE FUNCTION row_key(r jsonb) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT coalesce(r->>'id', (r->>'part_id') || '/' || (r->>'version'), (r->>'profile_id') || '/' || (r->>'version'), r->>'seq')
$$;
CREATE FUNCTION row_sha256(r jsonb, cols text[]) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT encode(sha256(convert_to((SELECT jsonb_object_agg(c, r->c) FROM unnest(cols) c)::text, 'UTF8')), 'hex')
$$;
CREATE FUNCTION link_sha256(before text, seq bigint, what text, key text, digest text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT encode(sha256(convert_to(concat_ws('|', before, seq, what, key, digest), 'UTF8')), 'hex')
$$;
CREATE FUNCTION chain_add(what text, r jsonb) RETURNS void LANGUAGE plpgsql AS $$
DECLARE last chain%ROWTYPE; names text[]; digest text; n bigint;
BEGIN
  PERFORM pg_advisory_xact_lock(714002);
  SELECT * INTO last FROM chain ORDER BY seq DESC LIMIT 1;
  n := coalesce(last.seq, 0) + 1;
  SELECT array_agg(k ORDER BY k) INTO names FROM jsonb_object_keys(r) k;
  digest := row_sha256(r, names);
  INSERT INTO chain (seq, what, row_key, cols, row_sha256, sha256)
    VALUES (n, what, row_key(r), names, digest, link_sha256(coalesce(last.sha256, ''), n, what, row_key(r), digest));
END $$;
CREATE FUNCTION chain_row() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER
  SET search_path = public, pg_temp SET timezone = 'UTC' SET extra_float_digits = 1 AS $$
BEGIN
  PERFORM chain_add(TG_TABLE_NAME, to_jsonb(NEW));
  RETURN NULL;
END $$;
REVOKE ALL ON FUNCTION chain_add(text, jsonb) FROM PUBLIC;
SET LOCAL timezone = 'UTC';
SET LOCAL extra_float_digits = 1;
DO $$
DECLARE t text; r jsonb;
BEGIN
  FOREACH t IN ARRAY ARRAY[${CHAINED.map((t) => `'${t}'`).join(',')}] LOOP
    FOR r IN EXECUTE format('SELECT to_jsonb(x) FROM %I x', t) LOOP PERFORM chain_add(t, r); END LOOP;
  END LOOP;
END $$;
${each(
  CHAINED,
  (t) =>
    `CREATE CONSTRAINT TRIGGER ${t}_chained AFTER INSERT${t === 'stops' ? ' OR UPDATE' : ''} ON ${t} DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION chain_row();`,
)}
${each([...CHAINED, ...HELD, 'chain'], (t) => `CREATE TRIGGER ${t}_kept BEFORE TRUNCATE ON ${t} FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();`)}
CREATE TRIGGER chain_fixed BEFORE UPDATE OR DELETE ON chain FOR EACH ROW EXECUTE FUNCTION refuse_change();
-- Of a Stop only its end is written later.
CREATE FUNCTION stop_ends_once() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'DELETE' OR (to_jsonb(NEW) - '{ended_at,ended_by,end_reason,outputs}'::text[]) IS DISTINCT FROM (to_jsonb(OLD) - '{ended_at,ended_by,end_reason,outputs}'::text[])
     OR (OLD.ended_at IS NOT NULL AND (NEW.ended_at, NEW.ended_by, NEW.end_reason) IS DISTINCT FROM (OLD.ended_at, OLD.ended_by, OLD.end_reason)) THEN
    RAISE EXCEPTION 'a stop is append-only but for its end' USING ERRCODE = 'restrict_violation';
  END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER stops_fixed BEFORE UPDATE OR DELETE ON stops FOR EACH ROW EXECUTE FUNCTION stop_ends_once();
-- What was answered under a key stays; a key goes once nobody can repeat it any more.
CREATE FUNCTION key_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'DELETE' THEN
    IF OLD.created_at > now() - interval '30 days' THEN
      RAISE EXCEPTION 'a key is kept for 30 days' USING ERRCODE = 'restrict_violation';
    END IF;
    RETURN OLD;
  END IF;
  IF OLD.status IS NOT NULL OR (NEW.key, NEW.person_id, NEW.route, NEW.entry_sha256) IS DISTINCT FROM (OLD.key, OLD.person_id, OLD.route, OLD.entry_sha256) THEN
    RAISE EXCEPTION 'what was answered under a key stays' USING ERRCODE = 'restrict_violation';
  END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER idempotency_keys_fixed BEFORE UPDATE OR DELETE ON idempotency_keys FOR EACH ROW EXECUTE FUNCTION key_stays();
CREATE TRIGGER idempotency_keys_kept BEFORE TRUNCATE ON idempotency_keys FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();
-- What no page can send, no other way may bring in either.
ALTER TABLE observations ADD CHECK (topic ~ '^[a-z][a-z-]{1,30}$'), ADD CHECK (kind ~ '^[a-z][a-zA-Z0-9-]{0,40}$'),
  ADD CHECK (stage ~ '^[a-z-]{0,30}$'), ADD CHECK (observed_at BETWEEN '1999-12-31' AND recorded_at + interval '2 days');
ALTER TABLE clocks ADD CHECK (ends_at BETWEEN started_at - interval '1 day' AND started_at + interval '400 days');
-- What the server itself may do at run time: read all, add, and change only what is meant to change.
CREATE FUNCTION run_rights(role name) RETURNS void LANGUAGE plpgsql AS $$
DECLARE t record;
BEGIN
  REVOKE CREATE ON SCHEMA public FROM PUBLIC;
  REVOKE ALL ON FUNCTION chain_add(text, jsonb) FROM PUBLIC;
  EXECUTE format('REVOKE ALL ON ALL TABLES IN SCHEMA public FROM %I', role);
  EXECUTE format('GRANT USAGE ON SCHEMA public TO %I', role);
  EXECUTE format('GRANT USAGE, UPDATE ON ALL SEQUENCES IN SCHEMA public TO %I', role);
  FOR t IN SELECT c.relname AS name, c.relkind = 'v' OR c.relname IN ('chain', 'schema_migrations') AS read_only,
      EXISTS (SELECT 1 FROM pg_trigger g JOIN pg_proc p ON p.oid = g.tgfoid WHERE g.tgrelid = c.oid AND p.proname = 'refuse_change' AND (g.tgtype & 24) <> 0) AS grows
    FROM pg_class c WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'v') LOOP
    EXECUTE format('GRANT %s ON %I TO %I',
      CASE WHEN t.read_only THEN 'SELECT' WHEN t.grows THEN 'SELECT, INSERT' ELSE 'SELECT, INSERT, UPDATE, DELETE' END, t.name, role);
  END LOOP;
  EXECUTE format('REVOKE DELETE, UPDATE ON stops FROM %I', role);
  EXECUTE format('GRANT UPDATE (ended_at, ended_by, end_reason, outputs) ON stops TO %I', role);
END $$;
REVOKE ALL ON FUNCTION run_rights(name) FROM PUBLIC;
`,
};
