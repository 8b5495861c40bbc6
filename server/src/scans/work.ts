import { InputProblem } from '@cellmend/core/pack';
import type { ScanRecord } from '@cellmend/core/scan';
import type { SpreadReport } from '@cellmend/core/spread';
import { Worker } from 'node:worker_threads';
import { HttpProblem } from '../http/problems';
import type { ScanAnswer, ScanTask } from './importWorker';

/** Runs a scan task in a thread of its own; stopping it ends the thread. @throws InputProblem for a bad file. */
export async function runScanTask(
  task: ScanTask,
  signal?: AbortSignal,
): Promise<{ record: ScanRecord; report: SpreadReport }> {
  const answer = await new Promise<ScanAnswer>((resolve, reject) => {
    const worker = new Worker(new URL('./workerStart.mjs', import.meta.url), {
      workerData: task,
      execArgv: [],
      resourceLimits: { maxOldGenerationSizeMb: 3072 },
    });
    const stop = (): void => {
      void worker.terminate();
      reject(new HttpProblem(499, 'Stopped', 'The import was stopped; nothing was stored.'));
    };
    signal?.addEventListener('abort', stop, { once: true });
    worker.once('message', (message: ScanAnswer) => {
      signal?.removeEventListener('abort', stop);
      resolve(message);
      void worker.terminate();
    });
    worker.once('error', reject);
  });
  if (answer.ok) return answer;
  if ('problem' in answer)
    throw new InputProblem(
      answer.problem.code,
      answer.problem.what,
      answer.problem.where,
      answer.problem.accepted,
    );
  throw new Error(answer.failure);
}
