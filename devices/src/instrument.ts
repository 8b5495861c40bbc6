import { InputProblem } from '@cellmend/core/pack';
import type { SeriesPoint } from '@cellmend/core/insulation';

/** Whatever has an output that can be switched off. */
export interface Switched {
  readonly identity: string;
  /** Asks the instrument to switch itself off when it hears nothing for so long; false if it cannot. */
  watchdog(seconds: number): Promise<boolean>;
  /** Resolves only when the instrument has said that its output is off. */
  outputOff(): Promise<void>;
  /** What flows now, A, by its own reading; left out where nothing reads it. */
  flowingA?(): Promise<number>;
  close(): void;
}

/**
 * What the app asks of an instrument that puts voltage on something, whatever it speaks. One driver implements it; the
 * run below is the only thing that switches an output on.
 */
export interface Instrument extends Switched {
  outputOn(setV: number): Promise<void>;
  read(): Promise<SeriesPoint & { ohm: number; voltageV: number }>;
}
/** Opens an instrument at an address. @throws InputProblem if it does not answer. */
export type Driver = (host: string, port: number) => Promise<Instrument>;

export interface RunOptions {
  setV: number;
  /** Most the run may put out, V: the least of the maker's, the instrument's and the workshop's limit. */
  mostV: number;
  /** How long the test lasts. */
  seconds: number;
  /** How much faster than time a simulated instrument runs. */
  timeScale?: number;
  everyMs?: number;
  signal?: AbortSignal;
  onPoint?: (point: SeriesPoint) => void;
}
export interface RunEnd {
  points: SeriesPoint[];
  /** Empty where the run lasted as long as was asked. */
  why: string;
  output: 'off' | 'unknown';
}

/** What a reading of no current may show, A. */
const NOTHING_FLOWS_A = 0.1;
/** An output that is not reached within this after a stop is told as unknown, ms. */
export const OFF_WITHIN_MS = 900;
/** The instrument switches itself off when it has heard nothing for this long, s. */
export const WATCHDOG_S = 2;
/** Volts above what was set that are no longer a reading error, as a share. */
const OVERSHOOT = 1.15;

export const wait = (ms: number, signal?: AbortSignal): Promise<void> =>
  new Promise((resolve) => {
    if (signal?.aborted) return resolve();
    const timer = setTimeout(done, ms);
    function done(): void {
      clearTimeout(timer);
      signal?.removeEventListener('abort', done);
      resolve();
    }
    signal?.addEventListener('abort', done, { once: true });
  });

/** An instrument that no longer answers, in the words of the bench: what it was asked and where is no matter of who stands there. */
export function silentWords(e: Error): string {
  if (!(e instanceof InputProblem)) return `the instrument fell silent: ${e.message}`;
  return e.what.startsWith('The instrument does not answer')
    ? 'the instrument fell silent'
    : `the instrument fell silent: ${e.what.replace(/\.$/, '')}`;
}
export const reasonOf = (signal: AbortSignal): string =>
  typeof signal.reason === 'string' ? signal.reason : 'stopped';

const withTimeout = <T>(work: Promise<T>, ms: number): Promise<T | undefined> =>
  Promise.race([work, new Promise<undefined>((r) => setTimeout(r, ms, undefined).unref())]);

/** Why a reading cannot be trusted; empty if it can. */
function implausible(p: SeriesPoint, setV: number, mostV: number): string {
  const { ohm, voltageV, timeS } = p;
  if (![ohm, voltageV, timeS].every((v) => typeof v === 'number' && Number.isFinite(v)))
    return 'it answered something else than time, ohms and volts';
  if (ohm! < 0 || voltageV! < -5) return `it showed ${ohm} Ω and ${voltageV} V`;
  if (voltageV! > mostV) return `it put out ${voltageV} V, more than the ${mostV} V that is allowed`;
  if (voltageV! > OVERSHOOT * setV + 5) return `it put out ${voltageV} V where ${setV} V were set`;
  return '';
}

/**
 * Switches an output off whatever happens: on the open line first, then on a new one, as long as the limit allows.
 */
export async function makeSure(
  instrument: Switched,
  reopen: () => Promise<Switched>,
): Promise<'off' | 'unknown'> {
  const until = performance.now() + OFF_WITHIN_MS;
  const tried = async (off: Promise<void>): Promise<boolean> =>
    (await withTimeout(
      off.then(
        () => true,
        () => false,
      ),
      Math.max(50, (until - performance.now()) / 2),
    )) === true;
  /** It says that it is off, and nothing flows any more. */
  const isOff = async (one: Switched): Promise<boolean> => {
    if (!(await tried(one.outputOff()))) return false;
    if (!one.flowingA) return true;
    for (;;) {
      const a = await withTimeout(
        one.flowingA().catch(() => NaN),
        Math.max(50, until - performance.now()),
      );
      if (a !== undefined && Math.abs(a) <= NOTHING_FLOWS_A) return true;
      // A meter settles for a moment; one that answers nothing has not said that it is off.
      if (a === undefined || performance.now() > until) return false;
      await wait(60);
    }
  };
  if (await isOff(instrument)) return 'off';
  while (performance.now() < until) {
    const again = await withTimeout(
      reopen().catch(() => undefined),
      until - performance.now(),
    );
    if (again) {
      const off = await isOff(again);
      again.close();
      if (off) return 'off';
    }
    await wait(60);
  }
  return 'unknown';
}

/**
 * Runs one test: watchdog set, output on, a reading every so often, output off. It ends by our own clock, never by the
 * instrument's; a stop, a silent instrument, a reading that cannot be, or a limit crossed ends it at once. The output
 * comes off on every way out.
 * @throws InputProblem only while nothing was switched on.
 */
export async function runTest(
  instrument: Instrument,
  reopen: () => Promise<Instrument>,
  { setV, mostV, seconds, timeScale = 1, everyMs = 500, signal, onPoint }: RunOptions,
): Promise<RunEnd> {
  if (!(setV > 0 && setV <= mostV))
    throw new InputProblem(
      'test-voltage',
      `${setV} V is more than the ${mostV} V that is allowed here.`,
      'test voltage',
      `At most ${mostV} V.`,
    );
  if (signal?.aborted) return { points: [], why: 'stopped before it began', output: 'off' };
  await instrument.watchdog(WATCHDOG_S).catch(() => false);
  const points: SeriesPoint[] = [];
  const started = performance.now();
  const ranS = (): number => ((performance.now() - started) / 1000) * timeScale;
  let why = '';
  // A stop does not wait for an answer that may never come.
  const aborted = new Promise<null>((resolve) =>
    signal?.addEventListener('abort', () => resolve(null), { once: true }),
  );
  try {
    await Promise.race([instrument.outputOn(setV), aborted]);
    while (ranS() < seconds) {
      await wait(Math.min(everyMs, Math.max(0, ((seconds - ranS()) / timeScale) * 1000)), signal);
      if (signal?.aborted) {
        why = reasonOf(signal);
        break;
      }
      const point = await Promise.race([instrument.read(), aborted]);
      if (!point) {
        why = reasonOf(signal!);
        break;
      }
      why = implausible(point, setV, mostV);
      if (why !== '') break;
      // Times are ours: a clock of the instrument that stands still or runs ahead ends nothing.
      const own = { ...point, timeS: Math.round(ranS() * 100) / 100 };
      // Two readings within a hundredth of a second are one.
      if (points.length > 0 && own.timeS <= points[points.length - 1]!.timeS) continue;
      points.push(own);
      onPoint?.(own);
    }
  } catch (e) {
    why = signal?.aborted ? reasonOf(signal) : silentWords(e as Error);
  }
  const output = await makeSure(instrument, reopen);
  instrument.close();
  return { points, why, output };
}
