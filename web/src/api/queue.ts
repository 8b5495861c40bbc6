import { openDB, type DBSchema, type IDBPDatabase } from 'idb';
import type { Problem } from '@cellmend/contract/problem';
import { ApiProblem, currentPerson, newKey, send, ServerAway } from './client';
import { uncertain } from './keyFor';

/** An entry typed by a person, kept in this browser until the server has it. */
export interface Waiting {
  key: string;
  path: string;
  body: unknown;
  label: string;
  jobNumber: number;
  /** Who made it: it is sent only while they are signed in. Null for one from before this was kept. */
  personId: string | null;
  personName: string;
  typedAt: string;
  /** The server read it and said no: somebody has to look. */
  refused: Problem | null;
}
interface Schema extends DBSchema {
  waiting: { key: string; value: Waiting; indexes: { typedAt: string } };
}

let opened: Promise<IDBPDatabase<Schema>> | null = null;
const database = (): Promise<IDBPDatabase<Schema>> =>
  (opened ??= openDB<Schema>('cellmend', 2, {
    upgrade(db, from) {
      if (from < 1) db.createObjectStore('waiting', { keyPath: 'key' }).createIndex('typedAt', 'typedAt');
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
export async function enqueue(
  entry: Pick<Waiting, 'path' | 'body' | 'label' | 'jobNumber'>,
): Promise<string> {
  const key = newKey();
  await (
    await database()
  ).put('waiting', {
    ...entry,
    key,
    personId: currentPerson(),
    personName: name,
    typedAt: new Date().toISOString(),
    refused: null,
  });
  await publish();
  void flush();
  return key;
}

let name = '';
/** Whose entries are made from here on. */
export const queueFor = (personName: string): void => void (name = personName);

/** Whether an entry is made by whoever is signed in now. */
export const isMine = (w: Waiting): boolean => w.personId !== null && w.personId === currentPerson();

/** An entry of somebody else, or of nobody known, is taken over by whoever is signed in: said so with a press. */
export async function sendAsMine(key: string): Promise<void> {
  const db = await database();
  const entry = await db.get('waiting', key);
  if (!entry) return;
  await db.put('waiting', { ...entry, personId: currentPerson(), personName: name });
  await publish();
  void flush();
}

/** A stop that the server does not know of yet: until it does, the page treats the gate of that job as closed. */
export const stopWaiting = (waiting: readonly Waiting[], jobNumber: number): boolean =>
  waiting.some((w) => w.jobNumber === jobNumber && isStop(w));
const isStop = (w: Waiting): boolean => /\/stops$/.test(w.path);

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
  const all = await db.getAllFromIndex('waiting', 'typedAt');
  // A stop goes before everything else, whatever was typed earlier.
  for (const entry of [...all.filter(isStop), ...all.filter((w) => !isStop(w))]) {
    if (entry.refused || !isMine({ ...entry, personId: entry.personId ?? null })) continue;
    try {
      await send('POST', entry.path, entry.body, entry.key);
    } catch (e) {
      if (e instanceof ServerAway) return;
      if (!(e instanceof ApiProblem)) throw e;
      // Not the entry's fault: away, signed out, somebody else signed in, too busy. It keeps waiting.
      if (uncertain(e) || e.problem.status === 401 || e.problem.type === 'urn:cellmend:person') return;
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
