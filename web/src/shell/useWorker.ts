import { useEffect, useState } from 'react';

/** How long something has to stand before it is worked out, ms: somebody may still be typing. */
const STANDS_MS = 250;

/**
 * Asks a thread of its own, made for each question: a newer one ends the one before, and the page stays at ease.
 * @param make makes the thread; the same function every time.
 * @returns the answer to this very question; `failed` where the thread ended without one.
 */
export function useWorker<A>(
  make: () => Worker,
  ask: unknown,
): { answer: A | null; failed: boolean; busy: boolean } {
  const key = ask === null || ask === undefined ? '' : JSON.stringify(ask);
  const [state, setState] = useState<{ key: string; answer: A | null } | null>(null);
  useEffect(() => {
    if (key === '') return;
    const worker = make();
    const timer = setTimeout(() => worker.postMessage(JSON.parse(key)), STANDS_MS);
    worker.onmessage = ({ data }: MessageEvent<A>) => setState({ key, answer: data });
    worker.onerror = () => setState({ key, answer: null });
    return () => {
      clearTimeout(timer);
      worker.terminate();
    };
  }, [key, make]);
  const mine = key !== '' && state?.key === key ? state : null;
  return {
    answer: mine?.answer ?? null,
    failed: mine !== null && mine.answer === null,
    busy: key !== '' && mine === null,
  };
}
