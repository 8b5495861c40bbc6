import { createServer, type Server } from 'node:http';
import { randomBytes } from 'node:crypto';
import type { Logger } from 'pino';
import { QueryTypes } from 'sequelize';
import { connect, MIGRATING, type Patience } from './db/connect';
import { migrate } from './db/migrate';
import { defineModels } from './db/models';
import { readSetting } from './domain/settings';
import { beginDemoRuns } from './bench/demo';
import { simulateBench } from './bench/simulated';
import { finishLeft, finishOrSay } from './bench/finish';
import { addDemoRecords } from './demo/records';
import { seedDemo } from './demo/seed';
import { makeApp } from './http/app';
import { systemClock, type Clock } from './domain/clock';
import { DueFindings } from './findings/due';
import type { Store } from './domain/store';
import { InstrumentRuns } from './instruments/runs';
import { tidyWorkFolder } from './scans/workFolder';
import { simulateTester } from './instruments/demo';
import { LiveHub } from './http/liveHub';

export interface ServerOptions {
  databaseUrl: string;
  /** The database by its owner, for the changes of its schema alone; left out where `databaseUrl` is the owner's. */
  ownerUrl?: string | undefined;
  port: number;
  /** Fill an empty database with the demo depot and offer its people at sign-in. */
  demo: boolean;
  demoFolder: string;
  webFolder?: string;
  logger: Logger;
  signInsPerMinute?: number;
  hosts?: string[];
  behindProxy?: boolean;
  /** Fill the demo's jobs with the work that was begun, too: a few seconds in which the server answers already. */
  demoRecords?: boolean;
  /** Simulated chargers with modules on their leads, at work when the demo begins: a process of their own. */
  demoBench?: boolean;
  /** How long a request waits for the database, unless the usual time. */
  patience?: Patience;
  /** The machine's clocks, unless a test sets its own. */
  clock?: Clock;
}

const PRUNE_MS = 3600_000;
/** How often runs are looked for that nobody drives, and how long one may take to claim its instrument, ms. */
const SWEEP_MS = 10_000;
const CUT_SHORT_MS = 20_000;
/** What nobody can use any more goes: sessions past their time, keys nobody repeats, tries of long ago. */
async function prune(store: Store): Promise<void> {
  await store.sequelize.query('DELETE FROM user_sessions WHERE expire < now()');
  await store.sequelize.query("DELETE FROM idempotency_keys WHERE created_at < now() - interval '60 days'");
  await store.sequelize.query("DELETE FROM sign_in_tries WHERE next_at < now() - interval '1 day'");
}

export interface Running {
  port: number;
  store: Store;
  runs: InstrumentRuns;
  server: Server;
  /** Once the demo's jobs are filled. */
  filled: Promise<void>;
  close: () => Promise<void>;
}

/** One secret for all server processes on this database, which no backup takes along. */
async function sharedSecret(store: Store, name: string): Promise<string> {
  await store.sequelize.query(
    'INSERT INTO secrets (name, value) VALUES (:name, :value) ON CONFLICT (name) DO NOTHING',
    { replacements: { name, value: randomBytes(32).toString('hex') } },
  );
  const [row] = await store.sequelize.query<{ value: string }>(
    'SELECT value FROM secrets WHERE name = :name',
    { replacements: { name }, type: QueryTypes.SELECT },
  );
  return row!.value;
}

/** One value for all server processes on this database, made by whichever comes first. */
async function sharedSetting(store: Store, name: string, make: () => unknown): Promise<unknown> {
  await store.sequelize.query(
    'INSERT INTO settings (name, value) VALUES (:name, :value) ON CONFLICT (name) DO NOTHING',
    { replacements: { name, value: JSON.stringify(make()) } },
  );
  return readSetting(store, name);
}

/** Migrates, seeds if asked, and serves on loopback. */
export async function startServer(options: ServerOptions): Promise<Running> {
  const first = connect(options.ownerUrl ?? options.databaseUrl, MIGRATING);
  try {
    await migrate(first, options.ownerUrl ? new URL(options.databaseUrl).username : undefined);
  } finally {
    await first.close();
  }
  tidyWorkFolder();
  const sequelize = connect(options.databaseUrl, options.patience);
  const store: Store = {
    sequelize,
    models: defineModels(sequelize),
    clock: options.clock ?? systemClock(),
    ownAddress: '',
    startDue: () => undefined,
  };
  // A database begun as demo stays one, and one begun empty never gets demo people.
  const demo = (await sharedSetting(store, 'demo', () => options.demo)) === true;
  const begun = demo && (await seedDemo(store, options.demoFolder)) && options.demoRecords === true;
  const sessionSecret = await sharedSecret(store, 'session-secret');
  const hub = new LiveHub(options.databaseUrl);
  const runs = new InstrumentRuns(store, options.databaseUrl);
  runs.onLate = (row) => void finishOrSay(store, row);
  hub.listen((message) => runs.heard(message));
  await hub.open();
  const due = new DueFindings(store, (error) =>
    options.logger.error(error, 'a finding could not be computed'),
  );
  store.startDue = (...which) => due.start(...which);
  const simulatedBench = demo && options.demoBench ? await simulateBench(store) : null;
  const simulated = demo && !simulatedBench ? await simulateTester(store) : null;
  // The demo's instruments are back by now: what was at work is switched off where it is.
  await runs.recover();
  await finishLeft(store);
  const { app, close: closeApp } = makeApp({ ...options, store, sessionSecret, demo, hub, runs });
  const server = createServer(app);
  // A browser that sends just as an idle connection is closed would meet a reset: idle ones are kept for longer.
  server.keepAliveTimeout = 65_000;
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port, '127.0.0.1', resolve);
  });
  const address = server.address();
  if (typeof address === 'object' && address) store.ownAddress = `http://127.0.0.1:${address.port}`;
  const filling = begun
    ? addDemoRecords(store)
        .then(() => (simulatedBench ? beginDemoRuns(store, runs) : undefined))
        .catch((error: unknown) => options.logger.error(error, 'the demo’s jobs could not be filled'))
    : Promise.resolve();
  // A start that was cut short between its claim and its first reading ends by itself.
  const sweeping = setInterval(
    () =>
      void runs
        .recover(CUT_SHORT_MS)
        .catch((e: unknown) => options.logger.warn({ err: e }, 'runs could not be looked at')),
    SWEEP_MS,
  );
  const pruning = setInterval(() => void prune(store).catch(() => undefined), PRUNE_MS);
  void prune(store).catch(() => undefined);
  let closing: Promise<void> | null = null;
  const closeAll = async (): Promise<void> => {
    clearInterval(pruning);
    clearInterval(sweeping);
    // Outputs first, while there is still a database to write to.
    await runs.close();
    simulated?.stop();
    simulatedBench?.stop();
    await hub.close();
    await new Promise<void>((resolve) => {
      server.close(() => resolve());
      server.closeAllConnections();
    });
    await closeApp();
    await filling;
    await due.close();
    await sequelize.close();
  };
  return {
    port: typeof address === 'object' && address ? address.port : options.port,
    store,
    runs,
    server,
    filled: filling,
    close: () => (closing ??= closeAll()),
  };
}
