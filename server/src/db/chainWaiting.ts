import { runRights } from './guards';
import type { Migration } from './migration';

/**
 * A transaction of many rows makes their sums as it goes, without the chain's lock, and only the links at commit: thousands of rows
 * hold other writes for as long as a few dozen did. What is chained, and that all of it is, stays as it was.
 */
export const chainWaiting: Migration = {
  name: '018-chain-waiting',
  sql: `
CREATE TABLE chain_waiting (
  n bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  tx xid8 NOT NULL,
  what text NOT NULL,
  row_key text NOT NULL,
  cols text[] NOT NULL,
  row_sha256 text NOT NULL
);
CREATE INDEX chain_waiting_tx ON chain_waiting (tx, n);
-- One row a transaction: its trigger fires once, at commit.
CREATE TABLE chain_commits (tx xid8 PRIMARY KEY);
CREATE FUNCTION chain_link_waiting() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = public, pg_temp AS $$
DECLARE w record; last chain%ROWTYPE; n bigint; link text;
  seqs bigint[] := '{}'; links text[] := '{}'; ns bigint[] := '{}';
BEGIN
  PERFORM pg_advisory_xact_lock(714002);
  SELECT * INTO last FROM chain ORDER BY seq DESC LIMIT 1;
  n := coalesce(last.seq, 0);
  link := coalesce(last.sha256, '');
  FOR w IN SELECT c.n, c.what, c.row_key, c.row_sha256 FROM chain_waiting c WHERE c.tx = NEW.tx ORDER BY c.n LOOP
    n := n + 1;
    link := encode(sha256(convert_to(concat_ws('|', link, n, w.what, w.row_key, w.row_sha256), 'UTF8')), 'hex');
    seqs := seqs || n; links := links || link; ns := ns || w.n;
  END LOOP;
  INSERT INTO chain (seq, what, row_key, cols, row_sha256, sha256)
    SELECT s.seq, c.what, c.row_key, c.cols, c.row_sha256, s.link
    FROM unnest(seqs, links, ns) s(seq, link, n) JOIN chain_waiting c ON c.n = s.n ORDER BY s.seq;
  DELETE FROM chain_waiting c WHERE c.tx = NEW.tx;
  DELETE FROM chain_commits c WHERE c.tx = NEW.tx;
  RETURN NULL;
END $$;
CREATE CONSTRAINT TRIGGER chain_commits_linked AFTER INSERT ON chain_commits DEFERRABLE INITIALLY DEFERRED FOR EACH ROW EXECUTE FUNCTION chain_link_waiting();
CREATE OR REPLACE FUNCTION chain_row() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER
  SET search_path = public, pg_temp SET timezone = 'UTC' SET extra_float_digits = 1 AS $$
DECLARE r jsonb; names text[];
BEGIN
  IF current_setting('cellmend.many_rows', true) IS DISTINCT FROM 'yes' THEN
    PERFORM chain_add(TG_TABLE_NAME, to_jsonb(NEW));
    RETURN NULL;
  END IF;
  r := to_jsonb(NEW);
  SELECT array_agg(k ORDER BY k) INTO names FROM jsonb_object_keys(r) k;
  INSERT INTO chain_waiting (tx, what, row_key, cols, row_sha256)
    VALUES (pg_current_xact_id(), TG_TABLE_NAME, row_key(r), names, row_sha256(r, names));
  INSERT INTO chain_commits (tx) VALUES (pg_current_xact_id()) ON CONFLICT DO NOTHING;
  RETURN NULL;
END $$;
${runRights(['chain', 'schema_migrations', 'chain_waiting', 'chain_commits'])}
`,
};
