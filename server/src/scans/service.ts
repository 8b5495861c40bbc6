import type { ScanSummary } from '@cellmend/contract/jobs';
import type { PackProfile } from '@cellmend/core/pack';
import type { ScanRecord } from '@cellmend/core/scan';
import type { SpreadReport } from '@cellmend/core/spread';
import { createHash, randomUUID } from 'node:crypto';
import { createReadStream, createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Transform, type Readable } from 'node:stream';
import type { JobRow } from '../db/models';
import { storeFinding } from '../findings/service';
import { announce, audit, type Doing, type Store } from '../http/context';
import { HttpProblem } from '../http/problems';
import { refreshNeed } from '../jobs/need';
import { signalsOf, storeSignals } from './store';
import { runScanTask } from './work';

/** Largest scan file taken. A ten-hour log of 100 channels at 1 Hz is about 25 MB. */
export const LARGEST_FILE = 400 * 1024 * 1024;

export interface ReadScan {
  record: ScanRecord;
  report: SpreadReport;
  sha256: string;
  path: string;
  discard: () => Promise<void>;
}

/** Takes an upload to a temporary file, reads it in a worker and answers with what it holds. Stores nothing. */
export async function readUpload(
  body: Readable,
  profile: PackProfile,
  signal: AbortSignal,
): Promise<ReadScan> {
  const folder = await mkdtemp(join(tmpdir(), 'cellmend-scan-'));
  const discard = (): Promise<void> => rm(folder, { recursive: true, force: true });
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
              ? new HttpProblem(413, 'Too large', 'The file is larger than 400 MB.', {
                  accepted: 'A scan of up to 400 MB; split a longer one.',
                })
              : null,
            piece,
          );
        },
      }),
      createWriteStream(path),
    );
    const { record, report } = await runScanTask({ path, profile }, signal);
    return { record, report, sha256: hash.digest('hex'), path, discard };
  } catch (error) {
    await discard();
    throw error;
  }
}

/** Stores a scan with its original file, its finding and the audit line, all or nothing. */
export async function storeScan(
  store: Store,
  doing: Doing,
  job: JobRow,
  name: string,
  role: 'before' | 'after',
  read: ReadScan,
): Promise<ScanSummary> {
  const id = randomUUID();
  const { record, report } = read;
  const time = record.voltageV[0]!.timeS;
  const durationS = time[time.length - 1]! - time[0]!;
  const row = await store.models.Scan.create(
    {
      id,
      jobId: job.id,
      name,
      role,
      channelIds: record.channelIds,
      simultaneous: record.simultaneous,
      rowCount: time.length,
      durationS,
      notices: record.notices,
      sourceSha256: read.sha256,
      personId: doing.person.id,
    },
    { transaction: doing.tx },
  );
  await storeSignals(store, doing.tx, id, signalsOf(record));
  let part = 0;
  for await (const piece of createReadStream(read.path, { highWaterMark: 1 << 20 })) {
    await store.models.ScanSource.create(
      { scanId: id, part: part++, bytes: piece as Buffer },
      { transaction: doing.tx },
    );
  }
  const finding = await storeFinding(store, doing, job, 'spread', [id], { role }, report);
  await audit(store, doing, job.id, 'scan imported', name, `${role} the repair, ${time.length} rows`);
  await refreshNeed(store, doing.tx, job.id);
  await announce(store, doing.tx, 'scans', job.number);
  return {
    id,
    name,
    role,
    recordedBy: doing.person.name,
    createdAt: row.createdAt.toISOString(),
    rows: time.length,
    durationS,
    notices: record.notices,
    findingId: finding.id,
  };
}
