import type { Migration } from './migration';

/** Things with an identity, one store of observations, findings that are due: everything of before is kept. */
export const recordOfParts: Migration = {
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
};
