import type { Migration } from './migration';

/** Runs of recipes by instruments, and what they read. */
export const benchControl: Migration = {
  name: '012-bench-control',
  // What an instrument read in a run of a recipe is kept a row a reading; once the whole run is a file, its rows may go.
  sql: `
ALTER TABLE instruments ADD COLUMN most_a double precision CHECK (most_a > 0);
ALTER TABLE instrument_runs ADD COLUMN control jsonb, ADD COLUMN continues uuid UNIQUE REFERENCES instrument_runs(id), ADD COLUMN kept_sha256 text;
CREATE UNIQUE INDEX instrument_runs_one_a_place ON instrument_runs (job_id, (parameters->>'place')) WHERE state = 'running' AND parameters->>'place' IS NOT NULL;
CREATE TABLE run_log (
  run_id uuid NOT NULL REFERENCES instrument_runs(id),
  seq int NOT NULL,
  time_s double precision NOT NULL,
  step int NOT NULL,
  voltage_v double precision NOT NULL,
  current_a double precision NOT NULL,
  temperature_c double precision,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (run_id, seq)
);
CREATE FUNCTION run_log_stays() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'DELETE' AND EXISTS (SELECT 1 FROM instrument_runs r WHERE r.id = OLD.run_id AND r.kept_sha256 IS NOT NULL) THEN RETURN OLD; END IF;
  RAISE EXCEPTION 'what an instrument read stays until its run is a file' USING ERRCODE = 'restrict_violation';
END $$;
CREATE TRIGGER run_log_fixed BEFORE UPDATE OR DELETE ON run_log FOR EACH ROW EXECUTE FUNCTION run_log_stays();
CREATE TRIGGER run_log_kept BEFORE TRUNCATE ON run_log FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();`,
};
