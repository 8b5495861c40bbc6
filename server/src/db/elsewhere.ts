import type { Migration } from './migration';

/** People of another workshop, and which job of theirs a job here is. */
export const elsewhere: Migration = {
  name: '016-elsewhere',
  sql: `
-- The workshop of somebody who worked on a job that was taken in; such a person never signs in here.
ALTER TABLE people ADD COLUMN elsewhere text CHECK (length(elsewhere) BETWEEN 1 AND 200);
ALTER TABLE people ADD CONSTRAINT people_elsewhere_have_no_account
  CHECK (elsewhere IS NULL OR (role = 'viewer' AND hv_level = 0 AND password_hash = '' AND ended_at IS NOT NULL));
CREATE TABLE archived_jobs (
  origin_id uuid PRIMARY KEY,
  job_id uuid NOT NULL UNIQUE REFERENCES jobs(id),
  workshop text NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE TRIGGER archived_jobs_fixed BEFORE UPDATE OR DELETE ON archived_jobs FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER archived_jobs_kept BEFORE TRUNCATE ON archived_jobs FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();
`,
};
