import { useCallback, useEffect, useRef, useState } from 'react';

/** Puts something where a form finds it as its draft. */
export const keepDraft = <T>(name: string, value: T): void =>
  localStorage.setItem(`cellmend.draft.${name}`, JSON.stringify(value));

/** Whether a form has a draft that was begun and neither sent nor cleared. */
export const hasDraft = (name: string): boolean => localStorage.getItem(`cellmend.draft.${name}`) !== null;

/** What was typed so far under a name, or `first`. */
export function readDraft<T>(name: string, first: T): T {
  try {
    const kept = localStorage.getItem(`cellmend.draft.${name}`);
    return kept === null ? first : (JSON.parse(kept) as T);
  } catch {
    return first;
  }
}

/** Text or choices typed into a form, kept in this browser until they are signed: a reload loses nothing. */
export function useDraft<T>(
  name: string,
  first: T,
): [value: T, set: (value: T) => void, clear: () => void, restart: () => void] {
  const key = `cellmend.draft.${name}`;
  const [value, setValue] = useState<T>(() => readDraft(name, first));
  const set = useCallback(
    (next: T) => {
      setValue(next);
      localStorage.setItem(key, JSON.stringify(next));
    },
    [key],
  );
  const clear = useCallback(() => localStorage.removeItem(key), [key]);
  // For a form that stays: what was sent is not there to be sent again.
  const begin = useRef(first);
  const restart = useCallback(() => {
    localStorage.removeItem(key);
    setValue(begin.current);
  }, [key]);
  return [value, set, clear, restart];
}

/** The value of the newest render: what is typed while an answer is on its way is not cleared with what was sent. */
export function useNewest<T>(value: T): { readonly current: T } {
  const newest = useRef(value);
  useEffect(() => {
    newest.current = value;
  }, [value]);
  return newest;
}
