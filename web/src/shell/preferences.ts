import { useSyncExternalStore } from 'react';

/** A small setting of this tablet: survives reloads, shared between the parts that use it. */
function setting<T extends string>(name: string, first: T) {
  const listeners = new Set<() => void>();
  const read = (): T => (localStorage.getItem(name) as T | null) ?? first;
  return {
    read,
    use: (): [T, (value: T) => void] => {
      const value = useSyncExternalStore((l) => {
        listeners.add(l);
        return () => listeners.delete(l);
      }, read);
      return [
        value,
        (next) => {
          localStorage.setItem(name, next);
          for (const l of listeners) l();
        },
      ];
    },
  };
}
export const theme = setting<'day' | 'pit'>('cellmend.theme', 'day');
export const mapShown = setting<'yes' | 'no'>('cellmend.map', 'yes');
