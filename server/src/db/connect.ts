import { Sequelize } from 'sequelize';

/** Opens the database that `DATABASE_URL` names. @throws if the variable is missing. */
export function connect(url = process.env.DATABASE_URL): Sequelize {
  if (!url)
    throw new Error('DATABASE_URL is not set. Start with `npm start`, or give a postgres:// address.');
  return new Sequelize(url, {
    dialect: 'postgres',
    logging: false,
    pool: { max: 12, min: 0, acquire: 20000, idle: 10000 },
    retry: { max: 0 },
  });
}
