import { createReadStream } from 'node:fs';
import { parentPort, workerData } from 'node:worker_threads';
import { InputProblem, normalisePack, type PackProfile } from '@cellmend/core/pack';
import { CsvScanReader, type ScanRecord } from '@cellmend/core/scan';
import { spreadReport, type SpreadReport } from '@cellmend/core/spread';

export type ImportAnswer =
  | { ok: true; record: ScanRecord; report: SpreadReport }
  | { ok: false; problem: { code: string; what: string; where: string; accepted: string } }
  | { ok: false; failure: string };

/** Reads one scan file piece by piece and works out its findings, off the server's event loop. */
async function run(): Promise<ImportAnswer> {
  const { path, profile } = workerData as { path: string; profile: PackProfile };
  const pack = normalisePack(profile);
  const reader = new CsvScanReader(pack);
  for await (const piece of createReadStream(path, { encoding: 'utf8', highWaterMark: 1 << 18 }))
    reader.push(piece as string);
  const record = reader.finish();
  return { ok: true, record, report: spreadReport(record, pack) };
}

run()
  .catch((error: unknown): ImportAnswer =>
    error instanceof InputProblem
      ? {
          ok: false,
          problem: { code: error.code, what: error.what, where: error.where, accepted: error.accepted },
        }
      : { ok: false, failure: error instanceof Error ? (error.stack ?? error.message) : String(error) },
  )
  .then((answer) => parentPort!.postMessage(answer));
