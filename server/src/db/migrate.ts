import { SequelizeStorage, Umzug } from 'umzug';
import { QueryTypes, type Sequelize } from 'sequelize';
import { migrations } from './migrations';

/** Brings the schema up to date; several server processes may call it at once. */
export async function migrate(sequelize: Sequelize): Promise<void> {
  const umzug = new Umzug({
    migrations: migrations.map((m) => ({
      name: m.name,
      up: async () => {
        await sequelize.query(m.sql);
        await m.after?.(sequelize);
      },
    })),
    storage: new SequelizeStorage({ sequelize, tableName: 'schema_migrations' }),
    logger: undefined,
  });
  // One session holds the lock while it migrates; the others wait and then find nothing to do.
  await sequelize.transaction(async (transaction) => {
    await sequelize.query('SELECT pg_advisory_xact_lock(714001)', { transaction, type: QueryTypes.SELECT });
    await umzug.up();
  });
}
