import type { DecisionBody, Stage } from '@cellmend/contract/jobs';
import type { DriverId, Output } from '@cellmend/contract/instruments';
import type { SeriesPoint } from '@cellmend/core/insulation';
import type { GloveClass, StopKind } from '@cellmend/core/safety';
import type { FileFormat } from '@cellmend/contract/scans';
import type { PackProfile } from '@cellmend/core/pack';
import type { ColumnMapping } from '@cellmend/core/scan';
import type { CreationOptional, InferAttributes, InferCreationAttributes, Model } from 'sequelize';

type Row<M extends Model> = Model<InferAttributes<M>, InferCreationAttributes<M>>;

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
