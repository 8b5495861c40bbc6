import { useEffect, useSyncExternalStore } from 'react';
import type { Reach } from '@cellmend/core/insulation';

/** What the form that is open would reach, for the pack map beside it; null while no test is being set up. */
let shown: Reach | null = null;
const listeners = new Set<() => void>();
const keyOf = (reach: Reach | null): string =>
  reach ? `${reach.certain.join()} ${reach.possible.join()}` : '';
const show = (reach: Reach | null): void => {
  if (keyOf(reach) === keyOf(shown)) return;
  shown = reach;
  for (const l of listeners) l();
};

/** Lays what a test would reach over the pack map, as long as the form is open. */
export function useShowReach(reach: Reach | null): void {
  useEffect(() => show(reach));
  useEffect(() => () => show(null), []);
}

export const useReachShown = (): Reach | null =>
  useSyncExternalStore(
    (l) => {
      listeners.add(l);
      return () => listeners.delete(l);
    },
    () => shown,
  );
