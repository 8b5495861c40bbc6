/// <reference lib="webworker" />
import { clientsClaim } from 'workbox-core';
import { cleanupOutdatedCaches, matchPrecache, precacheAndRoute } from 'workbox-precaching';
import { registerRoute } from 'workbox-routing';
import { KEPT_AT } from './api/kept';

declare const self: ServiceWorkerGlobalScope & { __WB_MANIFEST: { url: string; revision: string | null }[] };

/**
 * The page in a dead spot: the app itself is kept, and what was last known of the jobs that were looked at. The server
 * is always asked first; what comes from here says since when it is known, and the page takes no gate from it as open.
 */
void self.skipWaiting();
clientsClaim();
cleanupOutdatedCaches();
precacheAndRoute(self.__WB_MANIFEST);

const PAGE = 'cellmend-page';
const RECORD = 'cellmend-record';
const SHELL = '/';
/** A server that has not answered by then is as good as away, ms. */
const PATIENCE_MS = 8000;
/** Answers kept; the oldest go first. */
const MOST_KEPT = 400;
/** Larger answers are pictures and courses of records: they wait for the server. */
const LARGEST_BYTES = 4_000_000;

self.addEventListener('install', (event) => event.waitUntil(keepShell()));
async function keepShell(): Promise<void> {
  const page = await fetch(SHELL, { cache: 'no-store' });
  if (page.ok) await (await caches.open(PAGE)).put(SHELL, page);
}

const inTime = (request: Request): Promise<Response> => {
  const stop = new AbortController();
  const timer = setTimeout(() => stop.abort(), PATIENCE_MS);
  return fetch(request, { signal: stop.signal }).finally(() => clearTimeout(timer));
};

// The page with its nonce is kept as one answer, head and body, so that they go on belonging together.
registerRoute(
  ({ request, url }) => request.mode === 'navigate' && !url.pathname.startsWith('/api/'),
  async ({ request }) => {
    try {
      const page = await inTime(request as Request);
      if (page.ok) await (await caches.open(PAGE)).put(SHELL, page.clone());
      return page;
    } catch (e) {
      const kept = (await caches.match(SHELL, { cacheName: PAGE })) ?? (await matchPrecache(SHELL));
      if (kept) return kept;
      throw e;
    }
  },
);

/** Counts up when somebody signs in or out: what was asked for before is kept for nobody. */
let era = 0;

/** Addresses whose last answer is kept: not what passes, nor what is large. */
const isKept = (path: string): boolean =>
  path.startsWith('/api/') &&
  !/^\/api\/(?:events|openapi\.json|photos\/[^/]+)$|\/(?:traces|picture|live)$/.test(path);

registerRoute(
  ({ url, sameOrigin }) => sameOrigin && isKept(url.pathname),
  async ({ request }) => {
    const began = era;
    let answer: Response | null = null;
    try {
      answer = await inTime(request as Request);
      if (answer.ok) {
        if (began === era) await keep(request as Request, answer.clone());
        return answer;
      }
      // Away behind a server that still stands: what is kept is better than nothing.
      if (answer.status < 502) return answer;
    } catch {
      // The server is away.
    }
    const kept = await caches.match(request as Request, { cacheName: RECORD });
    if (kept) return kept;
    if (answer) return answer;
    return Response.error();
  },
);

async function keep(request: Request, answer: Response): Promise<void> {
  const body = await answer.arrayBuffer();
  if (body.byteLength > LARGEST_BYTES) return;
  const headers = new Headers(answer.headers);
  headers.set(KEPT_AT, new Date().toISOString());
  const cache = await caches.open(RECORD);
  // Put anew, so that the order of the keys is that of their age.
  await cache.delete(request);
  await cache.put(request, new Response(body, { status: answer.status, headers }));
  const keys = await cache.keys();
  for (const old of keys.slice(0, Math.max(0, keys.length - MOST_KEPT))) await cache.delete(old);
}

// What one person looked at is not there for the next.
self.addEventListener('fetch', (event) => {
  const { pathname } = new URL(event.request.url);
  if (event.request.method !== 'GET' && /^\/api\/session(?:\/demo)?$|^\/api\/first-lead$/.test(pathname)) {
    era++;
    event.waitUntil(caches.delete(RECORD));
  }
});
