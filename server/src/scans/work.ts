import { InputProblem } from '@cellmend/core/pack';
import { Piscina } from 'piscina';
import { fileURLToPath } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import { Refusal } from '../domain/refusal';
import type { ScanAnswer, ScanTask } from './importWorker';
import { Turns } from './turns';

type Answered = Extract<ScanAnswer, { ok: true }>;

/** Threads at once: one core stays for answering. */
const THREADS = 2;
/** No scan, condensed as it is read, needs more; a trap ends its thread, not the server. */
const MOST_MB = 512;
/** What takes longer is stopped: a 400 MB log takes a few minutes. */
const LONGEST_MS = 15 * 60_000;
const WAITING_MOST = 200;

let pool: Piscina | null = null;
/** The threads are kept for a while: a warm one begins at once. They end with the process. */
const threads = (): Piscina =>
  (pool ??= new Piscina({
    filename: fileURLToPath(new URL('./workerStart.mjs', import.meta.url)),
    minThreads: 0,
    maxThreads: THREADS,
    idleTimeout: 30_000,
    execArgv: [],
    resourceLimits: { maxOldGenerationSizeMb: MOST_MB },
  }));
const turns = new Turns(THREADS, WAITING_MOST);
/** How many tasks the threads have worked out to their end, for who wants to know what was worked out for nobody. */
export const tasksDone = (): number => pool?.completed ?? 0;

export interface Asked {
  /** Whose it is: nobody's tasks keep another's waiting. Work that nobody asked for has a turn of its own. */
  person?: string | undefined;
  signal?: AbortSignal | undefined;
  onProgress?: ((fraction: number) => void) | undefined;
  /** How many are before it, each time that changes; 0 when it begins. */
  onPlace?: ((before: number) => void) | undefined;
}

/**
 * Runs a scan task in a thread of the pool, when its turn has come; stopping it ends the thread.
 * @throws InputProblem for a bad file, also for one that asks for more memory or time than a scan needs.
 */
async function runScanTask(
  task: ScanTask,
  { person = '', signal, onProgress, onPlace }: Asked,
): Promise<Answered> {
  const end = await turns.wait(person, signal, onPlace).catch((error: unknown) => {
    throw signal?.aborted ? stopped() : error;
  });
  const tooLong = AbortSignal.timeout(LONGEST_MS);
  const { port1, port2 } = new MessageChannel();
  port1.on('message', (fraction: number) => onProgress?.(fraction));
  try {
    const answer = (await threads().run(
      { task, port: port2 },
      { transferList: [port2], signal: AbortSignal.any([tooLong, ...(signal ? [signal] : [])]) },
    )) as ScanAnswer;
    if (answer.ok) return answer;
    if ('problem' in answer) {
      const { code, what, where, accepted } = answer.problem;
      throw new InputProblem(code, what, where, accepted);
    }
    throw new Error(answer.failure);
  } catch (error) {
    if (signal?.aborted) throw stopped();
    if (tooLong.aborted) throw tooMuch('Reading this file takes longer than any scan needs.');
    if ((error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY')
      throw tooMuch('Reading this file takes more memory than any scan needs.');
    throw error;
  } finally {
    port1.close();
    end();
  }
}

const tooMuch = (what: string): InputProblem =>
  new InputProblem('too-much', what, 'the file', 'A scan table, workbook or CAN log; split a very long one.');
const stopped = (): Refusal => new Refusal('stopped', 'Stopped', 'It was stopped; nothing was stored.');

/** The same with the part of the answer that the task's kind gives. */
export async function runFor<K extends 'read' | 'preview' | 'report' | 'definition' | 'run' | 'archive'>(
  part: K,
  task: ScanTask,
  asked: Asked = {},
): Promise<Extract<Answered, Record<K, unknown>>[K]> {
  const answer = await runScanTask(task, asked);
  return (answer as Extract<Answered, Record<K, unknown>>)[part];
}
