import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import { startServer } from './server';

const root = join(dirname(fileURLToPath(import.meta.url)), '../..');
const logger = pino({
  level: process.env.LOG_LEVEL ?? 'warn',
  redact: ['req.headers.cookie', 'req.headers["idempotency-key"]'],
});
// The owner's way in is for the schema alone: it is forgotten before anything is served.
const ownerUrl = process.env.CELLMEND_OWNER_URL;
delete process.env.CELLMEND_OWNER_URL;
const running = await startServer({
  databaseUrl: process.env.DATABASE_URL ?? '',
  ownerUrl,
  port: Number(process.env.PORT ?? 4780),
  demo: process.env.CELLMEND_DEMO !== '0',
  demoRecords: process.env.CELLMEND_DEMO_RECORDS !== '0',
  demoBench: process.env.CELLMEND_DEMO_BENCH !== '0' && process.env.CELLMEND_DEMO_RECORDS !== '0',
  demoFolder: join(root, 'demo'),
  webFolder: join(root, 'web/dist'),
  logger,
  hosts: (process.env.CELLMEND_HOSTS ?? '').split(','),
  behindProxy: process.env.CELLMEND_BEHIND_PROXY === '1',
});
console.log(`LISTENING ${running.port}`);
process.send?.({ port: running.port });

let stopping = false;
const stop = (): void => {
  if (stopping) return;
  stopping = true;
  void running.close().then(() => process.exit(0));
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
process.on('disconnect', stop);
