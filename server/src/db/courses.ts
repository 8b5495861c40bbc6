import type { Migration } from './migration';

/** Long recordings opened at any width. */
export const longCourses: Migration = {
  name: '013-courses',
  // Worked out from the readings, and again where they are missing: `of` is the scan, or the sum of a run's file. Level 0 are the
  // readings of a run themselves, the others lowest and highest of stretches. Uncompressed: parts of a value are read.
  sql: `
CREATE TABLE courses (
  of text NOT NULL,
  signal text NOT NULL,
  level int NOT NULL CHECK (level >= 0),
  readings int NOT NULL,
  "values" bytea NOT NULL,
  PRIMARY KEY (of, signal, level)
);
ALTER TABLE courses ALTER COLUMN "values" SET STORAGE EXTERNAL;
CREATE TABLE run_minutes (
  run_id uuid NOT NULL REFERENCES instrument_runs(id),
  minute int NOT NULL,
  low double precision NOT NULL,
  high double precision NOT NULL,
  PRIMARY KEY (run_id, minute)
);`,
};

/** What reads for another instrument, and what a resistor bank has. */
export const readers: Migration = {
  name: '014-readers',
  sql: `ALTER TABLE instruments ADD COLUMN ohm double precision CHECK (ohm > 0), ADD COLUMN reads_with uuid REFERENCES instruments(id);`,
};
