import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';
import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { dumpTo, restoreFrom } from '../../scripts/lib/postgres.mjs';
import { newDatabase, root, startBench } from './harness';

async function contents(url: string): Promise<Record<string, unknown[]>> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const tables = (
    await client.query<{ t: string }>(
      "SELECT tablename AS t FROM pg_tables WHERE schemaname = 'public' AND tablename <> 'user_sessions' ORDER BY 1",
    )
  ).rows.map((r) => r.t);
  const out: Record<string, unknown[]> = {};
  for (const t of tables)
    out[t] = (await client.query(`SELECT md5(x::text) AS h FROM ${t} x ORDER BY 1`)).rows;
  await client.end();
  return out;
}

it('backup and restore bring every row back, over what was there; a broken file changes nothing', async () => {
  const bench = await startBench();
  const target = await newDatabase();
  const folder = mkdtempSync(join(tmpdir(), 'cellmend-backup-'));
  try {
    const ina = await bench.as('Ina Holm');
    await ina.post(
      '/api/jobs/147/scans?name=a.csv&role=before',
      readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8'),
    );
    const file = join(folder, 'one.backup');
    dumpTo(bench.url, file);
    restoreFrom(target.url, file);
    const before = await contents(bench.url);
    expect(before.scan_chunks!.length).toBeGreaterThan(90);
    expect(await contents(target.url)).toEqual(before);
    restoreFrom(target.url, file);
    expect(await contents(target.url)).toEqual(before);
    const broken = join(folder, 'broken.backup');
    writeFileSync(broken, readFileSync(file).subarray(0, 9000));
    expect(() => restoreFrom(target.url, broken)).toThrow(/pg_restore failed/);
    expect(await contents(target.url)).toEqual(before);
  } finally {
    rmSync(folder, { recursive: true, force: true });
    await bench.end();
    await target.drop();
  }
});
