import { useCallback, useState } from 'react';

/** Text or choices typed into a form, kept in this browser until they are signed: a reload loses nothing. */
export function useDraft<T>(name: string, first: T): [T, (value: T) => void, () => void] {
  const key = `cellmend.draft.${name}`;
  const [value, setValue] = useState<T>(() => {
    try {
      const kept = localStorage.getItem(key);
      return kept === null ? first : (JSON.parse(kept) as T);
    } catch {
      return first;
    }
  });
  const set = useCallback(
    (next: T) => {
      setValue(next);
      localStorage.setItem(key, JSON.stringify(next));
    },
    [key],
  );
  const clear = useCallback(() => localStorage.removeItem(key), [key]);
  return [value, set, clear];
}
