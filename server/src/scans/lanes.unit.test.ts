import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { runFor } from './work';

const root = join(import.meta.dirname, '../../..');
const profile = JSON.parse(readFileSync(join(root, 'demo/packs/marram-3-van.json'), 'utf8')) as PackProfile;
const folder = mkdtempSync(join(tmpdir(), 'cellmend-lanes-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const ids = normalisePack(profile).profile.channels.map((c) => c.id);
function table(name: string, rows: number): string {
  const path = join(folder, name);
  const row = ids.map((_, i) => (3.6 + i / 5000).toFixed(4)).join(',');
  const body = Array.from({ length: rows }, (_, t) => `${t},${(t % 7) - 3},${row}`).join('\n');
  writeFileSync(path, `time_s,current_A,${ids.join(',')}\n${body}\n`);
  return path;
}
const read = (path: string, person: string) =>
  runFor(
    'read',
    { kind: 'read', path, spillTo: `${path}.spill`, profile, help: { known: [], definitions: [] } },
    { person },
  );

it('a file of a thousand rows does not wait for those that keep the other threads busy', async () => {
  // How long a thread takes to begin is another matter.
  await Promise.all([read(table('first', 20), 'b'), read(table('firstLong', 5000), 'a')]);
  const order: string[] = [];
  const long = [1, 2, 3].map((i) => read(table(`long${i}`, 60_000), 'a').then(() => order.push('long')));
  await new Promise((r) => setTimeout(r, 300));
  await read(table('small', 1000), 'b').then(() => order.push('small'));
  await Promise.all(long);
  expect(order.indexOf('small')).toBeLessThan(2);
  expect(order).toHaveLength(4);
});

it('a disk that is full is told as one, not as a file that cannot be read', async () => {
  const path = table('full', 2000);
  const task = {
    kind: 'read' as const,
    path,
    spillTo: '/dev/full',
    profile,
    help: { known: [], definitions: [] },
  };
  await expect(runFor('read', task, {})).rejects.toMatchObject({ code: 'ENOSPC' });
});

it.each([
  ['line ends alone', '\n'.repeat(3e6)],
  ['a heading and line ends', `time_s,${ids.join(',')}\n${'\r\n'.repeat(2e6)}`],
])('a file of %s is refused for what it is', async (_what, text) => {
  const path = join(folder, 'hostile');
  writeFileSync(path, text);
  await expect(read(path, 'c')).rejects.toThrow(/lines without anything/);
});
