import { Sequelize } from 'sequelize';

/** How long a request waits for the database, ms: for a connection, for a lock, for an answer. None waits for ever. */
export interface Patience {
  connectMs: number;
  lockMs: number;
  queryMs: number;
}
export const USUAL_PATIENCE: Patience = { connectMs: 5000, lockMs: 15_000, queryMs: 25_000 };
/** For migrations, which may rewrite a large table. */
export const MIGRATING: Patience = { connectMs: 20_000, lockMs: 600_000, queryMs: 3_600_000 };

/** Opens the database that `DATABASE_URL` names. @throws if the variable is missing. */
export function connect(url = process.env.DATABASE_URL, patience: Patience = USUAL_PATIENCE): Sequelize {
  if (!url)
    throw new Error('DATABASE_URL is not set. Start with `npm start`, or give a postgres:// address.');
  return new Sequelize(url, {
    dialect: 'postgres',
    logging: false,
    pool: { max: 12, min: 0, acquire: 20000, idle: 10000 },
    retry: { max: 0 },
    dialectOptions: {
      connectionTimeoutMillis: patience.connectMs,
      lock_timeout: patience.lockMs,
      // The database ends a statement of its own accord; one that hangs with its database is given up here.
      statement_timeout: patience.queryMs,
      query_timeout: patience.queryMs + 1000,
      idle_in_transaction_session_timeout: 10 * patience.queryMs,
    },
  });
}
