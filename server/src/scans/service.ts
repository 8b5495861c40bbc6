import type { ScanSummary } from '@cellmend/contract/jobs';
import type { ScanPreview, TypedScan } from '@cellmend/contract/scans';
import { RECORD_END_WORDS, typedTable } from '@cellmend/core/jot';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { statusWords } from '@cellmend/core/can';
import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Readable, Transform } from 'node:stream';
import type { FoundJob } from '../jobs/find';
import { markDue } from '../findings/due';
import { storeFinding } from '../findings/service';
import { announce, audit, type Doing, type Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { keepVehicleFigures } from '../insulation/fromScan';
import { refreshNeed } from '../jobs/need';
import { keepReading } from '../records/readings';
import { refuseClash } from './clash';
import { storeReadings } from './store';
import type { ReadAnswer } from './importWorker';
import type { ReadingHelp } from './readFile';
import { runFor, type Asked } from './work';
import { workFolder } from './workFolder';

/** Largest scan file taken. A ten-hour log of 100 channels at 1 Hz is about 25 MB. */
export const MOST_JOINED = 20;
export const LARGEST_FILE = 400 * 1024 * 1024;

export interface ReadScan extends ReadAnswer {
  sha256: string;
  path: string;
  discard: () => Promise<void>;
}

/** Takes an upload to a temporary file. */
async function keepUpload(
  body: Readable,
): Promise<{ path: string; sha256: string; discard: () => Promise<void> }> {
  const { path: folder, discard } = await workFolder();
  const path = join(folder, 'upload');
  const hash = createHash('sha256');
  let size = 0;
  try {
    await pipeline(
      body,
      new Transform({
        transform(piece: Buffer, _enc, done) {
          size += piece.length;
          hash.update(piece);
          done(
            size > LARGEST_FILE
              ? new Refusal('tooLarge', 'Too large', 'The file is larger than 400 MB.', {
                  accepted: 'A scan of up to 400 MB; split a longer one.',
                })
              : null,
            piece,
          );
        },
      }),
      createWriteStream(path),
    );
    return { path, sha256: hash.digest('hex'), discard };
  } catch (error) {
    await discard();
    throw error;
  }
}

/** Takes an upload, reads it in a worker and answers with what it holds. Stores nothing. */
export async function readUpload(
  body: Readable,
  profile: PackProfile,
  help: ReadingHelp,
  asked: Asked,
  entry?: string,
): Promise<ReadScan> {
  const kept = await keepUpload(body);
  try {
    const spillTo = `${kept.path}.readings`;
    const task = { kind: 'read' as const, path: kept.path, spillTo, profile, help, entry };
    const read = await runFor('read', task, asked);
    return { ...read, ...kept };
  } catch (error) {
    await kept.discard();
    throw error;
  }
}

/**
 * Reads voltages that somebody typed or walked through the same reader as a file, and says where what they said of the
 * charge and what the rest curve says do not go together.
 */
export async function readTyped(
  typed: TypedScan,
  profile: PackProfile,
  asked: Asked,
): Promise<ReadScan & { name: string }> {
  const pack = normalisePack(profile);
  const given = typed.volts.filter((v) => v !== null).length;
  if (typed.volts.length !== pack.channels.length || given < 2)
    throw new Refusal(
      'unacceptable',
      'Cannot be accepted',
      `${given} of ${pack.channels.length} channels have a voltage.`,
      {
        fields: [
          { field: 'volts', message: `${pack.channels.length} places, two voltages or more among them.` },
        ],
      },
    );
  const text = typedTable({ ...typed, atMs: Date.parse(typed.observedAt) }, pack);
  const read = await readUpload(
    Readable.from(text),
    profile,
    { known: [], definitions: [], metered: true },
    asked,
  );
  const { notices } = read.record;
  const missing = pack.channels.length - given;
  if (missing > 0) notices.push(`${missing} ${missing === 1 ? 'channel was' : 'channels were'} not read.`);
  if (typed.currentA === null) notices.push('Nobody said whether current flowed: read as taken at rest.');
  const soc = (read.report.nearFull ?? read.report.nearEmpty)?.medianSocFraction;
  const said = RECORD_END_WORDS[typed.end];
  const percent = soc === undefined ? '' : `${Math.round(soc * 100)} %`;
  if (
    soc !== undefined &&
    ((typed.end === 'near-full' && soc < 0.5) || (typed.end === 'near-empty' && soc > 0.5))
  )
    notices.push(`Said to be ${said}; by the rest curve the pack stands at ${percent}.`);
  return {
    ...read,
    format: 'typed',
    name: `${typed.how === 'walked' ? 'Walked' : 'Typed'}, ${said}${percent && `, ${percent}`}`,
  };
}

/** Looks at an upload, or at its beginning, and says what it seems to hold. Keeps nothing. */
export async function previewUpload(
  body: Readable,
  profile: PackProfile,
  help: ReadingHelp,
  asked: Asked,
  entry?: string,
): Promise<ScanPreview> {
  const kept = await keepUpload(body);
  try {
    return await runFor('preview', { kind: 'preview', path: kept.path, profile, help, entry }, asked);
  } finally {
    await kept.discard();
  }
}

/** Stores a scan with its original file, its finding and the audit line, all or nothing. */
export async function storeScan(
  store: Store,
  doing: Doing,
  { job, profile, version: profileVersion }: FoundJob,
  name: string,
  role: 'before' | 'after',
  read: ReadAnswer & { sha256: string; path: string | null },
  {
    began,
    savedAt,
    clockWrong = false,
  }: {
    /** When it began where this program read it itself. */
    began?: Date;
    /** When its file was last saved, where the browser tells. */
    savedAt?: Date | null;
    /** Its own clock is not believed. */
    clockWrong?: boolean;
  } = {},
): Promise<ScanSummary> {
  const id = randomUUID();
  const { record, report, rows, durationS } = read;
  const ownClock = record.startEpochS === undefined ? null : new Date(record.startEpochS * 1000);
  const startedAt = clockWrong ? null : (ownClock ?? began ?? null);
  if (!began) await refuseClash(store, job.id, role, startedAt, durationS, doing.tx);
  const notices = [
    ...record.notices,
    ...(startedAt
      ? []
      : clockWrong && ownClock
        ? [`Its own clock says ${inWords(ownClock)}, which is wrong, says ${doing.person.name}.`]
        : [`The file does not say when it was recorded.${savedInWords(savedAt ?? null)}`]),
    ...(startedAt || read.insulation.length === 0
      ? []
      : [
          'It holds the vehicle’s own insulation figure, which counts once somebody has said when it was recorded.',
        ]),
  ];
  const row = await store.models.Scan.create(
    {
      id,
      jobId: job.id,
      name,
      role,
      channelIds: record.channelIds,
      simultaneous: record.simultaneous,
      rowCount: rows,
      durationS,
      notices,
      sourceSha256: read.sha256,
      startedAt,
      format: read.format,
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await storeReadings(store, doing.tx, id, read.spilled);
  await store.models.ScanPicture.create({ scanId: id, picture: read.picture }, { transaction: doing.tx });
  let part = 0;
  if (read.path)
    for await (const piece of createReadStream(read.path, { highWaterMark: 1 << 20 })) {
      await store.sequelize.query('INSERT INTO scan_sources (scan_id, part, bytes) VALUES ($1, $2, $3)', {
        bind: [id, part++, piece as Buffer],
        transaction: doing.tx,
      });
    }
  await store.sequelize.query('SELECT keep_scan_sums($1)', { bind: [id], transaction: doing.tx });
  for (const code of read.codes)
    await keepReading(store, doing, job.id, profile, {
      kind: 'code',
      place: '',
      value: code.status,
      text: code.code,
      instrument: name,
      conditions: statusWords(code.status).join(', '),
      stage: 'scan',
      observedAt: new Date(),
      supersedes: null,
      reason: '',
    });
  const finding = await storeFinding(
    store,
    doing,
    job,
    { topic: 'spread', role, scanIds: [id], readingIds: [] },
    { inputIds: [id], result: report },
    profileVersion,
  );
  await keepVehicleFigures(store, doing, job.id, { id, name }, startedAt, read.insulation);
  await markDue(store, doing, job.id, 'spread', role);
  await markDue(store, doing, job.id, 'insulation');
  await audit(store, doing, job.id, 'scan imported', name, `${role} the repair, ${rows} rows`);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'scans', job.number);
  return {
    id,
    name,
    role,
    recordedBy: doing.person.name,
    createdAt: row.createdAt.toISOString(),
    rows,
    durationS,
    notices,
    findingId: finding.id,
    startedAt: row.startedAt?.toISOString() ?? null,
    format: row.format,
  };
}

/** When a file was saved says nothing of when it was recorded: it may have been copied, exported or edited since. */
const savedInWords = (at: Date | null): string =>
  at === null ? '' : ` It was last saved on ${inWords(at)}, which may be long after.`;

const inWords = (at: Date): string =>
  at.toLocaleString('en-GB', { day: 'numeric', month: 'long', hour: '2-digit', minute: '2-digit' });
