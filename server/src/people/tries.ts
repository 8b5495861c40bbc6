import { QueryTypes } from 'sequelize';
import type { Store } from '../domain/store';
import { Refusal } from '../domain/refusal';

/** So many wrong passwords in a row are nobody's concern. */
const FREE = 5;
const LONGEST_WAIT_S = 900;

/**
 * Guessing is slowed down for one name from one address: after five wrong passwords the wait doubles with each, up to a
 * quarter of an hour. Others sign in as ever, and so does the same person from elsewhere.
 * @throws Refusal while the wait lasts.
 */
export async function mayTry(store: Store, name: string, address: string): Promise<void> {
  const [row] = await store.sequelize.query<{ wait: number }>(
    'SELECT extract(epoch FROM next_at - now())::float8 AS wait FROM sign_in_tries WHERE name = lower(:name) AND address = :address AND next_at > now()',
    { replacements: { name, address }, type: QueryTypes.SELECT },
  );
  if (!row) return;
  const s = Math.ceil(row.wait);
  throw new Refusal(
    'tooOften',
    'Too many tries',
    `Too many wrong passwords from here. Try again in ${s < 90 ? `${s} s` : `${Math.ceil(s / 60)} min`}.`,
  );
}

/** Counts a wrong password. */
export async function tried(store: Store, name: string, address: string): Promise<void> {
  await store.sequelize.query(
    `INSERT INTO sign_in_tries (name, address, failed, next_at) VALUES (lower(:name), :address, 1, now())
     ON CONFLICT (name, address) DO UPDATE SET failed = sign_in_tries.failed + 1,
       next_at = now() + make_interval(secs => CASE WHEN sign_in_tries.failed + 1 < ${FREE} THEN 0
         ELSE least(${LONGEST_WAIT_S}, 2 ^ least(20, sign_in_tries.failed + 1 - ${FREE})) END)`,
    { replacements: { name, address } },
  );
}

export async function rightAtLast(store: Store, name: string, address: string): Promise<void> {
  await store.sequelize.query('DELETE FROM sign_in_tries WHERE name = lower(:name) AND address = :address', {
    replacements: { name, address },
  });
}
