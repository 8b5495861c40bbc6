/** Aborts when whoever asked is gone before they were answered: nobody waits for what is computed then. */
export function untilGone(res: {
  on: (e: 'close', f: () => void) => void;
  writableEnded: boolean;
}): AbortSignal {
  const stop = new AbortController();
  res.on('close', () => !res.writableEnded && stop.abort());
  return stop.signal;
}
