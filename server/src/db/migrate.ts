import { Umzug } from 'umzug';
import { QueryTypes, type Sequelize } from 'sequelize';
import { migrations } from './migrations';

function migrator(sequelize: Sequelize): Umzug {
  return new Umzug({
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
}
const LEDGER = 'CREATE TABLE IF NOT EXISTS schema_migrations (name varchar(255) PRIMARY KEY)';

/**
 * Makes the schema of an empty database as it was after the named migrations, for rows of that time.
 * @throws where they are not the first ones of this program
 */
export async function schemaUpTo(sequelize: Sequelize, names: readonly string[]): Promise<void> {
  const known = migrations.slice(0, names.length).map((m) => m.name);
  if (names.length === 0 || known.join() !== names.join())
    throw new Error(
      'The backup was made by a later version of this program, or by another program: bring this one up to date first. Nothing was changed.',
    );
  await sequelize.query(LEDGER);
  await migrator(sequelize).up({ to: names.at(-1)! });
}

/**
 * Brings the schema up to date, each change and its log in one transaction; several server processes may call it at once.
 * @param appRole who serves at run time; gets the rights it needs and no other. Left out where it is the owner.
 */
export async function migrate(sequelize: Sequelize, appRole?: string): Promise<void> {
  const umzug = migrator(sequelize);
  // One session holds the lock while it migrates; the others wait and then find nothing to do.
  await sequelize.transaction(async (transaction) => {
    await sequelize.query('SELECT pg_advisory_xact_lock(714001)', { transaction, type: QueryTypes.SELECT });
    await sequelize.query(LEDGER);
    await umzug.up();
    if (appRole)
      await sequelize.query('SELECT run_rights(:appRole)', {
        replacements: { appRole },
        type: QueryTypes.SELECT,
      });
  });
}
