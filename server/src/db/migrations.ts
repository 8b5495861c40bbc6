import { modernProfile } from '@cellmend/core/pack';
import { QueryTypes } from 'sequelize';
import type { Migration } from './migration';
import { benchControl } from './benchControl';
import { longCourses, readers } from './courses';
import { chainAndRights } from './chainAndRights';
import { chainWaiting } from './chainWaiting';
import { elsewhere } from './elsewhere';
import { guards } from './guards';
import { recordOfParts } from './recordOfParts';
import { unknownOutputs } from './unknownOutputs';

/** Schema changes in order. A migration that has shipped is never edited. */
export const migrations: Migration[] = [
  {
    name: '001-records',
    sql: `
CREATE TABLE people (
  id uuid PRIMARY KEY,
  name text NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 80),
  role text NOT NULL CHECK (role IN ('technician','lead','viewer')),
  hv_level int NOT NULL DEFAULT 0 CHECK (hv_level BETWEEN 0 AND 3),
  hv_until date,
  password_hash text NOT NULL,
  demo boolean NOT NULL DEFAULT false,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE user_sessions (
  sid varchar NOT NULL PRIMARY KEY,
  sess json NOT NULL,
  expire timestamp(6) NOT NULL
);
CREATE INDEX user_sessions_expire ON user_sessions (expire);
CREATE TABLE pack_profiles (
  id uuid PRIMARY KEY,
  name text NOT NULL,
  profile jsonb NOT NULL,
  version int NOT NULL DEFAULT 1,
  created_at timestamptz NOT NULL DEFAULT now(),
  updated_at timestamptz NOT NULL DEFAULT now()
);
CREATE SEQUENCE job_numbers START 140;
CREATE TABLE jobs (
  id uuid PRIMARY KEY,
  number int NOT NULL UNIQUE DEFAULT nextval('job_numbers'),
  title text NOT NULL CHECK (length(title) BETWEEN 1 AND 120),
  complaint text NOT NULL DEFAULT '',
  pack_profile_id uuid NOT NULL REFERENCES pack_profiles(id),
  demo_files jsonb NOT NULL DEFAULT '[]',
  opened_at timestamptz NOT NULL DEFAULT now(),
  closed_at timestamptz,
  need text NOT NULL DEFAULT 'Scan',
  need_detail text NOT NULL DEFAULT '',
  need_stage text NOT NULL DEFAULT 'scan',
  need_since timestamptz NOT NULL DEFAULT now(),
  due_at timestamptz,
  marks jsonb NOT NULL DEFAULT '[]'
);
CREATE INDEX jobs_board ON jobs ((coalesce(due_at, need_since))) WHERE closed_at IS NULL;
CREATE TABLE scans (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES jobs(id),
  name text NOT NULL,
  role text NOT NULL CHECK (role IN ('before','after')),
  channel_ids jsonb NOT NULL,
  simultaneous boolean NOT NULL,
  row_count int NOT NULL,
  duration_s double precision NOT NULL,
  notices jsonb NOT NULL DEFAULT '[]',
  source_sha256 text NOT NULL,
  person_id uuid NOT NULL REFERENCES people(id),
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX scans_job ON scans (job_id, created_at);
CREATE TABLE scan_chunks (
  scan_id uuid NOT NULL REFERENCES scans(id),
  signal text NOT NULL,
  part int NOT NULL,
  count int NOT NULL CHECK (count > 0),
  low double precision,
  high double precision,
  values bytea NOT NULL,
  PRIMARY KEY (scan_id, signal, part)
);
CREATE TABLE scan_sources (
  scan_id uuid NOT NULL REFERENCES scans(id),
  part int NOT NULL,
  bytes bytea NOT NULL,
  PRIMARY KEY (scan_id, part)
);
CREATE TABLE readings (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES jobs(id),
  kind text NOT NULL,
  place text NOT NULL DEFAULT '',
  value double precision CHECK (value IS NULL OR (value > '-Infinity' AND value < 'Infinity')),
  unit text NOT NULL,
  text text NOT NULL DEFAULT '',
  instrument text NOT NULL DEFAULT '',
  conditions text NOT NULL DEFAULT '',
  stage text NOT NULL,
  observed_at timestamptz NOT NULL,
  recorded_at timestamptz NOT NULL DEFAULT now(),
  person_id uuid NOT NULL REFERENCES people(id),
  supersedes uuid UNIQUE REFERENCES readings(id),
  reason text NOT NULL DEFAULT '',
  CHECK (supersedes IS NULL OR reason <> '')
);
CREATE INDEX readings_job ON readings (job_id, recorded_at DESC);
CREATE TABLE findings (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES jobs(id),
  topic text NOT NULL,
  core_version text NOT NULL,
  input_ids jsonb NOT NULL,
  parameters jsonb NOT NULL DEFAULT '{}',
  result jsonb NOT NULL,
  headline text NOT NULL DEFAULT '',
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX findings_job ON findings (job_id, topic, created_at DESC);
CREATE TABLE decisions (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES jobs(id),
  topic text NOT NULL,
  version int NOT NULL CHECK (version > 0),
  body jsonb NOT NULL,
  note text NOT NULL DEFAULT '',
  finding_ids jsonb NOT NULL DEFAULT '[]',
  person_id uuid NOT NULL REFERENCES people(id),
  signed_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (job_id, topic, version)
);
CREATE TABLE stock_modules (
  id uuid PRIMARY KEY,
  label text NOT NULL UNIQUE,
  facts jsonb NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE clocks (
  id uuid PRIMARY KEY,
  job_id uuid REFERENCES jobs(id),
  label text NOT NULL,
  kind text NOT NULL,
  stage text NOT NULL,
  started_at timestamptz NOT NULL DEFAULT now(),
  ends_at timestamptz NOT NULL,
  done_at timestamptz,
  person_id uuid NOT NULL REFERENCES people(id)
);
CREATE INDEX clocks_open ON clocks (ends_at) WHERE done_at IS NULL;
CREATE TABLE audit (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  job_id uuid REFERENCES jobs(id),
  person_id uuid REFERENCES people(id),
  what text NOT NULL,
  subject text NOT NULL DEFAULT '',
  detail text NOT NULL DEFAULT ''
);
CREATE INDEX audit_job ON audit (job_id, id DESC);
CREATE TABLE idempotency_keys (
  key uuid PRIMARY KEY,
  person_id uuid NOT NULL REFERENCES people(id),
  route text NOT NULL,
  status int,
  response jsonb,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE settings (name text PRIMARY KEY, value jsonb NOT NULL);
CREATE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  RAISE EXCEPTION '% is append-only: a correction is a new row', TG_TABLE_NAME USING ERRCODE = 'restrict_violation';
END $$;
CREATE TRIGGER readings_fixed BEFORE UPDATE OR DELETE ON readings FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER findings_fixed BEFORE UPDATE OR DELETE ON findings FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER decisions_fixed BEFORE UPDATE OR DELETE ON decisions FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER audit_fixed BEFORE UPDATE OR DELETE ON audit FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER scans_fixed BEFORE UPDATE OR DELETE ON scans FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER scan_chunks_fixed BEFORE UPDATE OR DELETE ON scan_chunks FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER scan_sources_fixed BEFORE UPDATE OR DELETE ON scan_sources FOR EACH ROW EXECUTE FUNCTION refuse_change();
`,
  },
  {
    name: '002-scans-of-every-kind',
    sql: `
ALTER TABLE scans ADD COLUMN started_at timestamptz;
ALTER TABLE scans ADD COLUMN format text NOT NULL DEFAULT 'table';
CREATE TABLE scan_pictures (
  scan_id uuid PRIMARY KEY REFERENCES scans(id),
  picture jsonb NOT NULL
);
CREATE TRIGGER scan_pictures_fixed BEFORE UPDATE OR DELETE ON scan_pictures FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TABLE scan_headings (
  key text PRIMARY KEY,
  names jsonb NOT NULL,
  mapping jsonb NOT NULL,
  person_id uuid NOT NULL REFERENCES people(id),
  updated_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE signal_definitions (
  id uuid PRIMARY KEY,
  name text NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 120),
  kind text NOT NULL CHECK (kind IN ('dbc','uds')),
  text text NOT NULL,
  signals int NOT NULL,
  person_id uuid NOT NULL REFERENCES people(id),
  created_at timestamptz NOT NULL DEFAULT now()
);
`,
  },
  {
    name: '003-make-safe-and-insulation',
    sql: `
CREATE TABLE observations (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES jobs(id),
  topic text NOT NULL CHECK (topic IN ('make-safe','insulation')),
  kind text NOT NULL,
  data jsonb NOT NULL,
  person_id uuid NOT NULL REFERENCES people(id),
  recorded_at timestamptz NOT NULL DEFAULT now(),
  supersedes uuid UNIQUE REFERENCES observations(id),
  reason text NOT NULL DEFAULT '',
  CHECK (supersedes IS NULL OR reason <> '')
);
CREATE INDEX observations_job ON observations (job_id, topic, recorded_at);
CREATE TRIGGER observations_fixed BEFORE UPDATE OR DELETE ON observations FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TABLE stops (
  id uuid PRIMARY KEY,
  job_id uuid NOT NULL REFERENCES jobs(id),
  kind text NOT NULL,
  place text NOT NULL DEFAULT '',
  note text NOT NULL DEFAULT '',
  person_id uuid NOT NULL REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz,
  ended_by uuid REFERENCES people(id),
  end_reason text NOT NULL DEFAULT '',
  CHECK (ended_at IS NULL OR end_reason <> '')
);
CREATE INDEX stops_open ON stops (job_id) WHERE ended_at IS NULL;
ALTER TABLE people ADD COLUMN glove_class text CHECK (glove_class IN ('00','0','1','2'));
ALTER TABLE people ADD COLUMN glove_tested date;
`,
  },
  {
    name: '004-readings-uncompressed',
    // Doubles do not compress: trying to costs more than half the time of storing them.
    sql: `ALTER TABLE scan_chunks ALTER COLUMN "values" SET STORAGE EXTERNAL;`,
  },
  {
    name: '005-versions-instruments-order',
    sql: `
CREATE TABLE pack_profile_versions (
  profile_id uuid NOT NULL REFERENCES pack_profiles(id),
  version int NOT NULL CHECK (version > 0),
  profile jsonb NOT NULL,
  person_id uuid REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (profile_id, version)
);
CREATE TRIGGER pack_profile_versions_fixed BEFORE UPDATE OR DELETE ON pack_profile_versions FOR EACH ROW EXECUTE FUNCTION refuse_change();
ALTER TABLE findings ADD COLUMN profile_version int;
ALTER TABLE observations ADD COLUMN seq bigint GENERATED ALWAYS AS IDENTITY;
CREATE INDEX observations_order ON observations (job_id, topic, seq);
ALTER TABLE stops ADD COLUMN outputs jsonb NOT NULL DEFAULT '[]';
CREATE TABLE instruments (
  id uuid PRIMARY KEY,
  name text NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 120),
  kind text NOT NULL,
  driver text NOT NULL,
  host text NOT NULL,
  port int NOT NULL CHECK (port BETWEEN 0 AND 65535),
  serial text NOT NULL DEFAULT '',
  most_v double precision NOT NULL CHECK (most_v > 0),
  calibrated_until date,
  simulated boolean NOT NULL DEFAULT false,
  time_scale double precision NOT NULL DEFAULT 1 CHECK (time_scale > 0),
  identity text NOT NULL DEFAULT '',
  last_seen timestamptz,
  retired_at timestamptz,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE instrument_runs (
  id uuid PRIMARY KEY,
  key uuid NOT NULL UNIQUE,
  instrument_id uuid NOT NULL REFERENCES instruments(id),
  job_id uuid NOT NULL REFERENCES jobs(id),
  person_id uuid NOT NULL REFERENCES people(id),
  parameters jsonb NOT NULL,
  state text NOT NULL CHECK (state IN ('running','done','asked','interrupted')),
  output text NOT NULL CHECK (output IN ('on','off','unknown')),
  why text NOT NULL DEFAULT '',
  points jsonb,
  started_at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz
);
CREATE INDEX instrument_runs_open ON instrument_runs (instrument_id) WHERE state = 'running' OR output <> 'off';
CREATE INDEX instrument_runs_job ON instrument_runs (job_id, started_at DESC);
`,
    // Limits get their keys, and every profile begins its history with what it is now.
    after: async (sequelize, transaction) => {
      const rows = await sequelize.query<{ id: string; profile: unknown }>(
        'SELECT id, profile FROM pack_profiles',
        { type: QueryTypes.SELECT, transaction },
      );
      for (const { id, profile } of rows)
        await sequelize.query('UPDATE pack_profiles SET profile = $2 WHERE id = $1', {
          bind: [id, JSON.stringify(modernProfile(profile))],
          transaction,
        });
      await sequelize.query(
        'INSERT INTO pack_profile_versions (profile_id, version, profile, at) SELECT id, version, profile, updated_at FROM pack_profiles ON CONFLICT DO NOTHING',
        { transaction },
      );
      // From here on the database keeps every version itself, and refuses a change without a new one.
      await sequelize.query(
        `
CREATE FUNCTION keep_profile_version() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'UPDATE' AND NEW.profile IS DISTINCT FROM OLD.profile AND NEW.version <= OLD.version THEN
    RAISE EXCEPTION 'a changed profile is a new version' USING ERRCODE = 'restrict_violation';
  END IF;
  INSERT INTO pack_profile_versions (profile_id, version, profile) VALUES (NEW.id, NEW.version, NEW.profile)
  ON CONFLICT (profile_id, version) DO NOTHING;
  RETURN NEW;
END $$;
CREATE TRIGGER pack_profiles_kept AFTER INSERT OR UPDATE ON pack_profiles FOR EACH ROW EXECUTE FUNCTION keep_profile_version();`,
        { transaction },
      );
    },
  },
  recordOfParts,
  {
    name: '007-keys-know-their-entry',
    // Null for keys from before: what they belong to was not kept.
    sql: 'ALTER TABLE idempotency_keys ADD COLUMN entry_sha256 text;',
  },
  chainAndRights,
  {
    name: '009-photographs',
    // JPEG does not compress. Whoever took it and of what is an observation; that names the sum.
    sql: `
CREATE TABLE photo_files (
  sha256 text PRIMARY KEY CHECK (sha256 ~ '^[0-9a-f]{64}$'),
  bytes bytea NOT NULL CHECK (octet_length(bytes) BETWEEN 1 AND 8388608),
  small bytea NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE photo_files ALTER COLUMN bytes SET STORAGE EXTERNAL, ALTER COLUMN small SET STORAGE EXTERNAL;
CREATE TRIGGER photo_files_fixed BEFORE UPDATE OR DELETE ON photo_files FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER photo_files_kept BEFORE TRUNCATE ON photo_files FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();`,
  },
  {
    name: '010-bench-runs',
    // As they came, compressed; who ran what is an observation that names the sum.
    sql: `
CREATE TABLE run_files (
  sha256 text PRIMARY KEY CHECK (sha256 ~ '^[0-9a-f]{64}$'),
  bytes bytea NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE run_files ALTER COLUMN bytes SET STORAGE EXTERNAL;
CREATE TRIGGER run_files_fixed BEFORE UPDATE OR DELETE ON run_files FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER run_files_kept BEFORE TRUNCATE ON run_files FOR EACH STATEMENT EXECUTE FUNCTION refuse_change();`,
  },
  {
    name: '011-versions-since-their-profile',
    // A version is from when its profile was saved, also where it was saved elsewhere and is taken in here.
    sql: `
CREATE OR REPLACE FUNCTION keep_profile_version() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'UPDATE' AND NEW.profile IS DISTINCT FROM OLD.profile AND NEW.version <= OLD.version THEN
    RAISE EXCEPTION 'a changed profile is a new version' USING ERRCODE = 'restrict_violation';
  END IF;
  INSERT INTO pack_profile_versions (profile_id, version, profile, at) VALUES (NEW.id, NEW.version, NEW.profile, coalesce(NEW.updated_at, now()))
  ON CONFLICT (profile_id, version) DO NOTHING;
  RETURN NEW;
END $$;`,
  },
  benchControl,
  longCourses,
  readers,
  unknownOutputs,
  elsewhere,
  guards,
  chainWaiting,
];
