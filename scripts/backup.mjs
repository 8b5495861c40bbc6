// npm run backup -- FILE: everything into one signed file that only its owner reads. npm run restore -- FILE reads it back.
// CELLMEND_PASSPHRASE encrypts it, and opens it again.
import { existsSync, mkdtempSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { parseArgs } from 'node:util';
import { ensureDebian, ensureNpm, main, POSTGRES, Told } from './lib/setup.mjs';
import { installationKey, seal, unseal } from './lib/backupFile.mjs';
import { APP_ROLE, dataFolder, dumpTo, startCluster } from './lib/postgres.mjs';
import { restoreFrom } from './lib/restore.mjs';
import { verifyRecord } from './lib/verify.mjs';

const { values: flags, positionals } = parseArgs({
  allowPositionals: true,
  options: { yes: { type: 'boolean' }, 'from-elsewhere': { type: 'boolean' } },
});
const [action, name] = positionals;
const DATABASE = 'cellmend';

async function confirm(file) {
  if (flags.yes) return;
  if (!process.stdin.isTTY)
    throw new Told('Restoring replaces everything in the database. Without a terminal to ask, add --yes.');
  const ask = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await ask.question(
    `This replaces everything in the database by ${file}. Type restore to go on: `,
  );
  ask.close();
  if (answer.trim() !== 'restore') throw new Told('Nothing was changed.');
}

/** The schema and what follows on a restore are the server's own, in TypeScript. */
async function restoreSteps() {
  ensureNpm();
  const { register } = await import('tsx/esm/api');
  register();
  return import('../server/src/db/restored.ts');
}

function sayRecord({ links, breaks, first }) {
  console.log(
    breaks === 0
      ? `The record in it is whole: ${links} links.`
      : `The record in it was changed before the backup was made: ${breaks} ${breaks === 1 ? 'break' : 'breaks'}, the first ${first.what} ${first.key}, ${first.how}.`,
  );
}

main(async () => {
  if (!name) throw new Told(`Name a file: npm run ${action} -- cellmend.backup`);
  const file = resolve(process.env.INIT_CWD ?? process.cwd(), name);
  if (action === 'restore' && !existsSync(file)) throw new Told(`There is no file ${file}.`);
  if (action === 'restore') await confirm(file);
  const key = installationKey(dataFolder());
  const passphrase = process.env.CELLMEND_PASSPHRASE ?? '';
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-backup-'));
  const dump = join(folder, 'dump');
  let url = process.env.CELLMEND_OWNER_URL ?? process.env.DATABASE_URL;
  let cluster = null;
  if (!url) {
    ensureDebian([POSTGRES]);
    cluster = await startCluster(dataFolder(), { borrow: true });
    cluster.ensureDatabase(DATABASE);
    url = cluster.url(DATABASE);
  }
  try {
    if (action === 'backup') {
      dumpTo(url, dump);
      seal(dump, file, key, { passphrase });
    } else {
      const { at } = unseal(file, dump, key, { passphrase, elsewhere: flags['from-elsewhere'] === true });
      await restoreFrom(url, dump, await restoreSteps(), { appRole: cluster ? APP_ROLE : '', madeAt: at });
      sayRecord(verifyRecord(url));
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
    cluster?.stop();
  }
  console.log(
    action === 'backup'
      ? `Backed up to ${file}, ${(statSync(file).size / 1e6).toFixed(1)} MB.`
      : `Restored from ${file}. Every gate is closed: prove again. Look at every instrument: its output is not known.`,
  );
});
