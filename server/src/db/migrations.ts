import { modernProfile } from '@cellmend/core/pack';
import { QueryTypes, type Sequelize } from 'sequelize';

/** A schema change: its SQL, then what SQL alone cannot say. */
export interface Migration {
  name: string;
  sql: string;
  after?: (sequelize: Sequelize) => Promise<void>;
}

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
    after: async (sequelize) => {
      const rows = await sequelize.query<{ id: string; profile: unknown }>(
        'SELECT id, profile FROM pack_profiles',
        { type: QueryTypes.SELECT },
      );
      for (const { id, profile } of rows)
        await sequelize.query('UPDATE pack_profiles SET profile = $2 WHERE id = $1', {
          bind: [id, JSON.stringify(modernProfile(profile))],
        });
      await sequelize.query(
        'INSERT INTO pack_profile_versions (profile_id, version, profile, at) SELECT id, version, profile, updated_at FROM pack_profiles ON CONFLICT DO NOTHING',
      );
      // From here on the database keeps every version itself, and refuses a change without a new one.
      await sequelize.query(`
CREATE FUNCTION keep_profile_version() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  IF TG_OP = 'UPDATE' AND NEW.profile IS DISTINCT FROM OLD.profile AND NEW.version <= OLD.version THEN
    RAISE EXCEPTION 'a changed profile is a new version' USING ERRCODE = 'restrict_violation';
  END IF;
  INSERT INTO pack_profile_versions (profile_id, version, profile) VALUES (NEW.id, NEW.version, NEW.profile)
  ON CONFLICT (profile_id, version) DO NOTHING;
  RETURN NEW;
END $$;
CREATE TRIGGER pack_profiles_kept AFTER INSERT OR UPDATE ON pack_profiles FOR EACH ROW EXECUTE FUNCTION keep_profile_version();`);
    },
  },
  {
    name: '006-record-of-parts',
    sql: `
CREATE TABLE vehicles (
  id uuid PRIMARY KEY,
  name text NOT NULL CHECK (length(name) BETWEEN 1 AND 120),
  plate text CHECK (length(plate) BETWEEN 1 AND 40),
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX vehicles_plate ON vehicles (lower(plate));
CREATE SEQUENCE pack_numbers;
CREATE TABLE packs (
  id uuid PRIMARY KEY,
  label text NOT NULL UNIQUE DEFAULT 'P' || lpad(nextval('pack_numbers')::text, 3, '0'),
  profile_id uuid NOT NULL REFERENCES pack_profiles(id),
  created_at timestamptz NOT NULL DEFAULT now()
);
-- Which vehicle a pack is in; the newest line counts, and none where it stands by itself.
CREATE TABLE pack_fittings (
  seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  pack_id uuid NOT NULL REFERENCES packs(id),
  vehicle_id uuid REFERENCES vehicles(id),
  job_id uuid REFERENCES jobs(id),
  person_id uuid REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX pack_fittings_vehicle ON pack_fittings (vehicle_id, seq DESC);
CREATE INDEX pack_fittings_pack ON pack_fittings (pack_id, seq DESC);
CREATE TRIGGER pack_fittings_fixed BEFORE UPDATE OR DELETE ON pack_fittings FOR EACH ROW EXECUTE FUNCTION refuse_change();
-- Every job of before gets the vehicle and the pack it was about.
ALTER TABLE jobs ADD COLUMN vehicle_id uuid, ADD COLUMN pack_id uuid;
UPDATE jobs SET vehicle_id = gen_random_uuid(), pack_id = gen_random_uuid();
INSERT INTO vehicles (id, name, created_at) SELECT vehicle_id, title, opened_at FROM jobs;
INSERT INTO packs (id, profile_id, created_at) SELECT pack_id, pack_profile_id, opened_at FROM jobs ORDER BY number;
INSERT INTO pack_fittings (pack_id, vehicle_id, job_id, at) SELECT pack_id, vehicle_id, id, opened_at FROM jobs ORDER BY number;
ALTER TABLE jobs ADD FOREIGN KEY (vehicle_id) REFERENCES vehicles(id), ADD FOREIGN KEY (pack_id) REFERENCES packs(id);
ALTER TABLE jobs ALTER COLUMN pack_id SET NOT NULL, DROP COLUMN pack_profile_id;
CREATE INDEX jobs_pack ON jobs (pack_id);
CREATE INDEX packs_profile ON packs (profile_id);

CREATE SEQUENCE part_numbers START 100;
CREATE TABLE parts (
  id uuid PRIMARY KEY,
  label text NOT NULL UNIQUE CHECK (length(label) BETWEEN 1 AND 40),
  kind text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE part_facts (
  part_id uuid NOT NULL REFERENCES parts(id),
  version int NOT NULL CHECK (version > 0),
  facts jsonb NOT NULL,
  reason text NOT NULL DEFAULT '',
  person_id uuid REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (part_id, version),
  CHECK (version = 1 OR reason <> '')
);
CREATE TABLE placements (
  id uuid PRIMARY KEY,
  seq bigint GENERATED ALWAYS AS IDENTITY UNIQUE,
  part_id uuid NOT NULL REFERENCES parts(id),
  kind text NOT NULL CHECK (kind IN ('pack','shelf','bench','quarantine','scrapped','returned','sold')),
  pack_id uuid REFERENCES packs(id),
  place text NOT NULL DEFAULT '',
  job_id uuid REFERENCES jobs(id),
  reason text NOT NULL DEFAULT '',
  proof text NOT NULL DEFAULT '',
  person_id uuid REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now(),
  CHECK ((kind = 'pack') = (pack_id IS NOT NULL)),
  CHECK (kind <> 'pack' OR place <> ''),
  CHECK (kind NOT IN ('scrapped','returned','sold') OR (reason <> '' AND proof <> ''))
);
CREATE INDEX placements_part ON placements (part_id, seq DESC);
CREATE INDEX placements_pack ON placements (pack_id, place, seq DESC);
CREATE INDEX placements_job ON placements (job_id);
CREATE VIEW current_placements AS SELECT DISTINCT ON (part_id) * FROM placements ORDER BY part_id, seq DESC;
CREATE TABLE reservations (
  id uuid PRIMARY KEY,
  part_id uuid NOT NULL REFERENCES parts(id),
  job_id uuid NOT NULL REFERENCES jobs(id),
  place text NOT NULL,
  person_id uuid REFERENCES people(id),
  at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz
);
CREATE UNIQUE INDEX reservations_one ON reservations (part_id) WHERE ended_at IS NULL;
CREATE INDEX reservations_job ON reservations (job_id);
CREATE TRIGGER part_facts_fixed BEFORE UPDATE OR DELETE ON part_facts FOR EACH ROW EXECUTE FUNCTION refuse_change();
CREATE TRIGGER placements_fixed BEFORE UPDATE OR DELETE ON placements FOR EACH ROW EXECUTE FUNCTION refuse_change();

-- One store of what was seen and measured.
ALTER TABLE observations DISABLE TRIGGER observations_fixed;
ALTER TABLE observations DROP CONSTRAINT observations_topic_check;
ALTER TABLE observations ALTER COLUMN job_id DROP NOT NULL, ALTER COLUMN person_id DROP NOT NULL;
ALTER TABLE observations
  ADD COLUMN part_id uuid REFERENCES parts(id),
  ADD COLUMN subject_kind text NOT NULL DEFAULT 'pack' CHECK (subject_kind IN ('pack','place','channel','part','vehicle')),
  ADD COLUMN subject text NOT NULL DEFAULT '',
  ADD COLUMN instrument text NOT NULL DEFAULT '',
  ADD COLUMN conditions text NOT NULL DEFAULT '',
  ADD COLUMN stage text NOT NULL DEFAULT '',
  ADD COLUMN observed_at timestamptz;
UPDATE observations SET observed_at = recorded_at, stage = topic;
ALTER TABLE observations ALTER COLUMN observed_at SET DEFAULT now(), ALTER COLUMN observed_at SET NOT NULL;
ALTER TABLE observations ADD CHECK (job_id IS NOT NULL OR part_id IS NOT NULL);
INSERT INTO observations (id, job_id, topic, kind, data, person_id, recorded_at, supersedes, reason, subject_kind, subject, instrument, conditions, stage, observed_at)
  SELECT r.id, r.job_id, 'reading', r.kind, jsonb_build_object('value', r.value, 'text', r.text), r.person_id, r.recorded_at, r.supersedes, r.reason,
    CASE WHEN r.place = '' THEN 'pack'
         WHEN EXISTS (SELECT 1 FROM jsonb_array_elements(f.profile->'channels') c WHERE c->>'id' = r.place) THEN 'channel'
         ELSE 'place' END,
    r.place, r.instrument, r.conditions, r.stage, r.observed_at
  FROM readings r JOIN jobs j ON j.id = r.job_id JOIN packs p ON p.id = j.pack_id JOIN pack_profiles f ON f.id = p.profile_id
  ORDER BY r.recorded_at, (r.supersedes IS NOT NULL), r.id;
DROP TABLE readings;
-- The shelf of before: each module a part, its figures observations of it.
INSERT INTO parts (id, label, kind, created_at) SELECT id, label, 'module', created_at FROM stock_modules;
INSERT INTO part_facts (part_id, version, facts, at)
  SELECT id, 1, facts - 'capacityAh' - 'resistanceMilliohm' - 'restVoltageV' - 'temperatureC' - 'insulationOhm', created_at FROM stock_modules;
INSERT INTO placements (id, part_id, kind, at) SELECT gen_random_uuid(), id, 'shelf', created_at FROM stock_modules ORDER BY label;
INSERT INTO observations (id, topic, kind, data, part_id, subject_kind, recorded_at, observed_at)
  SELECT gen_random_uuid(), 'reading', k.kind, jsonb_build_object('value', (s.facts->>k.field)::float8 * k.factor, 'text', '', 'temperatureC', s.facts->'temperatureC'),
    s.id, 'part', s.created_at, s.created_at
  FROM stock_modules s CROSS JOIN (VALUES ('capacity','capacityAh',1.0),('resistance','resistanceMilliohm',0.001),('voltage','restVoltageV',1.0),('insulation','insulationOhm',1.0)) AS k(kind, field, factor)
  WHERE s.facts->>k.field IS NOT NULL ORDER BY s.label, k.kind;
DROP TABLE stock_modules;
ALTER TABLE observations ENABLE TRIGGER observations_fixed;
CREATE INDEX observations_kind ON observations (job_id, topic, kind, subject, observed_at DESC);
CREATE INDEX observations_stage ON observations (job_id, stage);
CREATE INDEX observations_newest ON observations (job_id, topic, recorded_at DESC);
CREATE INDEX observations_part ON observations (part_id, kind, observed_at DESC) WHERE part_id IS NOT NULL;

-- A decision is a list of measures; what was signed as one repair keeps its words and counts as the list of that name.
ALTER TABLE decisions DISABLE TRIGGER decisions_fixed;
UPDATE decisions SET topic = 'measures' WHERE topic = 'replace';
ALTER TABLE decisions ENABLE TRIGGER decisions_fixed;
-- What the board and the route need of a finding, without its whole result.
ALTER TABLE findings ADD COLUMN subject text NOT NULL DEFAULT '', ADD COLUMN digest jsonb;
CREATE INDEX findings_subject ON findings (job_id, topic, subject, created_at DESC);
ALTER TABLE findings DISABLE TRIGGER findings_fixed;
UPDATE findings SET subject = coalesce(CASE topic WHEN 'spread' THEN parameters->>'role' WHEN 'match' THEN parameters->>'moduleId' WHEN 'balance' THEN parameters->>'stockId' END, '');
ALTER TABLE findings ENABLE TRIGGER findings_fixed;
-- Vehicles that are being read, and by which server process.
CREATE TABLE live_sessions (
  job_id uuid PRIMARY KEY REFERENCES jobs(id),
  address text NOT NULL,
  started_at timestamptz NOT NULL DEFAULT now(),
  beat_at timestamptz NOT NULL DEFAULT now()
);
-- Findings that the record has outrun; whoever claims one computes it, outside every write.
CREATE TABLE due_findings (
  job_id uuid NOT NULL REFERENCES jobs(id),
  topic text NOT NULL,
  subject text NOT NULL DEFAULT '',
  version int NOT NULL DEFAULT 1,
  person_id uuid NOT NULL REFERENCES people(id),
  asked_at timestamptz NOT NULL DEFAULT now(),
  claimed_until timestamptz,
  failed text NOT NULL DEFAULT '',
  PRIMARY KEY (job_id, topic, subject)
);
`,
  },
];
