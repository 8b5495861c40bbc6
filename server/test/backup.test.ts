import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Instrument } from '@cellmend/contract/instruments';
import type { Job } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import pg from 'pg';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { installationKey, seal, unseal } from '../../scripts/lib/backupFile.mjs';
import { APP_ROLE, dumpTo, LEFT_OUT, runSql } from '../../scripts/lib/postgres.mjs';
import { restoreFrom } from '../../scripts/lib/restore.mjs';
import { GUARDS_SQL, TABLES, verifyRecord } from '../../scripts/lib/verify.mjs';
import { ALL_CHAINED } from '../src/db/guards';
import * as steps from '../src/db/restored';
import { measures, proveDead } from './depot';
import { forgeries } from './forgedBackups';
import { Client, newDatabase, root, startBench, type Bench } from './harness';

/** A restore leaves its own line in these, and closes gates and forgets outputs. */
const WRITTEN_SINCE = ['audit', 'chain', 'instruments', 'instrument_runs'];

async function contents(url: string): Promise<Record<string, unknown[]>> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const tables = (
    await client.query<{ t: string }>(
      "SELECT tablename AS t FROM pg_tables WHERE schemaname = 'public' AND NOT tablename = ANY($1) ORDER BY 1",
      [[...LEFT_OUT, ...WRITTEN_SINCE]],
    )
  ).rows.map((r) => r.t);
  const out: Record<string, unknown[]> = {};
  for (const t of tables)
    out[t] = (await client.query(`SELECT md5(x::text) AS h FROM ${t} x ORDER BY 1`)).rows;
  await client.end();
  return out;
}

let bench: Bench;
let folder: string;
let file: string;
beforeAll(async () => {
  bench = await startBench();
  folder = mkdtempSync(join(tmpdir(), 'cellmend-backup-'));
  file = join(folder, 'one.dump');
  const ina = await bench.as('Ina Holm');
  await ina.post(
    '/api/jobs/147/scans?name=a.csv&role=before',
    readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8'),
  );
  await ina.post('/api/jobs/147/stops', { kind: 'smoke', place: 'M03', note: '' });
  const picture = await sharp({ create: { width: 90, height: 60, channels: 3, background: '#357' } })
    .jpeg()
    .toBuffer();
  const photo = await ina.post('/api/jobs/147/photos', {
    place: 'M07',
    note: '',
    stage: 'strip-down',
    observedAt: bench.clock.iso(),
    image: picture.toString('base64'),
  });
  expect(photo.status).toBe(201);
  const { body: shelf } = await ina.get<{ id: string }[]>('/api/stock');
  await ina.post('/api/jobs/147/decisions', {
    body: measures(['replace-module', 'M07']),
    findingIds: [],
    baseVersion: 0,
  });
  const held = await ina.post('/api/jobs/147/decisions', {
    body: { topic: 'match', choices: [{ place: 'M07', partId: shelf[0]!.id }] },
    findingIds: [],
    baseVersion: 0,
  });
  expect(held.status, JSON.stringify(held.body)).toBe(201);
  await bench.settled();
  dumpTo(bench.url, file);
});
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await bench.end();
});

describe('a backup', () => {
  it('brings every row back, over what was there, with the rights of the server; a broken one changes nothing', async () => {
    const target = await newDatabase();
    try {
      await restoreFrom(target.url, file, steps);
      const before = await contents(bench.url);
      expect(before.scan_chunks!.length).toBeGreaterThan(90);
      expect(await contents(target.url)).toEqual(before);
      await restoreFrom(target.url, file, steps, { appRole: APP_ROLE });
      expect(await contents(target.url)).toEqual(before);
      expect(() => runSql(target.appUrl, 'DELETE FROM observations')).toThrow(/permission denied/);
      expect(runSql(target.appUrl, 'SELECT count(*) > 0 FROM jobs').trim()).toBe('t');
      const broken = join(folder, 'broken.backup');
      writeFileSync(broken, readFileSync(file).subarray(0, 9000));
      await expect(restoreFrom(target.url, broken, steps)).rejects.toThrow(
        /pg_restore failed|cannot be read/,
      );
      expect(await contents(target.url)).toEqual(before);
      const left = runSql(
        target.url,
        "SELECT count(*) FROM pg_database WHERE datname ~ '_(new|old)_'; SELECT count(*) FROM pg_roles WHERE rolname ~ 'restorer'",
      );
      expect(left.trim().split('\n')).toEqual(['0', '0']);
    } finally {
      await target.drop();
    }
  });

  it('holds no session and no secret', async () => {
    const target = await newDatabase();
    try {
      expect(runSql(bench.url, 'SELECT count(*) > 0 FROM user_sessions').trim()).toBe('t');
      expect(runSql(bench.url, 'SELECT count(*) FROM secrets').trim()).toBe('1');
      await restoreFrom(target.url, file, steps);
      expect(
        runSql(
          target.url,
          'SELECT (SELECT count(*) FROM user_sessions) + (SELECT count(*) FROM secrets)',
        ).trim(),
      ).toBe('0');
    } finally {
      await target.drop();
    }
  });

  it('is read by its owner alone, is signed, and opens only whole, here, and with its passphrase', () => {
    const key = installationKey(join(folder, 'here'));
    const out = join(folder, 'out.dump');
    for (const passphrase of ['', 'nine dry cells']) {
      const sealed = join(folder, `sealed${passphrase.length}`);
      seal(file, sealed, key, { passphrase });
      expect(statSync(sealed).mode & 0o777).toBe(0o600);
      expect(unseal(sealed, out, key, { passphrase })).toMatchObject({ ours: true });
      expect(readFileSync(out).equals(readFileSync(file))).toBe(true);
      const bytes = readFileSync(sealed);
      // The dump names its tables in plain text; encrypted it does not.
      expect(bytes.includes('scan_chunks')).toBe(passphrase === '');
      for (const spoilt of [
        bytes.subarray(0, bytes.length - 1),
        Buffer.concat([bytes.subarray(0, 5000), Buffer.from([bytes[5000]! ^ 1]), bytes.subarray(5001)]),
        Buffer.concat([bytes, Buffer.from('x')]),
      ]) {
        writeFileSync(join(folder, 'spoilt'), spoilt);
        expect(() => unseal(join(folder, 'spoilt'), out, key, { passphrase })).toThrow(/cut off or changed/);
      }
      const elsewhere = installationKey(join(folder, 'elsewhere'));
      expect(() => unseal(sealed, out, elsewhere, { passphrase })).toThrow(/another installation/);
      expect(unseal(sealed, out, elsewhere, { passphrase, elsewhere: true })).toMatchObject({ ours: false });
    }
    const closed = join(folder, 'sealed14');
    expect(() => unseal(closed, out, key)).toThrow(/encrypted/);
    expect(() => unseal(closed, out, key, { passphrase: 'nine wet cells' })).toThrow(/does not open/);
    expect(() => unseal(file, out, key)).toThrow(/no backup/);
  });
});

describe('a forged backup', () => {
  it('brings rows at most: none of its statements, functions, triggers, rules or types is carried out', async () => {
    for (const forged of await forgeries(bench.url, folder)) {
      const target = await newDatabase();
      try {
        await restoreFrom(target.url, forged.file, steps, { appRole: APP_ROLE }).then(
          () => undefined,
          (e: unknown) => expect(String(e), forged.name).toMatch(/cannot be read|failed|Nothing was changed/),
        );
        expect(forged.ran(), forged.name).toBe(false);
        // What serves afterwards runs nothing of it either.
        const left = runSql(
          target.url,
          `SELECT (SELECT count(*) FROM pg_proc WHERE proname ~ 'forged') + (SELECT count(*) FROM pg_event_trigger)
             + (SELECT count(*) FROM pg_trigger WHERE tgname ~ 'forged') + (SELECT count(*) FROM pg_rules WHERE rulename ~ 'forged')
             + (SELECT count(*) FROM pg_attrdef WHERE pg_get_expr(adbin, adrelid) ~ 'forged') + (SELECT count(*) FROM pg_cast c JOIN pg_proc p ON p.oid = c.castfunc WHERE p.proname ~ 'forged')`,
        );
        expect(left.trim(), forged.name).toBe('0');
      } finally {
        await target.drop();
      }
    }
  });
});

describe('after a restore', () => {
  it('every gate is closed and no output is known until somebody has looked, with the reason on record', async () => {
    const ina = await bench.as('Ina Holm');
    await proveDead(ina, bench, 145);
    expect((await ina.get<Job>('/api/jobs/145')).body.gate.holds).toBe(true);
    const { body: instruments } = await ina.get<Instrument[]>('/api/instruments');
    const tester = instruments.find((i) => i.kind === 'insulation-tester')!;
    const live = join(folder, 'live.dump');
    dumpTo(bench.url, live);
    const target = await newDatabase();
    try {
      await restoreFrom(target.url, live, steps, { appRole: APP_ROLE, madeAt: '2026-12-01T08:00:00Z' });
      const other = await bench.another(target.appUrl);
      const lead = new Client(`http://127.0.0.1:${other.port}`);
      const { body } = await lead.get<{ demoPeople: { id: string; name: string }[] }>('/api/session');
      await lead.post('/api/session/demo', {
        personId: body.demoPeople.find((p) => p.name === 'Ina Holm')!.id,
      });
      const { gate } = (await lead.get<Job>('/api/jobs/145')).body;
      expect(gate).toMatchObject({
        holds: false,
        why: expect.stringMatching(/restored from a backup/) as string,
      });
      const refused = await lead.post<Problem>('/api/jobs/145/strip-down/ticks', {
        part: 'L8',
        off: true,
        observedAt: bench.clock.iso(),
      });
      expect(refused.status).toBe(423);
      const there = (await lead.get<Instrument[]>('/api/instruments')).body;
      expect(there.find((i) => i.id === tester.id)!.busyWith).toMatchObject({
        output: 'unknown',
        why: expect.stringMatching(/backup of 2026-12-01/) as string,
      });
      expect(
        (await lead.post(`/api/instruments/${tester.id}/off`, { note: 'looked, lamp dark' })).status,
      ).toBe(200);
      const after = (await lead.get<Instrument[]>('/api/instruments')).body;
      expect(after.find((i) => i.id === tester.id)!.busyWith).toBeNull();
      expect(verifyRecord(target.url)).toMatchObject({ breaks: 0 });
    } finally {
      await target.drop();
    }
  });
});

describe('the record', () => {
  let restored: Awaited<ReturnType<typeof newDatabase>>;
  beforeAll(async () => {
    restored = await newDatabase();
    await restoreFrom(restored.url, file, steps);
  });
  afterAll(() => restored.drop());
  const changed = async (sql: string): Promise<ReturnType<typeof verifyRecord>> => {
    const copy = await newDatabase(restored.url);
    try {
      // As somebody with the whole database in hand would: no trigger stops them.
      runSql(copy.url, `SET session_replication_role = replica; ${sql}`);
      return verifyRecord(copy.url);
    } finally {
      await copy.drop();
    }
  };

  it('is looked at in every table that is chained', () =>
    expect([...TABLES].sort()).toEqual([...ALL_CHAINED].sort()));

  it('is kept by just the triggers and functions that are written down; after a change of the schema: npm run guards', () => {
    const written = JSON.parse(readFileSync(join(root, 'scripts/lib/guards.json'), 'utf8')) as object;
    expect(JSON.parse(runSql(bench.url, GUARDS_SQL).trim())).toEqual(written);
  });

  it('is whole as the server wrote it, and says what its newest link is', () => {
    const told = verifyRecord(bench.url);
    expect(told).toMatchObject({
      breaks: 0,
      first: null,
      head: expect.stringMatching(/^[0-9a-f]{64}$/) as string,
    });
    expect(told.links).toBeGreaterThan(20);
  });

  it('names every break and goes on', async () => {
    const { breaks, all } = await changed(
      "UPDATE stops SET note = 'all well'; DELETE FROM scan_pictures; UPDATE people SET hv_level = 3 WHERE hv_level < 3; DROP TRIGGER audit_fixed ON audit",
    );
    expect(all).toHaveLength(breaks);
    expect(new Set(all.map((b) => b.what))).toEqual(new Set(['stops', 'scan_pictures', 'people', 'trigger']));
  });

  it.each([
    ["UPDATE audit SET detail = 'nothing' WHERE id = (SELECT min(id) FROM audit)", 'audit', /was changed/],
    ['DELETE FROM observations WHERE seq = (SELECT max(seq) FROM observations)', 'observations', /is gone/],
    ["UPDATE stops SET note = 'all well'", 'stops', /was changed/],
    ["UPDATE findings SET headline = 'all well'", 'findings', /was changed/],
    ["INSERT INTO audit (what, subject) VALUES ('signed', 'by nobody')", 'audit', /added past the chain/],
    ["UPDATE scan_sources SET bytes = 'x'", 'scan_sources', /file as it came/],
    ['DELETE FROM scan_sources', 'scan_sources', /is gone/],
    ['UPDATE scan_chunks SET "values" = set_byte("values", 5, 1) WHERE part = 0', 'scan_chunks', /changed/],
    ["DELETE FROM scan_chunks WHERE signal = 'current'", 'scan_chunks', /gone/],
    ["UPDATE scan_pictures SET picture = '{}'", 'scan_pictures', /changed/],
    ['DELETE FROM scan_pictures', 'scan_pictures', /gone/],
    ["UPDATE photo_files SET small = 'x'", 'photo_files', /small picture/],
    ["UPDATE people SET name = 'Nobody' WHERE name = 'Tomas Rook'", 'people', /was changed/],
    ["UPDATE people SET hv_level = 3 WHERE name = 'Tomas Rook'", 'people', /was changed/],
    ['UPDATE qualifications SET level = 3', 'qualifications', /was changed/],
    ['UPDATE safety_rules SET dead_v = 30', 'safety_rules', /was changed/],
    ["UPDATE settings SET value = '{}' WHERE name = 'workshop-rules'", 'settings', /was changed/],
    [
      `UPDATE pack_profiles SET profile = jsonb_set(profile, '{name}', '"x"')`,
      'pack_profiles',
      /was changed/,
    ],
    ["UPDATE parts SET label = label || '?'", 'parts', /was changed/],
    ['UPDATE clocks SET ends_at = ends_at + interval $$1 hour$$', 'clocks', /was changed/],
    ['UPDATE reservations SET ended_at = now()', 'reservations', /was changed/],
    ['ALTER TABLE audit DISABLE TRIGGER audit_fixed', 'trigger', /switched off/],
    ['DROP TRIGGER observations_chained ON observations', 'trigger', /is gone/],
    [
      'CREATE TRIGGER a_first BEFORE INSERT ON audit FOR EACH ROW EXECUTE FUNCTION chain_row()',
      'trigger',
      /was added/,
    ],
    ["INSERT INTO schema_migrations VALUES ('999-none')", 'schema', /not looked at/],
    [
      'CREATE OR REPLACE FUNCTION refuse_change() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RETURN NULL; END $$',
      'function',
      /was changed/,
    ],
    ['DELETE FROM chain WHERE seq = 3', '', /links before it are gone/],
    // Whoever mends the row's own link as well breaks the next one.
    ["UPDATE chain SET row_sha256 = repeat('0', 64) WHERE seq = 4", '', /was changed/],
  ])('tells that %s was done to it', async (sql, what, how) => {
    const { breaks, first } = await changed(sql);
    expect(breaks).toBeGreaterThan(0);
    expect(first!.how).toMatch(how);
    if (what) expect(first!.what).toBe(what);
  });
});

describe('the role that serves', () => {
  it('owns nothing, makes nothing, and gets round no rule of the record', () => {
    const asServer = (sql: string) => () => runSql(bench.url.replace(/\/\/[^@]*@/, appLogin()), sql);
    for (const sql of [
      'CREATE TABLE more (x int)',
      'CREATE TABLE public.more (x int)',
      'ALTER TABLE audit DISABLE TRIGGER ALL',
      'DROP TRIGGER audit_fixed ON audit',
      'SET session_replication_role = replica; DELETE FROM audit',
      'TRUNCATE audit',
      'TRUNCATE stops',
      'TRUNCATE idempotency_keys',
      'UPDATE observations SET reason = $$x$$',
      'DELETE FROM decisions',
      "UPDATE stops SET note = 'x'",
      'DELETE FROM stops',
      "INSERT INTO chain (seq, what, row_key, cols, row_sha256, sha256) VALUES (99999, 'x', 'x', '{}', 'x', 'x')",
      "SELECT chain_add('audit', '{}')",
      'CREATE ROLE more SUPERUSER',
      "COPY (SELECT 1) TO PROGRAM 'true'",
    ])
      expect(asServer(sql), sql).toThrow(/permission denied|must be|must have/);
    expect(asServer('DELETE FROM idempotency_keys'), 'keys').toThrow(/kept for 30 days/);
    expect(asServer("UPDATE idempotency_keys SET route = 'x'"), 'keys').toThrow(/stays/);
    expect(() => runSql(bench.url, 'TRUNCATE audit CASCADE'), 'the owner').toThrow(/append-only/);
  });
  const appLogin = (): string => /\/\/[^@]*@/.exec(process.env.TEST_DATABASE_APP_BASE!)![0];
});
