import { createReadStream } from 'node:fs';
import { parentPort, workerData } from 'node:worker_threads';
import { InputProblem, normalisePack, type PackProfile } from '@cellmend/core/pack';
import { CsvScanReader, type ScanRecord } from '@cellmend/core/scan';
import { spreadReport, type SpreadReport } from '@cellmend/core/spread';

/** Read a file and report on it, or report on a record that is stored already. */
export type ScanTask = { profile: PackProfile } & ({ path: string } | { record: ScanRecord });
export type ScanAnswer =
  | { ok: true; record: ScanRecord; report: SpreadReport }
  | { ok: false; problem: { code: string; what: string; where: string; accepted: string } }
  | { ok: false; failure: string };

/** Off the server's event loop: a long file is read piece by piece, a record is diagnosed. */
async function run(task: ScanTask): Promise<ScanAnswer> {
  const pack = normalisePack(task.profile);
  let record: ScanRecord;
  if ('path' in task) {
    const reader = new CsvScanReader(pack);
    for await (const piece of createReadStream(task.path, { encoding: 'utf8', highWaterMark: 1 << 18 }))
      reader.push(piece as string);
    record = reader.finish();
  } else record = task.record;
  return { ok: true, record, report: spreadReport(record, pack) };
}

run(workerData as ScanTask)
  .catch((error: unknown): ScanAnswer =>
    error instanceof InputProblem
      ? {
          ok: false,
          problem: { code: error.code, what: error.what, where: error.where, accepted: error.accepted },
        }
      : { ok: false, failure: error instanceof Error ? (error.stack ?? error.message) : String(error) },
  )
  .then((answer) => parentPort!.postMessage(answer));
