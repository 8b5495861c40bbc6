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
  /** Order of what was typed in the same millisecond. */
  seq?: number;
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

const inOrder = (a: Waiting, b: Waiting): number =>
  a.typedAt.localeCompare(b.typedAt) || (a.seq ?? 0) - (b.seq ?? 0);

/**
 * What was typed a moment ago and is not in the database of this browser yet: written before the key press returns, one
 * item an entry, so that neither a burst nor a page that dies at once loses or mixes any.
 */
const INCOMING = 'cellmend.incoming.';
const incoming = new Map<string, Waiting>();
function readIncoming(): Waiting[] {
  for (const item of Object.keys(localStorage).filter((k) => k.startsWith(INCOMING))) {
    const entry = JSON.parse(localStorage.getItem(item) ?? 'null') as Waiting | null;
    if (entry && !incoming.has(entry.key)) incoming.set(entry.key, entry);
  }
  return [...incoming.values()].sort(inOrder);
}

async function publish(): Promise<void> {
  const kept = await (await database()).getAllFromIndex('waiting', 'typedAt');
  const known = new Set(kept.map((w) => w.key));
  const next = [...kept, ...readIncoming().filter((w) => !known.has(w.key))].sort(inOrder);
  const same = (w: Waiting, i: number): boolean => {
    const shown = snapshot[i];
    return (
      shown?.key === w.key &&
      shown.personId === w.personId &&
      (shown.refused === null) === (w.refused === null)
    );
  };
  if (next.length === snapshot.length && next.every(same)) return;
  snapshot = next;
  for (const l of listeners) l();
}

let moving: Promise<void> = Promise.resolve();
/** Brings what has just been typed into the database of this browser, all of it at once. */
function moveIn(): Promise<void> {
  moving = moving
    .then(async () => {
      const entries = readIncoming();
      if (entries.length === 0) return;
      const tx = (await database()).transaction('waiting', 'readwrite');
      for (const entry of entries) void tx.store.put(entry);
      await tx.done;
      for (const { key } of entries) {
        localStorage.removeItem(INCOMING + key);
        incoming.delete(key);
      }
    })
    // It stays where it is, and is tried again with the next entry or start.
    .catch(() => undefined);
  return moving;
}

let seq = 0;
/**
 * Keeps an entry before it returns, and sends it as soon as the server takes it, under a key that lets the server take
 * it once only: a burst of a scanner, a reload, a closed tab or a lost answer neither loses nor doubles it.
 */
export function take(entry: Pick<Waiting, 'path' | 'body' | 'label' | 'jobNumber'>): string {
  const key = newKey();
  const waiting: Waiting = {
    ...entry,
    key,
    personId: currentPerson(),
    personName: name,
    typedAt: new Date().toISOString(),
    seq: seq++,
    refused: null,
  };
  incoming.set(key, waiting);
  try {
    localStorage.setItem(INCOMING + key, JSON.stringify(waiting));
  } catch {
    // No room there: the database of this browser takes it in a moment.
  }
  void moveIn().then(publish).then(flush);
  return key;
}

/** As {@link take}; resolves once it is in the database of this browser. */
export async function enqueue(
  entry: Pick<Waiting, 'path' | 'body' | 'label' | 'jobNumber'>,
): Promise<string> {
  const key = take(entry);
  await moving;
  await publish();
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

let onSent: (jobNumbers: number[]) => void = () => undefined;
/** Called after entries arrived: at most a few times a second, however many there were. */
export const whenSent = (callback: (jobNumbers: number[]) => void): void => {
  onSent = callback;
};
const TELL_MS = 400;

async function sendAll(): Promise<'done' | 'wait'> {
  const db = await database();
  let told = Date.now();
  const sent = new Set<number>();
  const tell = async (): Promise<void> => {
    if (sent.size === 0) return;
    told = Date.now();
    const numbers = [...sent];
    sent.clear();
    await publish();
    onSent(numbers);
  };
  try {
    const all = (await db.getAllFromIndex('waiting', 'typedAt')).sort(inOrder);
    // A stop goes before everything else, whatever was typed earlier.
    for (const entry of [...all.filter(isStop), ...all.filter((w) => !isStop(w))]) {
      if (entry.refused || !isMine({ ...entry, personId: entry.personId ?? null })) continue;
      try {
        await send('POST', entry.path, entry.body, entry.key);
      } catch (e) {
        if (e instanceof ServerAway) return 'wait';
        if (!(e instanceof ApiProblem)) throw e;
        // Not the entry's fault: away, signed out, somebody else signed in, too busy. It keeps waiting.
        if (uncertain(e) || e.problem.status === 401 || e.problem.type === 'urn:cellmend:person')
          return 'wait';
        await db.put('waiting', { ...entry, refused: e.problem });
        continue;
      }
      await db.delete('waiting', entry.key);
      sent.add(entry.jobNumber);
      if (Date.now() - told > TELL_MS) await tell();
    }
    return 'done';
  } finally {
    await tell();
  }
}

let again = false;
/** Sends what waits, in order; one tab at a time. What comes meanwhile goes in the next round. */
export async function flush(): Promise<void> {
  const work = async (): Promise<void> => {
    do {
      again = false;
      if ((await sendAll()) === 'wait') break;
    } while (again as boolean);
    await publish();
  };
  if ('locks' in navigator)
    await navigator.locks.request('cellmend-queue', { ifAvailable: true }, (lock) => {
      if (lock) return work();
      again = true;
      return undefined;
    });
  else await work();
}

/** Looks every few seconds, and at once when the browser says it is back on line. */
export function startQueue(): () => void {
  void moveIn().then(publish).then(flush);
  const timer = setInterval(() => void flush(), 2500);
  const now = (): void => void flush();
  window.addEventListener('online', now);
  return () => {
    clearInterval(timer);
    window.removeEventListener('online', now);
  };
}
