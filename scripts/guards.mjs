// npm run guards: writes down which triggers and functions keep the record, from a database that our migrations have just made.
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { register } from 'tsx/esm/api';
import { runSql, throwAwayCluster } from './lib/postgres.mjs';
import { main, root } from './lib/setup.mjs';
import { GUARDS_SQL } from './lib/verify.mjs';

main(async () => {
  register();
  const { connect } = await import('../server/src/db/connect.ts');
  const { migrate } = await import('../server/src/db/migrate.ts');
  const cluster = await throwAwayCluster();
  try {
    cluster.ensureDatabase('guards');
    const sequelize = connect(cluster.url('guards'));
    await migrate(sequelize);
    await sequelize.close();
    const guards = JSON.parse(runSql(cluster.url('guards'), GUARDS_SQL).trim());
    const sorted = (o) => Object.fromEntries(Object.entries(o).sort(([a], [b]) => (a < b ? -1 : 1)));
    const out = { ...guards, triggers: sorted(guards.triggers), functions: sorted(guards.functions) };
    writeFileSync(join(root, 'scripts/lib/guards.json'), `${JSON.stringify(out, null, 2)}\n`);
  } finally {
    cluster.stop();
  }
});
