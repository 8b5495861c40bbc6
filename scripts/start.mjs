// npm start: everything from a fresh clone to a served page. Ctrl-C stops all of it and keeps the data.
import { fork } from 'node:child_process';
import { existsSync, readdirSync, statSync } from 'node:fs';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { createInterface } from 'node:readline/promises';
import { clearInterval, setInterval } from 'node:timers';
import { parseArgs } from 'node:util';
import { checkNode, ensureDebian, ensureNpm, main, POSTGRES, root, run, Told } from './lib/setup.mjs';
import { dataFolder, startCluster } from './lib/postgres.mjs';

const { values: flags } = parseArgs({
  options: {
    fresh: { type: 'boolean' },
    empty: { type: 'boolean' },
    yes: { type: 'boolean' },
    port: { type: 'string' },
    help: { type: 'boolean' },
  },
});
const DATABASE = 'cellmend';
const FIRST_PORT = 4780;
/** Longest wait between two tries to start something again, ms. */
const LONGEST_BACKOFF_MS = 15_000;
/** Who has run for so long begins anew with short waits, ms. */
const STEADY_MS = 60_000;
const WATCH_MS = 2000;
/** A server that has not ended by then after being asked is ended, ms. */
const LAST_MS = 9000;

const portFree = (port) =>
  new Promise((resolve) => {
    const probe = createServer();
    probe.once('error', () => resolve(false));
    probe.listen(port, '127.0.0.1', () => probe.close(() => resolve(true)));
  });

async function choosePort() {
  if (flags.port) {
    const port = Number(flags.port);
    if (!Number.isInteger(port) || port < 1 || port > 65535)
      throw new Told(`--port ${flags.port} is not a port: 1 to 65535.`);
    if (!(await portFree(port)))
      throw new Told(`Port ${port} is taken by another program. Leave --port out, or name another.`);
    return port;
  }
  for (let port = FIRST_PORT; port < FIRST_PORT + 50; port++) {
    if (await portFree(port)) {
      if (port !== FIRST_PORT) console.log(`Port ${FIRST_PORT} is taken; using ${port}.`);
      return port;
    }
  }
  throw new Told(`No free port from ${FIRST_PORT} to ${FIRST_PORT + 49}. Name one: npm start -- --port 8080`);
}

/** Newest change among the sources that the pages are built from. */
function newest(folder) {
  let latest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist') continue;
    const path = join(folder, entry.name);
    latest = Math.max(latest, entry.isDirectory() ? newest(path) : statSync(path).mtimeMs);
  }
  return latest;
}
function build() {
  const page = join(root, 'web/dist/index.html');
  const sources = Math.max(
    ...['web', 'core', 'contract'].map((w) => newest(join(root, w))),
    statSync(join(root, 'package-lock.json')).mtimeMs,
  );
  if (existsSync(page) && statSync(page).mtimeMs > sources) return;
  console.log('Building the pages …');
  run('npm', ['run', '-s', 'build']);
}

async function confirm() {
  if (flags.yes) return;
  if (!process.stdin.isTTY)
    throw new Told(
      '--fresh erases every job, reading and decision here. Without a terminal to ask, add --yes.',
    );
  const ask = createInterface({ input: process.stdin, output: process.stdout });
  const answer = await ask.question(
    'This erases every job, reading and decision in this database. Type erase to go on: ',
  );
  ask.close();
  if (answer.trim() !== 'erase') throw new Told('Nothing was erased.');
}

main(async () => {
  if (flags.help) {
    console.log(
      'npm start -- [--port N] [--empty] [--fresh [--yes]]\n  --empty  begin without demo data (first start only)\n  --fresh  erase the database and begin again; asks first',
    );
    return;
  }
  checkNode();
  if (flags.fresh) await confirm();
  if (!process.env.DATABASE_URL) ensureDebian([POSTGRES]);
  ensureNpm();
  build();
  let cluster = null;
  let url = process.env.DATABASE_URL;
  if (url && flags.fresh)
    throw new Told('--fresh works on the private database only; DATABASE_URL names another.');
  if (!url) {
    cluster = await startCluster(dataFolder());
    if (flags.fresh) cluster.dropDatabase(DATABASE);
    cluster.ensureDatabase(DATABASE);
    url = cluster.appUrl(DATABASE);
  }
  const port = await choosePort();
  supervise(url, port, cluster);
});

/**
 * Keeps server and database running until it is told to stop: whichever dies is started again, at first at once, then with
 * longer waits. Told to stop, the server goes first (outputs off, connections drained), the database last.
 */
function supervise(url, port, cluster) {
  let stopping = false;
  let server = null;
  let tries = 0;
  const begin = () => {
    const startedMs = Date.now();
    server = fork(join(root, 'server/src/main.ts'), {
      execArgv: ['--import', 'tsx'],
      cwd: root,
      env: {
        ...process.env,
        NODE_ENV: 'production',
        DATABASE_URL: url,
        ...(cluster ? { CELLMEND_OWNER_URL: cluster.url(DATABASE) } : {}),
        PORT: String(port),
        CELLMEND_DEMO: flags.empty ? '0' : '1',
        // What is read of a vehicle waits with the data until it is kept: it outlives a restart of the machine.
        CELLMEND_LIVE: process.env.CELLMEND_LIVE ?? join(dataFolder(), 'live'),
      },
    });
    server.on('message', (m) =>
      console.log(
        tries === 0
          ? `\nBold Cellmend is ready: http://127.0.0.1:${m.port}\nCtrl-C stops it; the data stays.`
          : `The server is back: http://127.0.0.1:${m.port}`,
      ),
    );
    server.on('exit', (code, signal) => {
      server = null;
      if (stopping) return end();
      if (Date.now() - startedMs > STEADY_MS) tries = 0;
      const waitMs = Math.min(LONGEST_BACKOFF_MS, 250 * 2 ** tries++);
      console.error(
        `The server ended by itself (${signal ?? `code ${code}`}). It is started again in ${(waitMs / 1000).toFixed(1)} s; nothing that it had answered is lost.`,
      );
      setTimeout(() => !stopping && begin(), waitMs);
    });
  };
  const end = () => {
    clearInterval(watch);
    cluster?.stop();
    process.exit(0);
  };
  const stop = () => {
    if (stopping) return;
    stopping = true;
    if (!server) return end();
    server.kill('SIGTERM');
    setTimeout(() => server?.kill('SIGKILL'), LAST_MS).unref();
  };
  let missed = 0;
  const watch = setInterval(async () => {
    if (!cluster || stopping) return;
    missed = (await cluster.listens()) ? 0 : missed + 1;
    // Once may be a hiccup of the machine.
    if (missed < 2 || stopping) return;
    missed = 0;
    try {
      if (cluster.heal()) console.error('The database had ended by itself and was started again.');
    } catch (error) {
      console.error(error instanceof Told ? error.message : error);
    }
  }, WATCH_MS);
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  begin();
}
