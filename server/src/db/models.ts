import { DataTypes, type Model, type ModelStatic, type Sequelize } from 'sequelize';
import type {
  PersonRow,
  PackProfileRow,
  PackProfileVersionRow,
  InstrumentRow,
  InstrumentRunRow,
  JobRow,
  ScanRow,
  ScanPictureRow,
  HeadingRow,
  DefinitionRow,
  ScanChunkRow,
  ScanSourceRow,
  ObservationRow,
  StopRow,
  FindingRow,
  DecisionRow,
  PartRow,
  PartFactsRow,
  PlacementRow,
  ReservationRow,
  VehicleRow,
  PackRow,
  PackFittingRow,
  ClockRow,
  AuditRow,
} from './rows';

// Sequelize writes into what it is given: every column gets its own object.
const uuid = () => ({ type: DataTypes.UUID, primaryKey: true });
const now = () => ({ type: DataTypes.DATE, allowNull: false, defaultValue: DataTypes.NOW });

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
  Finding: ModelStatic<FindingRow>;
  Decision: ModelStatic<DecisionRow>;
  Part: ModelStatic<PartRow>;
  PartFacts: ModelStatic<PartFactsRow>;
  Placement: ModelStatic<PlacementRow>;
  Reservation: ModelStatic<ReservationRow>;
  Vehicle: ModelStatic<VehicleRow>;
  Pack: ModelStatic<PackRow>;
  PackFitting: ModelStatic<PackFittingRow>;
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
      endedAt: T.DATE,
      elsewhere: T.TEXT,
      hvIssuer: { type: T.TEXT, defaultValue: '' },
      hvNumber: { type: T.TEXT, defaultValue: '' },
      hvSelfDeclared: { type: T.BOOLEAN, defaultValue: false },
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
      mostA: T.DOUBLE,
      ohm: T.DOUBLE,
      readsWith: T.UUID,
      calibratedUntil: T.DATEONLY,
      simulated: { type: T.BOOLEAN, defaultValue: false },
      timeScale: { type: T.DOUBLE, defaultValue: 1 },
      identity: { type: T.TEXT, defaultValue: '' },
      lastSeen: T.DATE,
      retiredAt: T.DATE,
      unknownSince: T.DATE,
      unknownWhy: { type: T.TEXT, defaultValue: '' },
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
      control: T.JSONB,
      continues: T.UUID,
      keptSha256: { type: T.TEXT, field: 'kept_sha256' },
      startedAt: now(),
      endedAt: T.DATE,
    }),
    Job: table('jobs', {
      id: uuid(),
      number: { type: T.INTEGER },
      title: T.TEXT,
      complaint: T.TEXT,
      vehicleId: T.UUID,
      packId: T.UUID,
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
      partId: T.UUID,
      topic: T.TEXT,
      kind: T.TEXT,
      data: T.JSONB,
      subjectKind: { type: T.TEXT, defaultValue: 'pack' },
      subject: { type: T.TEXT, defaultValue: '' },
      instrument: { type: T.TEXT, defaultValue: '' },
      conditions: { type: T.TEXT, defaultValue: '' },
      stage: { type: T.TEXT, defaultValue: '' },
      observedAt: now(),
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
    Finding: table('findings', {
      id: uuid(),
      jobId: T.UUID,
      topic: T.TEXT,
      subject: { type: T.TEXT, defaultValue: '' },
      digest: T.JSONB,
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
    Part: table('parts', { id: uuid(), label: T.TEXT, kind: T.TEXT, createdAt: now() }),
    PartFacts: table('part_facts', {
      partId: uuid(),
      version: { type: T.INTEGER, primaryKey: true },
      facts: T.JSONB,
      reason: { type: T.TEXT, defaultValue: '' },
      personId: T.UUID,
      at: now(),
    }),
    Placement: table('placements', {
      id: uuid(),
      seq: { type: T.BIGINT, autoIncrement: true },
      partId: T.UUID,
      kind: T.TEXT,
      packId: T.UUID,
      place: { type: T.TEXT, defaultValue: '' },
      jobId: T.UUID,
      reason: { type: T.TEXT, defaultValue: '' },
      proof: { type: T.TEXT, defaultValue: '' },
      personId: T.UUID,
      at: now(),
    }),
    Reservation: table('reservations', {
      id: uuid(),
      partId: T.UUID,
      jobId: T.UUID,
      place: T.TEXT,
      personId: T.UUID,
      at: now(),
      endedAt: T.DATE,
    }),
    Vehicle: table('vehicles', { id: uuid(), name: T.TEXT, plate: T.TEXT, createdAt: now() }),
    Pack: table('packs', { id: uuid(), label: T.TEXT, profileId: T.UUID, createdAt: now() }),
    PackFitting: table('pack_fittings', {
      seq: { type: T.BIGINT, primaryKey: true, autoIncrement: true },
      packId: T.UUID,
      vehicleId: T.UUID,
      jobId: T.UUID,
      personId: T.UUID,
      at: now(),
    }),
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
