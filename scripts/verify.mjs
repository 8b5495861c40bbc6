// npm run verify: whether the record is as it was written; names every row, and everything that keeps it, that is not.
import { ensureDebian, main, POSTGRES } from './lib/setup.mjs';
import { dataFolder, startCluster } from './lib/postgres.mjs';
import { verifyRecord } from './lib/verify.mjs';

main(async () => {
  let cluster = null;
  let url = process.env.CELLMEND_OWNER_URL ?? process.env.DATABASE_URL;
  if (!url) {
    ensureDebian([POSTGRES]);
    cluster = await startCluster(dataFolder(), { borrow: true });
    url = cluster.url('cellmend');
  }
  try {
    const { links, head, breaks, all } = verifyRecord(url);
    if (breaks === 0) console.log(`The record is whole: ${links} links, the newest ${head}.`);
    else {
      console.log(`The record was changed: ${breaks} ${breaks === 1 ? 'break' : 'breaks'}.`);
      for (const { what, key, how } of all) console.log(`  ${what} ${key}: ${how}`);
      if (breaks > all.length) console.log(`  and ${breaks - all.length} more`);
      process.exitCode = 1;
    }
  } finally {
    cluster?.stop();
  }
});
