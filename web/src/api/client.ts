import type { Problem } from '@cellmend/contract/problem';
import { KEPT_AT } from './kept';

/** An answer that was not a success, with the server's problem document. */
export class ApiProblem extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}
/** The server could not be reached at all. */
export class ServerAway extends Error {
  constructor() {
    super('The server is away.');
  }
}

async function answer(response: Response): Promise<unknown> {
  if (response.status === 204) return null;
  const text = await response.text();
  let body: unknown;
  try {
    body = JSON.parse(text);
  } catch {
    body = null;
  }
  if (response.ok) return body;
  throw new ApiProblem(
    (body as Problem | null) ?? {
      type: 'about:blank',
      title: 'Failed',
      status: response.status,
      detail: `The server answered ${response.status}.`,
    },
  );
}

/** Hears when an answer comes from what this tablet kept, with the moment it is from. */
let onKept: (sinceMs: number) => void = () => undefined;
export const whenKept = (listener: (sinceMs: number) => void): void => void (onKept = listener);
/** Hears when the server itself answers. */
let onFresh: () => void = () => undefined;
export const whenFresh = (listener: () => void): void => void (onFresh = listener);
const keptAnswers = new WeakSet<object>();
/** Whether what is shown came from this tablet, not from the server. */
export const isKept = (answer: object): boolean => keptAnswers.has(answer);

const arrivals = new WeakMap<object, number>();
/** When an answer came (performance clock, ms): what is shown from the cache is as old as it is. */
export const arrivedAt = (answer: object): number => arrivals.get(answer) ?? performance.now();

async function call(path: string, init: RequestInit): Promise<unknown> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, { credentials: 'same-origin', ...init });
  } catch {
    throw new ServerAway();
  }
  const body = await answer(response);
  const keptAt = response.headers.get(KEPT_AT);
  if (keptAt) onKept(Date.parse(keptAt));
  else onFresh();
  if (typeof body === 'object' && body !== null) {
    arrivals.set(body, performance.now() - (keptAt ? Math.max(0, Date.now() - Date.parse(keptAt)) : 0));
    if (keptAt) keptAnswers.add(body);
  }
  return body;
}

let me: string | null = null;
/** Who this page believes is signed in: every write says so, and the server refuses it for anybody else. */
export const signedIn = (personId: string | null): void => void (me = personId);
export const currentPerson = (): string | null => me;
const own = (): Record<string, string> => ({ 'X-Cellmend': '1', ...(me ? { 'X-Cellmend-Person': me } : {}) });

export const get = <T>(path: string): Promise<T> => call(path, {}) as Promise<T>;

/** A write. The key makes a repeat harmless: give the same one when sending again. */
export function send<T>(
  method: 'POST' | 'PATCH' | 'PUT' | 'DELETE',
  path: string,
  body?: unknown,
  key: string = newKey(),
  signal?: AbortSignal,
): Promise<T> {
  return call(path, {
    method,
    ...(signal ? { signal } : {}),
    headers: { 'Content-Type': 'application/json', ...own(), 'Idempotency-Key': key },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  }) as Promise<T>;
}

/** Uploads a file as it is. The key names the import in the progress that the server tells. */
export function upload<T>(
  path: string,
  file: Blob,
  signal?: AbortSignal,
  key: string = newKey(),
): Promise<T> {
  return call(path, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream', ...own(), 'Idempotency-Key': key },
    body: file,
    ...(signal ? { signal } : {}),
  }) as Promise<T>;
}

/** A random UUID; `crypto.randomUUID` is missing on plain-http addresses other than loopback. */
export function newKey(): string {
  if (typeof crypto.randomUUID === 'function') return crypto.randomUUID();
  const b = crypto.getRandomValues(new Uint8Array(16));
  b[6] = (b[6]! & 0x0f) | 0x40;
  b[8] = (b[8]! & 0x3f) | 0x80;
  const h = Array.from(b, (x) => x.toString(16).padStart(2, '0')).join('');
  return `${h.slice(0, 8)}-${h.slice(8, 12)}-${h.slice(12, 16)}-${h.slice(16, 20)}-${h.slice(20)}`;
}
