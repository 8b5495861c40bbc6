import type { LiveState } from '@cellmend/contract/scans';
import type { SupervisedRun } from '@cellmend/contract/supervised';
import type { SeriesPoint } from '@cellmend/core/insulation';
import { useEffect, useRef, useState, useSyncExternalStore } from 'react';
import useSWR, { useSWRConfig } from 'swr';
import { get, whenFresh, whenKept } from './client';

const AGAIN_MS = 5000;
/** A burst of changes is looked at once: at its first, and then this often. */
const BURST_MS = 300;
/** Events that first come later than this after the page began may have been preceded by one that nobody heard. */
const LATE_MS = 250;

/** Things that pass and are not kept: progress of an import, values of a live scan. */
export type Passing =
  | { topic: 'import'; job: number; key: string | null; fraction: number; before?: number }
  | { topic: 'live'; job: number; state: LiveState }
  | { topic: 'tester'; job: number; point: SeriesPoint }
  | { topic: 'bench-reading'; job: number; run: Pick<SupervisedRun, 'id' | LiveOfRun> };
type LiveOfRun =
  'reading' | 'step' | 'mode' | 'cools' | 'runS' | 'outAh' | 'inAh' | 'stepLeftS' | 'runLeftS' | 'ends';
const PASSING: readonly string[] = ['import', 'live', 'tester', 'bench-reading'] satisfies Passing['topic'][];
const passing = new Set<(message: Passing) => void>();

/** Hears the things that pass and are not kept. */
export function usePassing(listener: (message: Passing) => void): void {
  const held = useRef(listener);
  useEffect(() => {
    held.current = listener;
  });
  useEffect(() => {
    const call = (m: Passing): void => held.current(m);
    passing.add(call);
    return () => void passing.delete(call);
  }, []);
}

const SILENT_MS = 10_000;
/** A vehicle that is being read for a job, by whichever server; null while none is. */
export function useLiveState(job: number): LiveState | null {
  const { data: stored } = useSWR<LiveState | null>(`/jobs/${job}/live`, get);
  const [told, setTold] = useState<LiveState | null>(null);
  const silent = useRef<ReturnType<typeof setTimeout>>(undefined);
  usePassing((m) => {
    if (m.topic !== 'live' || m.job !== job) return;
    setTold(m.state);
    // A reading that goes on is told more than once a second: one that is not has ended, whatever it said last.
    clearTimeout(silent.current);
    silent.current = setTimeout(() => setTold(null), SILENT_MS);
  });
  useEffect(() => () => clearTimeout(silent.current), []);
  // What was told belongs to the session that is stored, or to one that began since.
  return stored === null && told?.state !== 'reading' ? null : (told ?? stored ?? null);
}

let awaySinceMs: number | null = null;
const watchers = new Set<() => void>();
function away(since: number | null): void {
  if (since !== null && awaySinceMs !== null) return;
  awaySinceMs = since;
  for (const w of watchers) w();
}
/** The server's events come: whatever answers from the tablet meanwhile was only late. */
let eventsCome = false;
let onKeptAnswer: () => void = () => undefined;
whenFresh(() => {
  if (eventsCome && awaySinceMs !== null) away(null);
});
whenKept((sinceMs) => {
  onKeptAnswer();
  // What was kept is older than the moment the server was missed.
  if (awaySinceMs === null || sinceMs < awaySinceMs) {
    awaySinceMs = null;
    away(sinceMs);
  }
});
/** Since when (ms, this tablet's clock) the server's events do not come; null while they do. */
export const useAwaySince = (): number | null =>
  useSyncExternalStore(
    (w) => {
      watchers.add(w);
      return () => void watchers.delete(w);
    },
    () => awaySinceMs,
  );

/** The address that something was looked up at; null for anything else. */
export const pathOf = (key: unknown): string | null => {
  const path = Array.isArray(key) ? (key as unknown[])[0] : key;
  return typeof path === 'string' ? path : null;
};

/** Other tablets' changes: server-sent events say what to look at again. */
export function useLive(): void {
  const { mutate } = useSWRConfig();
  useEffect(() => {
    let source: EventSource;
    let begunMs = Date.now();
    let timer: ReturnType<typeof setTimeout> | undefined;
    let again: ReturnType<typeof setTimeout> | undefined;
    const lookAgain = (topic: string, job: number | null): void =>
      void mutate((asked) => {
        const key = pathOf(asked);
        return (
          key !== null &&
          key !== '/session' &&
          (topic === 'all' ||
            job === null ||
            key === '/jobs' ||
            key.startsWith(`/jobs/${job}`) ||
            key.startsWith('/clocks') ||
            key.startsWith('/instruments'))
        );
      });
    // What came from the tablet is asked of the server again, until it answers itself.
    onKeptAnswer = () => {
      again ??= setTimeout(() => {
        again = undefined;
        lookAgain('all', null);
      }, AGAIN_MS);
    };
    const changed = new Set<number | null>();
    let burst: ReturnType<typeof setTimeout> | undefined;
    const lookAtChanged = (): void => {
      burst = undefined;
      if (changed.size === 0) return;
      const jobs = changed.has(null) ? [null] : [...changed];
      changed.clear();
      for (const job of jobs) lookAgain('', job);
      burst = setTimeout(lookAtChanged, BURST_MS);
    };
    const open = (): void => {
      source = new EventSource('/api/events');
      source.onopen = () => {
        eventsCome = true;
        // What changed meanwhile was told to nobody here: while the server was away, or before its events came at all.
        if (awaySinceMs !== null || Date.now() - begunMs > LATE_MS) lookAgain('all', null);
        begunMs = Infinity;
        away(null);
      };
      source.onerror = () => {
        eventsCome = false;
        away(Date.now());
        // A refused connection is tried again by the browser; one that was answered with an error is not.
        if (source.readyState === EventSource.CLOSED) timer = setTimeout(open, AGAIN_MS);
      };
      source.onmessage = (event) => {
        const message = JSON.parse(String(event.data)) as { topic: string; job: number | null };
        const { topic, job } = message;
        if (PASSING.includes(topic)) for (const listener of passing) listener(message as Passing);
        else {
          changed.add(job);
          if (burst === undefined) lookAtChanged();
        }
      };
    };
    open();
    return () => {
      clearTimeout(timer);
      clearTimeout(again);
      clearTimeout(burst);
      onKeptAnswer = () => undefined;
      eventsCome = false;
      source.close();
      away(null);
    };
  }, [mutate]);
}
