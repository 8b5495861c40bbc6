import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { Problem } from '@cellmend/contract/problem';
import { ApiProblem, newKey, send, ServerAway } from './client';

/** An entry typed by a person, kept in this browser until the server has it. */
export interface Waiting {
  key: string;
  path: string;
  body: unknown;
  label: string;
  jobNumber: number;
  typedAt: string;
  /** The server read it and said no: somebody has to look. */
  refused: Problem | null;
}
interface Schema extends DBSchema {
  waiting: { key: string; value: Waiting; indexes: { typedAt: string } };
}

let opened: Promise<IDBPDatabase<Schema>> | null = null;
const database = (): Promise<IDBPDatabase<Schema>> =>
  (opened ??= openDB<Schema>('cellmend', 1, {
    upgrade(db) {
      db.createObjectStore('waiting', { keyPath: 'key' }).createIndex('typedAt', 'typedAt');
    },
  }));

let snapshot: Waiting[] = [];
const listeners = new Set<() => void>();
export const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};
export const waitingNow = (): Waiting[] => snapshot;

async function publish(): Promise<void> {
  snapshot = await (await database()).getAllFromIndex('waiting', 'typedAt');
  for (const l of listeners) l();
}

/**
 * Keeps an entry and sends it as soon as the server takes it. It is written to disk before anything is sent, under
 * a key that lets the server take it once only: a reload, a closed tab or a lost answer neither loses nor doubles it.
 */
export async function enqueue(entry: Pick<Waiting, 'path' | 'body' | 'label' | 'jobNumber'>): Promise<void> {
  await (
    await database()
  ).put('waiting', { ...entry, key: newKey(), typedAt: new Date().toISOString(), refused: null });
  await publish();
  void flush();
}

/** Takes back an entry that the server refused. */
export async function discard(key: string): Promise<void> {
  await (await database()).delete('waiting', key);
  await publish();
}

let onSent: (entry: Waiting) => void = () => undefined;
/** Called after each entry that arrived. */
export const whenSent = (callback: (entry: Waiting) => void): void => {
  onSent = callback;
};

async function sendAll(): Promise<void> {
  const db = await database();
  for (const entry of await db.getAllFromIndex('waiting', 'typedAt')) {
    if (entry.refused) continue;
    try {
      await send('POST', entry.path, entry.body, entry.key);
    } catch (e) {
      if (e instanceof ServerAway) return;
      if (!(e instanceof ApiProblem)) throw e;
      // Not the entry's fault: away, signed out, too busy. It keeps waiting.
      if (e.problem.status >= 500 || [0, 401, 408, 429, 499].includes(e.problem.status)) return;
      await db.put('waiting', { ...entry, refused: e.problem });
      continue;
    }
    await db.delete('waiting', entry.key);
    onSent(entry);
  }
}

/** Sends what waits, in order; one tab at a time. */
export async function flush(): Promise<void> {
  const work = async (): Promise<void> => {
    await sendAll();
    await publish();
  };
  if ('locks' in navigator)
    await navigator.locks.request('cellmend-queue', { ifAvailable: true }, (lock) =>
      lock ? work() : undefined,
    );
  else await work();
}

/** Looks every few seconds, and at once when the browser says it is back on line. */
export function startQueue(): () => void {
  void publish().then(flush);
  const timer = setInterval(() => void flush(), 2500);
  const now = (): void => void flush();
  window.addEventListener('online', now);
  return () => {
    clearInterval(timer);
    window.removeEventListener('online', now);
  };
}
