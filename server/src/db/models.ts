import type { DecisionBody, Stage } from '@cellmend/contract/jobs';
import type { DriverId, Output } from '@cellmend/contract/instruments';
import type { SeriesPoint } from '@cellmend/core/insulation';
import type { GloveClass, StopKind } from '@cellmend/core/safety';
import type { FileFormat } from '@cellmend/contract/scans';
import type { PackProfile } from '@cellmend/core/pack';
import type { ColumnMapping } from '@cellmend/core/scan';
import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type ModelStatic,
  type Sequelize,
} from 'sequelize';

type Row<M extends Model> = Model<InferAttributes<M>, InferCreationAttributes<M>>;
// Sequelize writes into what it is given: every column gets its own object.
const uuid = () => ({ type: DataTypes.UUID, primaryKey: true });
const now = () => ({ type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW });

export interface PersonRow extends Row<PersonRow> {
  id: string;
  name: string;
  role: 'technician' | 'lead' | 'viewer';
  hvLevel: number;
  hvUntil: string | null;
  passwordHash: string;
  demo: CreationOptional<boolean>;
  gloveClass: CreationOptional<GloveClass | null>;
  gloveTested: CreationOptional<string | null>;
}
export interface PackProfileRow extends Row<PackProfileRow> {
  id: string;
  name: string;
  profile: PackProfile;
  version: CreationOptional<number>;
  updatedAt: CreationOptional<Date>;
}
/** A profile as it once was; never changed. */
export interface PackProfileVersionRow extends Row<PackProfileVersionRow> {
  profileId: string;
  version: number;
  profile: PackProfile;
  personId: string | null;
  at: CreationOptional<Date>;
}
export interface InstrumentRow extends Row<InstrumentRow> {
  id: string;
  name: string;
  kind: 'insulation-tester';
  driver: DriverId;
  host: string;
  port: number;
  serial: CreationOptional<string>;
  mostV: number;
  calibratedUntil: CreationOptional<string | null>;
  simulated: CreationOptional<boolean>;
  timeScale: CreationOptional<number>;
  identity: CreationOptional<string>;
  lastSeen: CreationOptional<Date | null>;
  retiredAt: CreationOptional<Date | null>;
}
export interface InstrumentRunRow extends Row<InstrumentRunRow> {
  id: string;
  key: string;
  instrumentId: string;
  jobId: string;
  personId: string;
  parameters: Record<string, unknown>;
  state: 'running' | 'done' | 'asked' | 'interrupted';
  output: Output;
  why: CreationOptional<string>;
  points: CreationOptional<SeriesPoint[] | null>;
  startedAt: CreationOptional<Date>;
  endedAt: CreationOptional<Date | null>;
}
export interface JobRow extends Row<JobRow> {
  id: string;
  number: CreationOptional<number>;
  title: string;
  complaint: string;
  packProfileId: string;
  demoFiles: CreationOptional<string[]>;
  openedAt: CreationOptional<Date>;
  closedAt: CreationOptional<Date | null>;
  /** What the job board shows: kept with every write so that the board is one indexed query. */
  need: CreationOptional<string>;
  needDetail: CreationOptional<string>;
  needStage: CreationOptional<Stage>;
  needSince: CreationOptional<Date>;
  dueAt: CreationOptional<Date | null>;
  marks: CreationOptional<{ module: number; kind: 'suspect' | 'replaced' }[]>;
}
export interface ScanRow extends Row<ScanRow> {
  id: string;
  jobId: string;
  name: string;
  role: 'before' | 'after';
  channelIds: string[];
  simultaneous: boolean;
  rowCount: number;
  durationS: number;
  notices: string[];
  sourceSha256: string;
  /** When the record began, as the file or whoever took it in says. */
  startedAt: Date | null;
  format: CreationOptional<FileFormat>;
  personId: string;
  createdAt: CreationOptional<Date>;
}
export interface ScanPictureRow extends Row<ScanPictureRow> {
  scanId: string;
  picture: unknown;
}
export interface HeadingRow extends Row<HeadingRow> {
  key: string;
  names: string[];
  mapping: ColumnMapping;
  personId: string;
  updatedAt: CreationOptional<Date>;
}
export interface DefinitionRow extends Row<DefinitionRow> {
  id: string;
  name: string;
  kind: 'dbc' | 'uds';
  text: string;
  signals: number;
  personId: string;
}
export interface ScanChunkRow extends Row<ScanChunkRow> {
  scanId: string;
  signal: string;
  part: number;
  count: number;
  low: number | null;
  high: number | null;
  values: Buffer;
}
export interface ScanSourceRow extends Row<ScanSourceRow> {
  scanId: string;
  part: number;
  bytes: Buffer;
}
/** What was observed in a shape of its own: a step of the lock-out, an insulation test. Never changed. */
export interface ObservationRow extends Row<ObservationRow> {
  id: string;
  jobId: string;
  topic: 'make-safe' | 'insulation';
  kind: string;
  data: unknown;
  personId: string;
  recordedAt: CreationOptional<Date>;
  supersedes: string | null;
  reason: string;
  /** Order of entry, by the database. */
  seq: CreationOptional<string>;
}
export interface StopRow extends Row<StopRow> {
  id: string;
  jobId: string;
  kind: StopKind;
  place: string;
  note: string;
  personId: string;
  at: CreationOptional<Date>;
  endedAt: CreationOptional<Date | null>;
  endedBy: CreationOptional<string | null>;
  endReason: CreationOptional<string>;
  outputs: CreationOptional<{ instrument: string; output: 'off' | 'unknown' }[]>;
}
export interface ReadingRow extends Row<ReadingRow> {
  id: string;
  jobId: string;
  kind: string;
  place: string;
  value: number | null;
  unit: string;
  text: string;
  instrument: string;
  conditions: string;
  stage: Stage;
  observedAt: Date;
  recordedAt: CreationOptional<Date>;
  personId: string;
  supersedes: string | null;
  reason: string;
}
export interface FindingRow extends Row<FindingRow> {
  id: string;
  jobId: string;
  topic: string;
  coreVersion: string;
  profileVersion: number | null;
  inputIds: string[];
  parameters: Record<string, unknown>;
  result: unknown;
  headline: string;
  createdAt: CreationOptional<Date>;
}
export interface DecisionRow extends Row<DecisionRow> {
  id: string;
  jobId: string;
  topic: DecisionBody['topic'];
  version: number;
  body: DecisionBody;
  note: string;
  findingIds: string[];
  personId: string;
  signedAt: CreationOptional<Date>;
}
export interface StockRow extends Row<StockRow> {
  id: string;
  label: string;
  facts: Record<string, unknown>;
}
export interface ClockRow extends Row<ClockRow> {
  id: string;
  jobId: string | null;
  label: string;
  kind: string;
  stage: Stage;
  startedAt: CreationOptional<Date>;
  endsAt: Date;
  doneAt: CreationOptional<Date | null>;
  personId: string;
}
export interface AuditRow extends Row<AuditRow> {
  id: CreationOptional<string>;
  at: CreationOptional<Date>;
  jobId: string | null;
  personId: string | null;
  what: string;
  subject: string;
  detail: string;
}

export interface Models {
  Person: ModelStatic<PersonRow>;
  PackProfile: ModelStatic<PackProfileRow>;
  PackProfileVersion: ModelStatic<PackProfileVersionRow>;
  Instrument: ModelStatic<InstrumentRow>;
  InstrumentRun: ModelStatic<InstrumentRunRow>;
  Job: ModelStatic<JobRow>;
  Scan: ModelStatic<ScanRow>;
  ScanChunk: ModelStatic<ScanChunkRow>;
  ScanSource: ModelStatic<ScanSourceRow>;
  ScanPicture: ModelStatic<ScanPictureRow>;
  Heading: ModelStatic<HeadingRow>;
  Definition: ModelStatic<DefinitionRow>;
  Observation: ModelStatic<ObservationRow>;
  Stop: ModelStatic<StopRow>;
  Reading: ModelStatic<ReadingRow>;
  Finding: ModelStatic<FindingRow>;
  Decision: ModelStatic<DecisionRow>;
  Stock: ModelStatic<StockRow>;
  Clock: ModelStatic<ClockRow>;
  Audit: ModelStatic<AuditRow>;
}

/** Declares every table to Sequelize; the migrations make them. */
export function defineModels(sequelize: Sequelize): Models {
  const table = <M extends Model>(name: string, attributes: object): ModelStatic<M> =>
    sequelize.define(name, attributes as never, {
      tableName: name,
      timestamps: false,
      underscored: true,
    }) as unknown as ModelStatic<M>;
  const T = DataTypes;
  return {
    Person: table('people', {
      id: uuid(),
      name: T.TEXT,
      role: T.TEXT,
      hvLevel: T.INTEGER,
      hvUntil: T.DATEONLY,
      passwordHash: T.TEXT,
      demo: { type: T.BOOLEAN, defaultValue: false },
      gloveClass: T.TEXT,
      gloveTested: T.DATEONLY,
    }),
    PackProfile: table('pack_profiles', {
      id: uuid(),
      name: T.TEXT,
      profile: T.JSONB,
      version: { type: T.INTEGER, defaultValue: 1 },
      updatedAt: now(),
    }),
    PackProfileVersion: table('pack_profile_versions', {
      profileId: uuid(),
      version: { type: T.INTEGER, primaryKey: true },
      profile: T.JSONB,
      personId: T.UUID,
      at: now(),
    }),
    Instrument: table('instruments', {
      id: uuid(),
      name: T.TEXT,
      kind: T.TEXT,
      driver: T.TEXT,
      host: T.TEXT,
      port: T.INTEGER,
      serial: { type: T.TEXT, defaultValue: '' },
      mostV: T.DOUBLE,
      calibratedUntil: T.DATEONLY,
      simulated: { type: T.BOOLEAN, defaultValue: false },
      timeScale: { type: T.DOUBLE, defaultValue: 1 },
      identity: { type: T.TEXT, defaultValue: '' },
      lastSeen: T.DATE,
      retiredAt: T.DATE,
    }),
    InstrumentRun: table('instrument_runs', {
      id: uuid(),
      key: T.UUID,
      instrumentId: T.UUID,
      jobId: T.UUID,
      personId: T.UUID,
      parameters: T.JSONB,
      state: T.TEXT,
      output: T.TEXT,
      why: { type: T.TEXT, defaultValue: '' },
      points: T.JSONB,
      startedAt: now(),
      endedAt: T.DATE,
    }),
    Job: table('jobs', {
      id: uuid(),
      number: { type: T.INTEGER },
      title: T.TEXT,
      complaint: T.TEXT,
      packProfileId: T.UUID,
      demoFiles: { type: T.JSONB, defaultValue: [] },
      openedAt: now(),
      closedAt: T.DATE,
      need: { type: T.TEXT, defaultValue: 'Scan' },
      needDetail: { type: T.TEXT, defaultValue: '' },
      needStage: { type: T.TEXT, defaultValue: 'scan' },
      needSince: now(),
      dueAt: T.DATE,
      marks: { type: T.JSONB, defaultValue: [] },
    }),
    Scan: table('scans', {
      id: uuid(),
      jobId: T.UUID,
      name: T.TEXT,
      role: T.TEXT,
      channelIds: T.JSONB,
      simultaneous: T.BOOLEAN,
      rowCount: T.INTEGER,
      durationS: T.DOUBLE,
      notices: T.JSONB,
      sourceSha256: { type: T.TEXT, field: 'source_sha256' },
      startedAt: T.DATE,
      format: { type: T.TEXT, defaultValue: 'table' },
      personId: T.UUID,
      createdAt: now(),
    }),
    ScanChunk: table('scan_chunks', {
      scanId: { type: T.UUID, primaryKey: true },
      signal: { type: T.TEXT, primaryKey: true },
      part: { type: T.INTEGER, primaryKey: true },
      count: T.INTEGER,
      low: T.DOUBLE,
      high: T.DOUBLE,
      values: T.BLOB,
    }),
    ScanSource: table('scan_sources', {
      scanId: { type: T.UUID, primaryKey: true },
      part: { type: T.INTEGER, primaryKey: true },
      bytes: T.BLOB,
    }),
    ScanPicture: table('scan_pictures', { scanId: { type: T.UUID, primaryKey: true }, picture: T.JSONB }),
    Heading: table('scan_headings', {
      key: { type: T.TEXT, primaryKey: true },
      names: T.JSONB,
      mapping: T.JSONB,
      personId: T.UUID,
      updatedAt: now(),
    }),
    Definition: table('signal_definitions', {
      id: uuid(),
      name: T.TEXT,
      kind: T.TEXT,
      text: T.TEXT,
      signals: T.INTEGER,
      personId: T.UUID,
    }),
    Observation: table('observations', {
      id: uuid(),
      jobId: T.UUID,
      topic: T.TEXT,
      kind: T.TEXT,
      data: T.JSONB,
      personId: T.UUID,
      recordedAt: now(),
      supersedes: T.UUID,
      reason: { type: T.TEXT, defaultValue: '' },
      // Made by the database, never sent to it.
      seq: { type: T.BIGINT, autoIncrement: true },
    }),
    Stop: table('stops', {
      id: uuid(),
      jobId: T.UUID,
      kind: T.TEXT,
      place: T.TEXT,
      note: T.TEXT,
      personId: T.UUID,
      at: now(),
      endedAt: T.DATE,
      endedBy: T.UUID,
      endReason: { type: T.TEXT, defaultValue: '' },
      outputs: { type: T.JSONB, defaultValue: [] },
    }),
    Reading: table('readings', {
      id: uuid(),
      jobId: T.UUID,
      kind: T.TEXT,
      place: T.TEXT,
      value: T.DOUBLE,
      unit: T.TEXT,
      text: T.TEXT,
      instrument: T.TEXT,
      conditions: T.TEXT,
      stage: T.TEXT,
      observedAt: T.DATE,
      recordedAt: now(),
      personId: T.UUID,
      supersedes: T.UUID,
      reason: T.TEXT,
    }),
    Finding: table('findings', {
      id: uuid(),
      jobId: T.UUID,
      topic: T.TEXT,
      coreVersion: T.TEXT,
      profileVersion: T.INTEGER,
      inputIds: T.JSONB,
      parameters: T.JSONB,
      result: T.JSONB,
      headline: T.TEXT,
      createdAt: now(),
    }),
    Decision: table('decisions', {
      id: uuid(),
      jobId: T.UUID,
      topic: T.TEXT,
      version: T.INTEGER,
      body: T.JSONB,
      note: T.TEXT,
      findingIds: T.JSONB,
      personId: T.UUID,
      signedAt: now(),
    }),
    Stock: table('stock_modules', { id: uuid(), label: T.TEXT, facts: T.JSONB }),
    Clock: table('clocks', {
      id: uuid(),
      jobId: T.UUID,
      label: T.TEXT,
      kind: T.TEXT,
      stage: T.TEXT,
      startedAt: now(),
      endsAt: T.DATE,
      doneAt: T.DATE,
      personId: T.UUID,
    }),
    Audit: table('audit', {
      id: { type: T.BIGINT, primaryKey: true, autoIncrement: true },
      at: now(),
      jobId: T.UUID,
      personId: T.UUID,
      what: T.TEXT,
      subject: T.TEXT,
      detail: T.TEXT,
    }),
  };
}
