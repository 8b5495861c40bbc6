import {
  beginControl,
  decide,
  fromRest,
  setpointOf,
  type BenchReading,
  type ControlState,
  type Decided,
  type PlanStep,
} from '@cellmend/core/bench';
import { InputProblem } from '@cellmend/core/pack';
import { makeSure, reasonOf, silentWords, wait, WATCHDOG_S, type Switched } from './instrument';
import type { BenchSource } from './charger';

export interface SuperviseOptions {
  plan: readonly PlanStep[];
  /** Where an interrupted run stood. */
  from?: ControlState | undefined;
  /** How much faster than time a simulated instrument runs. */
  timeScale?: number;
  everyMs?: number;
  signal?: AbortSignal;
  /** Looks at the module at rest before anything is switched on. @throws InputProblem that says why not */
  mayBegin?: (rest: BenchReading) => void;
  /** Nothing is switched before this has been kept. */
  onReading: (reading: BenchReading, decided: Decided) => Promise<void>;
  onBegun?: () => void;
}
export interface SuperviseEnd {
  state: ControlState;
  /** It came to the end of its recipe. */
  done: boolean;
  /** Why it ended before; empty where it is done. */
  why: string;
  output: 'off' | 'unknown';
}

/** An output that nobody looked at for this long has been switched off by its own watchdog, s. */
const UNSEEN_S = 2 * WATCHDOG_S;

/** Sets what the step asks; at rest the output is off. A stop that comes while it is set leaves the output as it was: off. */
async function apply(
  source: BenchSource,
  plan: readonly PlanStep[],
  state: ControlState,
  signal: AbortSignal | undefined,
): Promise<void> {
  const to = setpointOf(plan, state);
  if (to.mode === 'rest') return source.outputOff();
  await source.set(to);
  if (signal?.aborted) return;
  await source.outputOn();
}
const sameStep = (a: ControlState, b: ControlState): boolean => a.step === b.step && a.cools === b.cools;

/**
 * Runs a recipe on one module: its watchdog set, the module looked at, then step after step, a reading every so often, each kept
 * before the next. Time and charge are counted by our own clock. A stop, a silent instrument, a reading that cannot be, a crossed
 * limit, a record that cannot be written: the output comes off on every way out.
 * @throws InputProblem only while nothing was switched on
 */
export async function superviseRun(
  source: BenchSource,
  reopen: () => Promise<Switched>,
  { plan, from, timeScale = 1, everyMs = 1000, signal, mayBegin, onReading, onBegun }: SuperviseOptions,
): Promise<SuperviseEnd> {
  let state = from ?? beginControl();
  const aborted = new Promise<null>((resolve) =>
    signal?.addEventListener('abort', () => resolve(null), { once: true }),
  );
  if (signal?.aborted) return { state, done: false, why: 'stopped before it began', output: 'off' };
  if (!(await source.watchdog(WATCHDOG_S)))
    throw new InputProblem(
      'no-watchdog',
      'The instrument does not switch itself off when it is left alone, so it is not run from here.',
      source.identity,
      'An instrument with an output watchdog; or the run by hand, typed in.',
    );
  const rest = await source.read();
  mayBegin?.(rest);
  let why = '';
  let done = false;
  let lookedAt = performance.now();
  // The rest before is no part of the run: its first reading is of the first step, and what the voltage has to answer from.
  state = fromRest(state, rest);
  try {
    // Stopped while it was looked at: nothing is switched on.
    if (!signal?.aborted) {
      await Promise.race([apply(source, plan, state, signal), aborted]);
      onBegun?.();
    }
    while (why === '' && !done) {
      await wait(everyMs, signal);
      if (signal?.aborted) break;
      const reading = await Promise.race([source.read(), aborted]);
      if (!reading) break;
      const now = performance.now();
      const tookS = (now - lookedAt) / 1000;
      lookedAt = now;
      if (tookS > UNSEEN_S) {
        why = `nobody looked at it for ${tookS.toFixed(0)} s`;
        break;
      }
      const decided = decide(plan, state, reading, tookS * timeScale);
      const before = state;
      state = decided.state;
      if (decided.does === 'off') why = decided.says;
      // A limit takes the output off first, and is written down then.
      if (decided.does === 'off' || decided.does === 'done') await source.outputOff().catch(() => undefined);
      const kept = await Promise.race([onReading(reading, decided).then(() => true), aborted]);
      if (!kept) break;
      done = decided.does === 'done';
      if (why === '' && !done && !sameStep(before, state))
        await Promise.race([apply(source, plan, state, signal), aborted]);
    }
    if (signal?.aborted && !done) why = reasonOf(signal);
  } catch (e) {
    why = signal?.aborted
      ? reasonOf(signal)
      : e instanceof InputProblem
        ? silentWords(e)
        : 'the reading could not be kept';
  }
  const output = await makeSure(source, reopen);
  source.close();
  return { state, done, why, output };
}
