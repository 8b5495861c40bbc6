import { useEffect, useRef, useSyncExternalStore } from 'react';

/** What the map takes while a stage offers something to be put into it. */
export interface MapDrops {
  places: readonly string[];
  /** Something was let go over a place. */
  take: (place: string, id: string) => void;
}
let drops: MapDrops | null = null;
/** What is being dragged on this page; another page's drag is not taken for a module. */
let dragged: string | null = null;
const listeners = new Set<() => void>();
const tell = (): void => {
  for (const l of listeners) l();
};
const subscribe = (l: () => void): (() => void) => {
  listeners.add(l);
  return () => listeners.delete(l);
};

/** Offers places of the map while the stage is open. */
export function useOfferDrops(places: readonly string[], take: MapDrops['take']): void {
  const latest = useRef(take);
  useEffect(() => {
    latest.current = take;
  });
  const key = places.join(' ');
  useEffect(() => {
    drops = { places: key.split(' '), take: (place, id) => latest.current(place, id) };
    tell();
    return () => {
      drops = null;
      dragged = null;
      tell();
    };
  }, [key]);
}
/** What may be put on the map now; null where nothing is offered. */
export const useMapDrops = (): MapDrops | null => useSyncExternalStore(subscribe, () => drops);
export const useDragging = (): boolean => useSyncExternalStore(subscribe, () => dragged !== null);
export const draggedNow = (): string | null => dragged;
export const setDragged = (id: string | null): void => {
  dragged = id;
  tell();
};
