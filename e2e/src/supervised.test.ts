import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';

// `npm start` on a workshop's own little server: whatever dies comes back, and told to stop it stops in order.

const root = join(import.meta.dirname, '../..');
const folder = mkdtempSync(join(tmpdir(), 'cellmend-start-'));
let port: number;
let start: ChildProcess;
let said = '';
/** A process that has ended and that nobody has asked after is gone all the same. */
const alive = (pid: number): boolean => {
  try {
    return !/^\d+ \(.*\) Z/.test(readFileSync(`/proc/${pid}/stat`, 'utf8'));
  } catch {
    return false;
  }
};
const answers = async (): Promise<boolean> =>
  fetch(`http://127.0.0.1:${port}/api/session`)
    .then((r) => r.status === 200)
    .catch(() => false);
const postmaster = (): number =>
  Number(readFileSync(join(folder, 'postgres/postmaster.pid'), 'utf8').split('\n')[0]);
const child = (): number =>
  Number(
    spawnSync('pgrep', ['-P', String(start.pid), '-f', 'server/src/main.ts'], {
      encoding: 'utf8',
    }).stdout.trim(),
  );

beforeAll(async () => {
  port = await new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const address = probe.address();
      probe.close(() => resolve(typeof address === 'object' && address ? address.port : 0));
    });
  });
  // A start that was killed while it made its cluster: half of one, and no password yet.
  mkdirSync(join(folder, 'postgres'));
  writeFileSync(join(folder, 'postgres/PG_VERSION'), '99\n');
  start = spawn('node', ['scripts/start.mjs', '--port', String(port)], {
    cwd: root,
    env: { ...process.env, CELLMEND_DATA: folder, CELLMEND_DEMO_RECORDS: '0', LOG_LEVEL: 'silent' },
  });
  for (const stream of [start.stdout!, start.stderr!])
    stream.on('data', (d: Buffer) => (said += d.toString()));
}, 30_000);
afterAll(() => {
  if (start.exitCode === null) start.kill('SIGKILL');
  rmSync(folder, { recursive: true, force: true });
});

it('a half-made cluster heals; a killed server and a killed database come back; it ends in order when told to', async () => {
  await expect.poll(answers, { timeout: 90_000 }).toBe(true);
  const first = child();
  process.kill(first, 'SIGKILL');
  await expect.poll(() => said, { timeout: 10_000 }).toMatch(/The server ended by itself \(SIGKILL\)/);
  await expect.poll(answers, { timeout: 30_000 }).toBe(true);
  expect(child()).not.toBe(first);

  const database = postmaster();
  process.kill(database, 'SIGKILL');
  await expect
    .poll(() => said, { timeout: 30_000 })
    .toMatch(/database had ended by itself and was started again/);
  await expect.poll(answers, { timeout: 30_000 }).toBe(true);
  expect(postmaster()).not.toBe(database);

  // What only passes by takes nothing along when it goes.
  const backup = spawnSync('node', ['scripts/backup.mjs', 'backup', join(folder, 'b.backup')], {
    cwd: root,
    env: { ...process.env, CELLMEND_DATA: folder },
    encoding: 'utf8',
  });
  expect(backup.status, backup.stderr).toBe(0);
  expect(await answers()).toBe(true);

  const [server, last] = [child(), postmaster()];
  const toldMs = Date.now();
  start.kill('SIGTERM');
  await new Promise((resolve) => start.once('exit', resolve));
  expect(Date.now() - toldMs).toBeLessThan(10_000);
  expect([alive(server), alive(last)]).toEqual([false, false]);
}, 220_000);
