import { Umzug } from 'umzug';
import { QueryTypes, type Sequelize } from 'sequelize';
import { migrations } from './migrations';

/**
 * Brings the schema up to date, each change and its log in one transaction; several server processes may call it at once.
 * @param appRole who serves at run time; gets the rights it needs and no other. Left out where it is the owner.
 */
export async function migrate(sequelize: Sequelize, appRole?: string): Promise<void> {
  const umzug = new Umzug({
    migrations: migrations.map((m) => ({
      name: m.name,
      up: () =>
        sequelize.transaction(async (transaction) => {
          await sequelize.query(m.sql, { transaction });
          await m.after?.(sequelize, transaction);
          await sequelize.query('INSERT INTO schema_migrations (name) VALUES (:name)', {
            replacements: { name: m.name },
            transaction,
          });
        }),
    })),
    storage: {
      executed: async () =>
        (
          await sequelize.query<{ name: string }>('SELECT name FROM schema_migrations ORDER BY name', {
            type: QueryTypes.SELECT,
          })
        ).map((r) => r.name),
      // Logged with the change itself.
      logMigration: () => Promise.resolve(),
      unlogMigration: () => Promise.resolve(),
    },
    logger: undefined,
  });
  // One session holds the lock while it migrates; the others wait and then find nothing to do.
  await sequelize.transaction(async (transaction) => {
    await sequelize.query('SELECT pg_advisory_xact_lock(714001)', { transaction, type: QueryTypes.SELECT });
    await sequelize.query('CREATE TABLE IF NOT EXISTS schema_migrations (name varchar(255) PRIMARY KEY)');
    await umzug.up();
    if (appRole)
      await sequelize.query('SELECT run_rights(:appRole)', {
        replacements: { appRole },
        type: QueryTypes.SELECT,
      });
  });
}
