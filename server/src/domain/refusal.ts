import type { Problem } from '@cellmend/contract/problem';

/** Why something that was asked is not done. What that is called on the wire is known in one place, `http/problems`. */
export type RefusalKind =
  /** What was given cannot be read or cannot be so. */
  | 'unacceptable'
  | 'signedOut'
  | 'notAllowed'
  | 'notHere'
  /** It was right a moment ago: somebody else has changed, taken or done it. */
  | 'conflict'
  | 'tooLarge'
  /** Well-formed, and refused by what is on record or by physics. */
  | 'notPossible'
  /** The gate is closed. */
  | 'closed'
  | 'tooOften'
  /** Asked under a name that is not this server's. */
  | 'misdirected'
  /** Whoever asked has gone or has stopped it. */
  | 'stopped';

/** What goes with a refusal: where it is, what would be accepted, what stands instead. */
export type RefusalDetail = Pick<Partial<Problem>, 'where' | 'accepted' | 'fields' | 'current' | 'type'>;

/** A rule of the work says no; nothing was stored. */
export class Refusal extends Error {
  constructor(
    readonly kind: RefusalKind,
    readonly title: string,
    detail: string,
    readonly extra: RefusalDetail = {},
  ) {
    super(detail);
  }
}
export const notFound = (what: string): Refusal =>
  new Refusal('notHere', 'Not found', `${what} is not here.`);
