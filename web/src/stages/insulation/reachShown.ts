import { useEffect, useSyncExternalStore } from 'react';
import type { Reach } from '@cellmend/core/insulation';

/** What the form that is open would reach, for the pack map beside it; null while no test is being set up. */
let shown: Reach | null = null;
const listeners = new Set<() => void>();
const show = (reach: Reach | null): void => {
  shown = reach;
  for (const l of listeners) l();
};

/** Lays what a test would reach over the pack map, as long as the form is open. */
export function useShowReach(reach: Reach | null): void {
  const key = reach ? `${reach.certain.join()} ${reach.possible.join()}` : '';
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the key is the reach
  useEffect(() => show(reach), [key]);
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
