import type { DeviationMap } from '@cellmend/core/diagnosis';
import type { DecisionBody } from '@cellmend/contract/decisions';
import type { Stage } from '@cellmend/core/route';
import type { FindingDigest } from '@cellmend/contract/findings';
import type { ObservationTopic, SubjectKind } from '@cellmend/contract/records';
import type { PartFacts, PartKind, PlacementKind } from '@cellmend/contract/stock';
import type { DriverId, InstrumentKind, Output } from '@cellmend/contract/instruments';
import type { ControlState } from '@cellmend/core/bench';
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
  /** When somebody’s work here ended. */
  endedAt: CreationOptional<Date | null>;
  hvIssuer: CreationOptional<string>;
  hvNumber: CreationOptional<string>;
  /** By themselves, and nobody has countersigned it. */
  hvSelfDeclared: CreationOptional<boolean>;
  /** The workshop of somebody who never worked here. */
  elsewhere: CreationOptional<string | null>;
}
export interface PackProfileRow extends Row<PackProfileRow> {
  id: string;
  name: string;
  profile: PackProfile;
  version: CreationOptional<number>;
  updatedAt: CreationOptional<Date>;
}
/** Columns of a row alone, as they are read where nothing is changed by it. */
export type ObservationFacts = InferAttributes<ObservationRow>;
export type DecisionFacts = InferAttributes<DecisionRow>;
export type StopFacts = InferAttributes<StopRow>;
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
  kind: InstrumentKind;
  driver: DriverId;
  host: string;
  port: number;
  serial: CreationOptional<string>;
  mostV: number;
  mostA: CreationOptional<number | null>;
  ohm: CreationOptional<number | null>;
  readsWith: CreationOptional<string | null>;
  calibratedUntil: CreationOptional<string | null>;
  simulated: CreationOptional<boolean>;
  timeScale: CreationOptional<number>;
  identity: CreationOptional<string>;
  lastSeen: CreationOptional<Date | null>;
  retiredAt: CreationOptional<Date | null>;
  /** Since when nobody knows whether its output is on; null once somebody has looked. */
  unknownSince: CreationOptional<Date | null>;
  unknownWhy: CreationOptional<string>;
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
  /** Where a run of a recipe stands. */
  control: CreationOptional<ControlState | null>;
  /** The interrupted run that this one goes on with. */
  continues: CreationOptional<string | null>;
  keptSha256: CreationOptional<string | null>;
  startedAt: CreationOptional<Date>;
  endedAt: CreationOptional<Date | null>;
}
export interface JobRow extends Row<JobRow> {
  id: string;
  number: CreationOptional<number>;
  title: string;
  complaint: string;
  vehicleId: string | null;
  packId: string;
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
  picture: DeviationMap;
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
/** What was seen or measured, whatever it was. Never changed: a correction is a row that supersedes. */
export interface ObservationRow extends Row<ObservationRow> {
  id: string;
  jobId: string | null;
  /** The part it is of, where it is of a part by itself. */
  partId: CreationOptional<string | null>;
  topic: ObservationTopic;
  kind: string;
  data: unknown;
  subjectKind: CreationOptional<SubjectKind>;
  /** Module or channel of the pack; empty for the whole pack, and for a part. */
  subject: CreationOptional<string>;
  instrument: CreationOptional<string>;
  conditions: CreationOptional<string>;
  stage: CreationOptional<Stage | ''>;
  observedAt: CreationOptional<Date>;
  personId: string | null;
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
export interface FindingRow extends Row<FindingRow> {
  id: string;
  jobId: string;
  topic: string;
  /** What of the job it is about; empty for the whole. */
  subject: CreationOptional<string>;
  /** What the route needs of it; null from before it was kept. */
  digest: CreationOptional<FindingDigest | null>;
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
  /** As it was signed, in the shape of its day: `bodyOf` reads it. */
  body: unknown;
  note: string;
  findingIds: string[];
  personId: string;
  signedAt: CreationOptional<Date>;
}
/** A thing with a history of its own: module, board, fuse … */
export interface PartRow extends Row<PartRow> {
  id: string;
  label: string;
  kind: PartKind;
  createdAt: CreationOptional<Date>;
}
/** What a part is; corrected by a new version. */
export interface PartFactsRow extends Row<PartFactsRow> {
  partId: string;
  version: number;
  facts: PartFacts;
  reason: CreationOptional<string>;
  personId: string | null;
  at: CreationOptional<Date>;
}
/** Where a part is from then on. */
export interface PlacementRow extends Row<PlacementRow> {
  id: string;
  seq: CreationOptional<string>;
  partId: string;
  kind: PlacementKind;
  packId: string | null;
  place: CreationOptional<string>;
  jobId: string | null;
  reason: CreationOptional<string>;
  proof: CreationOptional<string>;
  personId: string | null;
  at: CreationOptional<Date>;
}
export interface ReservationRow extends Row<ReservationRow> {
  id: string;
  partId: string;
  jobId: string;
  place: string;
  personId: string | null;
  at: CreationOptional<Date>;
  endedAt: CreationOptional<Date | null>;
}
export interface VehicleRow extends Row<VehicleRow> {
  id: string;
  name: string;
  plate: string | null;
  createdAt: CreationOptional<Date>;
}
/** A physical pack. */
export interface PackRow extends Row<PackRow> {
  id: string;
  label: CreationOptional<string>;
  profileId: string;
  createdAt: CreationOptional<Date>;
}
export interface PackFittingRow extends Row<PackFittingRow> {
  seq: CreationOptional<string>;
  packId: string;
  vehicleId: string | null;
  jobId: string | null;
  personId: string | null;
  at: CreationOptional<Date>;
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
