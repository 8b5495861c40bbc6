import { useCallback } from 'react';
import { useSearchParams } from 'react-router';

/** Which of a few views is shown, kept in the address: going back goes back, and a link leads to it. The first is the usual one. */
export function useView<T extends string>(
  name: string,
  of: readonly (readonly [T, string])[],
): [T, (view: T) => void] {
  const [params, setParams] = useSearchParams();
  const asked = params.get(name);
  const known = of.find(([id]) => id === asked)?.[0];
  const first = of[0]![0];
  const set = useCallback(
    (view: T) =>
      setParams((now) => {
        const next = new URLSearchParams(now);
        if (view === first) next.delete(name);
        else next.set(name, view);
        return next;
      }),
    [setParams, name, first],
  );
  return [known ?? first, set];
}
