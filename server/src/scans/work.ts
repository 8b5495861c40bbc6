import { InputProblem } from '@cellmend/core/pack';
import { Piscina } from 'piscina';
import { stat } from 'node:fs/promises';
import { fileURLToPath } from 'node:url';
import { MessageChannel } from 'node:worker_threads';
import { Refusal } from '../domain/refusal';
import type { ScanAnswer, ScanTask } from './importWorker';
import { Turns } from './turns';

type Answered = Extract<ScanAnswer, { ok: true }>;

/** Threads for long files at once. */
const THREADS = 2;
/** Threads that only small tasks use: a file of a thousand rows never waits for one of a million. */
const SMALL_THREADS = 2;
/** What counts as small, bytes of the file or of the text. */
const SMALL_BYTES = 4 * 1024 * 1024;
/** A small file that takes longer was not small: it begins again among the long ones. */
const SMALL_MS = 10_000;
/** No scan, condensed as it is read, needs more; a trap ends its thread, not the server. */
const MOST_MB = 512;
/** What a file may cost: so much, and so much a megabyte (a 400 MB log takes a few minutes); then it is stopped. */
const BUDGET_MS = 60_000;
const BUDGET_MS_A_MB = 2000;
const WAITING_MOST = 200;

/** Threads, and turns at them. They are kept for a while: a warm one begins at once. They end with the process. */
class Lane {
  readonly turns: Turns;
  private pool: Piscina | null = null;
  constructor(private readonly threads: number) {
    this.turns = new Turns(threads, WAITING_MOST);
  }
  get(): Piscina {
    return (this.pool ??= new Piscina({
      filename: fileURLToPath(new URL('./workerStart.mjs', import.meta.url)),
      minThreads: 0,
      maxThreads: this.threads,
      idleTimeout: 30_000,
      execArgv: [],
      resourceLimits: { maxOldGenerationSizeMb: MOST_MB },
    }));
  }
  get completed(): number {
    return this.pool?.completed ?? 0;
  }
}
const lanes = { small: new Lane(SMALL_THREADS), long: new Lane(THREADS) };
/** How many tasks the threads have worked out to their end, for who wants to know what was worked out for nobody. */
export const tasksDone = (): number => lanes.small.completed + lanes.long.completed;

/** What is to be read, bytes; what is stored already counts as small. */
async function sizeOf(task: ScanTask): Promise<number> {
  if ('path' in task) return (await stat(task.path)).size;
  return 'text' in task ? task.text.length : 0;
}

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
async function runScanTask(task: ScanTask, asked: Asked): Promise<Answered> {
  const bytes = await sizeOf(task);
  const budgetMs = Math.round(BUDGET_MS + (bytes / 1e6) * BUDGET_MS_A_MB);
  if (bytes > SMALL_BYTES) return runIn(lanes.long, task, asked, budgetMs);
  // What is stored already was read within its budget, and is not read again elsewhere.
  if (!('path' in task)) return runIn(lanes.small, task, asked, budgetMs);
  return runIn(lanes.small, task, asked, SMALL_MS).catch((error: unknown) => {
    if (error instanceof OverBudget) return runIn(lanes.long, task, asked, budgetMs);
    throw error;
  });
}

/** @throws OverBudget where it takes longer than it may */
async function runIn(
  lane: Lane,
  task: ScanTask,
  { person = '', signal, onProgress, onPlace }: Asked,
  budgetMs: number,
): Promise<Answered> {
  const end = await lane.turns.wait(person, signal, onPlace).catch((error: unknown) => {
    throw signal?.aborted ? stopped() : error;
  });
  const tooLong = AbortSignal.timeout(budgetMs);
  const { port1, port2 } = new MessageChannel();
  port1.on('message', (fraction: number) => onProgress?.(fraction));
  try {
    const answer = (await lane
      .get()
      .run(
        { task, port: port2 },
        { transferList: [port2], signal: AbortSignal.any([tooLong, ...(signal ? [signal] : [])]) },
      )) as ScanAnswer;
    if (answer.ok) return answer;
    if ('problem' in answer) {
      const { code, what, where, accepted } = answer.problem;
      throw new InputProblem(code, what, where, accepted);
    }
    // A full disk is one, in whatever thread it was met.
    throw Object.assign(new Error(answer.failure), answer.code ? { code: answer.code } : {});
  } catch (error) {
    if (signal?.aborted) throw stopped();
    if (tooLong.aborted) throw new OverBudget();
    if ((error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY')
      throw tooMuch('Reading this file takes more memory than any scan needs.');
    throw error;
  } finally {
    port1.close();
    end();
  }
}

/** A file that takes longer than files of its size do. */
class OverBudget extends InputProblem {
  constructor() {
    super(
      'too-much',
      'Reading this file takes longer than any scan of its size needs.',
      'the file',
      'A scan table, workbook or CAN log; split a very long one.',
    );
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
