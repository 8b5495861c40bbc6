import type { Migration } from './migration';

/** An instrument whose output nobody knows stays so until somebody has looked; numbers of jobs leave room for the next. */
export const unknownOutputs: Migration = {
  name: '015-unknown-outputs-and-bounds',
  sql: `
ALTER TABLE instruments ADD COLUMN unknown_since timestamptz, ADD COLUMN unknown_why text NOT NULL DEFAULT '';
-- What is here already is not looked at: a job of before keeps its number.
ALTER TABLE jobs ADD CONSTRAINT jobs_number_in_bounds CHECK (number BETWEEN 1 AND 9999999) NOT VALID;
ALTER TABLE part_facts ADD CONSTRAINT part_facts_version_in_bounds CHECK (version BETWEEN 1 AND 1000000) NOT VALID;
ALTER TABLE decisions ADD CONSTRAINT decisions_version_in_bounds CHECK (version BETWEEN 1 AND 1000000) NOT VALID;
ALTER TABLE pack_profile_versions ADD CONSTRAINT pack_profile_versions_in_bounds CHECK (version BETWEEN 1 AND 1000000) NOT VALID;
ALTER TABLE pack_profiles ADD CONSTRAINT pack_profiles_version_in_bounds CHECK (version BETWEEN 1 AND 1000000) NOT VALID;
`,
};
