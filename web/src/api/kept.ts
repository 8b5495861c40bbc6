/** Header of an answer that the tablet kept: since when it is known. The server never sends it. */
export const KEPT_AT = 'x-cellmend-kept-at';

/** Registers what keeps the app and the open jobs for a dead spot, where the browser allows it. */
export function keepForDeadSpots(whenKept: () => void): void {
  if (!('serviceWorker' in navigator) || !import.meta.env.PROD) return;
  const fresh = navigator.serviceWorker.controller === null;
  // What was fetched before it stood here is not kept yet: it is asked for again once.
  if (fresh) navigator.serviceWorker.addEventListener('controllerchange', whenKept, { once: true });
  navigator.serviceWorker.register('/sw.js', { scope: '/' }).catch(() => undefined);
}
