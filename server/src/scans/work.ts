import { InputProblem } from '@cellmend/core/pack';
import { Worker } from 'node:worker_threads';
import { Refusal } from '../domain/refusal';
import type { ScanAnswer, ScanTask, WorkerMessage } from './importWorker';

type Answered = Extract<ScanAnswer, { ok: true }>;

/**
 * Runs a scan task in a thread of its own; stopping it ends the thread.
 * @throws InputProblem for a bad file, also for one that asks for more memory than a scan needs.
 */
async function runScanTask(
  task: ScanTask,
  signal?: AbortSignal,
  onProgress?: (fraction: number) => void,
): Promise<Answered> {
  const answer = await new Promise<ScanAnswer>((resolve, reject) => {
    if (signal?.aborted) return reject(stopped());
    const worker = new Worker(new URL('./workerStart.mjs', import.meta.url), {
      workerData: task,
      execArgv: [],
      resourceLimits: { maxOldGenerationSizeMb: 3072 },
    });
    const stop = (): void => {
      void worker.terminate();
      reject(stopped());
    };
    signal?.addEventListener('abort', stop, { once: true });
    worker.on('message', (message: WorkerMessage) => {
      if ('progress' in message) return onProgress?.(message.progress);
      signal?.removeEventListener('abort', stop);
      resolve(message.answer);
      void worker.terminate();
    });
    worker.once('error', (error) =>
      reject(
        (error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY'
          ? new InputProblem(
              'too-much',
              'Reading this file takes more memory than any scan needs.',
              'the file',
              'A scan table, workbook or CAN log; split a very long one.',
            )
          : error,
      ),
    );
  });
  if (answer.ok) return answer;
  if ('problem' in answer) {
    const { code, what, where, accepted } = answer.problem;
    throw new InputProblem(code, what, where, accepted);
  }
  throw new Error(answer.failure);
}

const stopped = (): Refusal =>
  new Refusal('stopped', 'Stopped', 'The import was stopped; nothing was stored.');

/** The same with the part of the answer that the task's kind gives. */
export async function runFor<K extends 'read' | 'preview' | 'report'>(
  part: K,
  task: ScanTask,
  signal?: AbortSignal,
  onProgress?: (fraction: number) => void,
): Promise<Extract<Answered, Record<K, unknown>>[K]> {
  const answer = await runScanTask(task, signal, onProgress);
  return (answer as Extract<Answered, Record<K, unknown>>)[part];
}
