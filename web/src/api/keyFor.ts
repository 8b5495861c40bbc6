import { ApiProblem, newKey } from './client';

/** Statuses after which it is not certain whether an entry arrived. */
const OPEN = new Set([0, 408, 425, 429, 499]);
/** Whether a failed write may have been stored all the same. */
export const uncertain = (e: unknown): boolean =>
  !(e instanceof ApiProblem) || e.problem.status >= 500 || OPEN.has(e.problem.status);

/** What is said where nobody knows whether an entry arrived. */
export const UNCERTAIN = 'Whether it was stored is not certain. Press again: it is stored once.';

/**
 * The idempotency key of what is about to be sent: the same one again while it is not certain whether the same entry
 * arrived, so that a second press never doubles it; a new one for another entry, or once the answer is known.
 */
export class Keys {
  private held: { text: string; key: string } | null = null;

  of(entry: unknown): string {
    const text = JSON.stringify(entry);
    if (this.held?.text !== text) this.held = { text, key: newKey() };
    return this.held.key;
  }
  answered(): void {
    this.held = null;
  }
  failed(e: unknown): void {
    if (!uncertain(e)) this.held = null;
  }
}
