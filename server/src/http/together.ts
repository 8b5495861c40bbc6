import type { Response } from 'express';
import type { Store } from '../domain/store';

/**
 * Answers that many ask for at once are worked out once: whoever asks while one is being worked out waits for the next, which begins
 * when that one ends and is shared by all who came meanwhile. Nobody is answered by what began before they asked, so that everybody
 * sees what they wrote.
 */
export class Together {
  private readonly going = new Map<string, { now: Promise<unknown>; next: Promise<unknown> | null }>();

  do<T>(key: string, work: () => Promise<T>): Promise<T> {
    const own = this.going.get(key);
    if (!own) return this.begin(key, work);
    const after = (): Promise<T> => this.begin(key, work);
    own.next ??= own.now.then(after, after);
    return own.next as Promise<T>;
  }
  private begin<T>(key: string, work: () => Promise<T>): Promise<T> {
    const now = work();
    const own = { now, next: null as Promise<unknown> | null };
    this.going.set(key, own);
    const over = (): void => {
      if (this.going.get(key) === own && own.next === null) this.going.delete(key);
    };
    now.then(over, over);
    return now;
  }
}

const togetherOf = new WeakMap<Store, Together>();
/** Answers in JSON what many ask for at once; `key` says all that the answer depends on. */
export async function answerTogether(
  store: Store,
  res: Response,
  key: string,
  work: () => Promise<unknown>,
): Promise<void> {
  let together = togetherOf.get(store);
  if (!together) togetherOf.set(store, (together = new Together()));
  const json = await together.do(key, async () => {
    const answer = await work();
    return Buffer.isBuffer(answer) ? answer : Buffer.from(JSON.stringify(answer));
  });
  res.type('application/json').send(json);
}
