import type { Request, RequestHandler } from 'express';
import { QueryTypes } from 'sequelize';
import type { Logger } from 'pino';
import { z } from 'zod';
import { createHash, randomUUID } from 'node:crypto';
import type { PersonRow } from '../db/rows';
import type { Doing, Store } from '../domain/store';
import { Refusal } from '../domain/refusal';
import { tellStored } from '../domain/stored';

declare module 'express-session' {
  interface SessionData {
    personId: string;
    /** When and by what somebody signed in. */
    since: string;
    device: string;
  }
}
declare module 'express-serve-static-core' {
  interface Request {
    log: Logger;
    person?: PersonRow;
  }
}

/** The key of a request; one is made where the client gave none. Twice asked, the same. */
export function keyOf(req: Request): string {
  const given = KeySchema.parse(req.get('idempotency-key') ?? randomUUID());
  req.headers['idempotency-key'] = given;
  return given;
}

/** What tells one entry from another under the same key; null for a file, which is told by its own sum. */
const entryOf = (body: unknown): string | null =>
  body === undefined || body === null
    ? null
    : createHash('sha256').update(JSON.stringify(body)).digest('hex');

const KeySchema = z.uuid('A UUID in the Idempotency-Key header.');

/**
 * Runs a write once per idempotency key: a repeat gets the stored answer, also when both arrive together.
 * Everything the write does, and its answer, commit in one transaction.
 */
export function writeOnce<T>(
  store: Store,
  status: number,
  work: (req: Parameters<RequestHandler>[0], doing: Doing) => Promise<T>,
  /** What is answered once the write has committed, also to a repeat; by default what the write gave. */
  then: (body: T, req: Parameters<RequestHandler>[0]) => Promise<unknown> = (body) => Promise.resolve(body),
): RequestHandler {
  return async (req, res) => {
    const person = req.person!;
    const key = keyOf(req);
    const route = `${req.method} ${req.baseUrl}${req.path}`.slice(0, 300);
    const entry = entryOf(req.body);
    const after: (() => void)[] = [];
    let worked = false;
    const written = store.sequelize.transaction(async (tx) => {
      const [inserted] = await store.sequelize.query<{ key: string }>(
        'INSERT INTO idempotency_keys (key, person_id, route, entry_sha256) VALUES (:key, :person, :route, :entry) ON CONFLICT (key) DO NOTHING RETURNING key',
        {
          replacements: { key, person: person.id, route, entry },
          transaction: tx,
          type: QueryTypes.SELECT,
        },
      );
      if (!inserted) {
        const [stored] = await store.sequelize.query<{
          person_id: string;
          route: string;
          status: number;
          response: unknown;
          entry_sha256: string | null;
        }>('SELECT person_id, route, status, response, entry_sha256 FROM idempotency_keys WHERE key = :key', {
          replacements: { key },
          transaction: tx,
          type: QueryTypes.SELECT,
        });
        if (!stored || stored.person_id !== person.id || stored.route !== route)
          throw new Refusal(
            'conflict',
            'Key used already',
            'This idempotency key belongs to another entry.',
            {
              accepted: 'A new key for a new entry.',
            },
          );
        // The same key with something else in it would be answered as if it were stored: it is not.
        if (stored.entry_sha256 !== null && entry !== null && stored.entry_sha256 !== entry)
          throw new Refusal(
            'notPossible',
            'Key used already',
            'This idempotency key belongs to an entry with other figures; this one was not stored.',
            { accepted: 'A new key for a new entry.' },
          );
        return { status: stored.status, body: stored.response, repeated: true };
      }
      const body = await work(req, { tx, person, after });
      await store.sequelize.query(
        'UPDATE idempotency_keys SET status = :status, response = :response WHERE key = :key',
        { replacements: { status, response: JSON.stringify(body ?? null), key }, transaction: tx },
      );
      worked = true;
      return { status, body, repeated: false };
    });
    // Before the end of the work nothing was committed; while it commits, a connection that breaks leaves it open.
    const answer = await written.catch((error: unknown) => {
      throw tellStored(error, worked ? 'uncertain' : 'not');
    });
    for (const begin of after) begin();
    const told = await then(answer.body as T, req).catch((error: unknown) => {
      throw tellStored(error, 'stored');
    });
    if (res.headersSent) return;
    if (answer.repeated) res.set('Idempotent-Replay', 'true');
    res.status(answer.status).json(told);
  };
}
