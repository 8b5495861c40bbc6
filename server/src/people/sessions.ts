import type { SignedIn } from '@cellmend/contract/people';
import { createHash } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import { announceNow, audit, type Doing, type Store } from '../domain/store';
import { notFound } from '../domain/refusal';

/** A session by a name that cannot be used to be it. */
export const sessionName = (sid: string): string =>
  createHash('sha256').update(sid).digest('hex').slice(0, 16);

/** Columns of the sessions of one person, by the same name. */
const NAME = "substr(encode(sha256(convert_to(sid, 'UTF8')), 'hex'), 1, 16)";

/** Where somebody is signed in, the newest first. */
export async function sessionsOf(store: Store, personId: string, here: string): Promise<SignedIn[]> {
  const rows = await store.sequelize.query<{ id: string; since: string | null; device: string | null }>(
    `SELECT ${NAME} AS id, sess->>'since' AS since, sess->>'device' AS device FROM user_sessions
      WHERE sess->>'personId' = :personId AND expire > now() ORDER BY sess->>'since' DESC NULLS LAST LIMIT 200`,
    { replacements: { personId }, type: QueryTypes.SELECT },
  );
  return rows.map((r) => ({ id: r.id, since: r.since, device: r.device ?? '', here: r.id === here }));
}

/** Signs somebody out everywhere, but for one place; their pages stop hearing of anything. */
export async function endSessions(store: Store, doing: Doing, personId: string, but = ''): Promise<void> {
  const ended = await store.sequelize.query<{ id: string }>(
    `DELETE FROM user_sessions WHERE sess->>'personId' = :personId AND ${NAME} <> :but RETURNING ${NAME} AS id`,
    { replacements: { personId, but }, type: QueryTypes.SELECT, transaction: doing.tx },
  );
  doing.after.push(
    () =>
      void signedOut(
        store,
        ended.map((e) => e.id),
      ),
  );
}

/** Signs somebody out at one place. */
export async function endSession(store: Store, doing: Doing, personId: string, id: string): Promise<void> {
  const ended = await store.sequelize.query<{ id: string }>(
    `DELETE FROM user_sessions WHERE sess->>'personId' = :personId AND ${NAME} = :id RETURNING ${NAME} AS id`,
    { replacements: { personId, id }, type: QueryTypes.SELECT, transaction: doing.tx },
  );
  if (ended.length === 0) throw notFound('That session');
  await audit(store, doing, null, 'signed out', id, 'at one place');
  doing.after.push(() => void signedOut(store, [id]));
}

/** Every server process stops telling these sessions anything. */
export async function signedOut(store: Store, sessions: string[]): Promise<void> {
  for (let i = 0; i < sessions.length; i += 100)
    await announceNow(store, { topic: 'signed-out', sessions: sessions.slice(i, i + 100) });
}
