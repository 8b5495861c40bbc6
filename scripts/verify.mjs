// npm run verify: whether the record is as it was written; names the first row that is not.
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
    const { links, head, breaks, first } = verifyRecord(url);
    if (!first) console.log(`The record is whole: ${links} links, the newest ${head}.`);
    else {
      console.log(
        `The record was changed: ${breaks} ${breaks === 1 ? 'row is' : 'rows are'} not as written. The first: ${first.what} ${first.key}, ${first.how}.`,
      );
      process.exitCode = 1;
    }
  } finally {
    cluster?.stop();
  }
});
