import { QueryTypes } from 'sequelize';
import type { Store } from '../domain/store';
import { Refusal } from '../domain/refusal';

/** So many wrong passwords in a row are nobody's concern. */
const FREE = 5;
const LONGEST_WAIT_S = 900;
/** Of one account, from wherever: enough for a person who forgot, too few for a list of words; the wait stays short. */
const FREE_ANYWHERE = 20;
const LONGEST_ANYWHERE_S = 60;
/** The line that counts an account from all addresses together. */
const ANYWHERE = '*';

/**
 * Guessing is slowed down for one name from one address: after five wrong passwords the wait doubles with each, up to a
 * quarter of an hour. Others sign in as ever. One account is counted from all addresses together as well, with a short wait: tablets
 * behind one proxy share an address, and somebody who guesses may have many.
 * @throws Refusal while the wait lasts.
 */
export async function mayTry(store: Store, name: string, address: string): Promise<void> {
  const [row] = await store.sequelize.query<{ wait: number }>(
    'SELECT max(extract(epoch FROM next_at - now()))::float8 AS wait FROM sign_in_tries WHERE name = lower(:name) AND address IN (:address, :anywhere) AND next_at > now() HAVING count(*) > 0',
    { replacements: { name, address, anywhere: ANYWHERE }, type: QueryTypes.SELECT },
  );
  if (!row) return;
  const s = Math.ceil(row.wait);
  throw new Refusal(
    'tooOften',
    'Too many tries',
    `Too many wrong passwords from here. Try again in ${s < 90 ? `${s} s` : `${Math.ceil(s / 60)} min`}.`,
  );
}

/** Counts a wrong password, by where it came from and by whose it was. */
export async function tried(store: Store, name: string, address: string): Promise<void> {
  const count = (from: string, free: number, longestS: number): Promise<unknown> =>
    store.sequelize.query(
      `INSERT INTO sign_in_tries (name, address, failed, next_at) VALUES (lower($1), $2, 1, now())
     ON CONFLICT (name, address) DO UPDATE SET failed = sign_in_tries.failed + 1,
       next_at = now() + make_interval(secs => CASE WHEN sign_in_tries.failed + 1 < $3 THEN 0
         ELSE least($4, 2 ^ least(20, sign_in_tries.failed + 1 - $3)) END)`,
      { bind: [name, from, free, longestS] },
    );
  await count(address, FREE, LONGEST_WAIT_S);
  await count(ANYWHERE, FREE_ANYWHERE, LONGEST_ANYWHERE_S);
}

export async function rightAtLast(store: Store, name: string, address: string): Promise<void> {
  await store.sequelize.query(
    'DELETE FROM sign_in_tries WHERE name = lower(:name) AND address IN (:address, :anywhere)',
    { replacements: { name, address, anywhere: ANYWHERE } },
  );
}
