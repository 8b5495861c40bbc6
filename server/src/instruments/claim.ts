import type pg from 'pg';

/** First half of the advisory lock that says who drives an instrument; the second is made of its id. */
const LOCK = 714_002;
/** A database that has not answered for so long ends the tests that it should keep, ms. */
const DATABASE_SILENT_MS = 4000;
const ASK_EVERY_MS = 1000;

/** Claims an instrument for as long as this connection lives; false where somebody else has it. */
export async function claims(lock: pg.Client, instrumentId: string): Promise<boolean> {
  const { rows } = await lock.query<{ got: boolean }>(
    'SELECT pg_try_advisory_lock($1, hashtext($2)) AS got',
    [LOCK, instrumentId],
  );
  return rows[0]!.got;
}

/** A test goes on only while the database that keeps it answers: one that hangs ends it as one that is lost does. */
export function keepAsking(lock: pg.Client, stop: AbortController): void {
  const ask = async (): Promise<void> => {
    if (stop.signal.aborted) return;
    const silent = setTimeout(() => stop.abort('the database does not answer'), DATABASE_SILENT_MS);
    try {
      await lock.query('SELECT 1');
      setTimeout(() => void ask(), ASK_EVERY_MS).unref();
    } catch {
      // The connection was ended with the run, or lost, which its own listener tells.
    } finally {
      clearTimeout(silent);
    }
  };
  void ask();
}
