import { lazy, type ComponentType, type LazyExoticComponent } from 'react';

type Module<P> = Record<string, ComponentType<P>>;
/** How long a page has to itself before the others are fetched, ms. */
const AFTER_MS = 3000;
/** Since the last key or touch the page is left alone this long, ms. */
const QUIET_MS = 1500;
let handAtMs = -Infinity;
const loads: (() => Promise<unknown>)[] = [];

/** A view that is fetched when it is first shown, by the name it is exported under. */
export function lazily<P, M extends Record<string, unknown>>(
  load: () => Promise<M>,
  name: keyof M & string,
): LazyExoticComponent<ComponentType<P>> {
  loads.push(load);
  return lazy(async () => {
    const found = (await load()) as unknown as Module<P>;
    return { default: found[name]! };
  });
}

/**
 * Fetches every view while nothing else is to be done, one after the other, so that none is missing in a dead spot. Where
 * the browser keeps them by itself already there is nothing to do.
 */
export function fetchAllViews(): (() => void) | undefined {
  if ('serviceWorker' in navigator && navigator.serviceWorker.controller) return undefined;
  const next = (at: number): void => {
    const load = loads[at];
    if (!load) return;
    const go = (): void => {
      // Not while a hand is at work: what a view is made of is read in one piece.
      if (performance.now() - handAtMs < QUIET_MS) return void setTimeout(() => next(at), QUIET_MS);
      void load()
        .catch(() => undefined)
        .then(() => next(at + 1));
    };
    if ('requestIdleCallback' in window) requestIdleCallback(go, { timeout: 4000 });
    else setTimeout(go, 300);
  };
  const hand = (): void => void (handAtMs = performance.now());
  for (const type of ['keydown', 'pointerdown'] as const)
    addEventListener(type, hand, { capture: true, passive: true });
  // The page that is looked at comes first, and all that it asks for.
  const timer = setTimeout(() => next(0), AFTER_MS);
  return () => {
    clearTimeout(timer);
    for (const type of ['keydown', 'pointerdown'] as const)
      removeEventListener(type, hand, { capture: true });
  };
}
