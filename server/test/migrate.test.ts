import type { Job } from '@cellmend/contract/jobs';
import type { StoredProfile } from '@cellmend/contract/pack';
import type { Finding } from '@cellmend/contract/records';
import type { SafetyView } from '@cellmend/contract/safety';
import type { SpreadReport } from '@cellmend/core/spread';
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import { pino } from 'pino';
import { expect, it } from 'vitest';
import { migrations } from '../src/db/migrations';
import { startServer } from '../src/server';
import { Client, newDatabase, root } from './harness';

/** A database as the version before left it: its schema, a profile with limits by name, a crash lock-out, an old finding. */
async function oldDatabase(url: string): Promise<{ jobNumber: number }> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  const shipped = migrations.slice(
    0,
    migrations.findIndex((m) => m.name.startsWith('005')),
  );
  for (const m of shipped) await client.query(m.sql);
  await client.query('CREATE TABLE schema_migrations (name varchar(255) PRIMARY KEY)');
  for (const m of shipped) await client.query('INSERT INTO schema_migrations VALUES ($1)', [m.name]);
  const profile = JSON.parse(
    readFileSync(join(root, 'demo/packs/corrie-pilot.json'), 'utf8'),
  ) as StoredProfile['profile'];
  const old = {
    ...profile,
    limits: [
      { name: 'group voltage, highest', value: 4.15, unit: 'V', source: 'the maker', mark: 'maker' },
      { name: 'lid bolts', value: 12, unit: 'N·m', source: 'the maker', mark: 'maker' },
    ],
    insulation: { vehicleWarnOhm: 210e3, testVoltageMostV: 500, acConnected: true },
  };
  const [person, pack, job] = [randomUUID(), randomUUID(), randomUUID()];
  await client.query(
    "INSERT INTO people (id, name, role, hv_level, hv_until, password_hash, demo) VALUES ($1, 'Ina Holm', 'lead', 3, '2099-01-01', 'x', true)",
    [person],
  );
  await client.query("INSERT INTO settings VALUES ('demo', 'true')");
  await client.query('INSERT INTO pack_profiles (id, name, profile, version) VALUES ($1, $2, $3, 3)', [
    pack,
    'old pack',
    JSON.stringify(old),
  ]);
  const { rows } = await client.query<{ number: number }>(
    "INSERT INTO jobs (id, title, pack_profile_id) VALUES ($1, 'an old job', $2) RETURNING number",
    [job, pack],
  );
  const observe = (kind: string, data: object, minutes: number): Promise<unknown> =>
    client.query(
      "INSERT INTO observations (id, job_id, topic, kind, data, person_id, recorded_at) VALUES ($1, $2, 'make-safe', $3, $4, $5, now() - make_interval(mins => $6))",
      [randomUUID(), job, kind, JSON.stringify(data), person, minutes],
    );
  await observe('begin', { route: 'crash' }, 30);
  await observe('crash-inspection', { step: 'crash-inspection', text: 'dent at the rear' }, 29);
  await client.query(
    "INSERT INTO findings (id, job_id, topic, core_version, input_ids, parameters, result, headline) VALUES ($1, $2, 'spread', '0.3.0', '[]', $3, $4, 'M01 low capacity')",
    [
      randomUUID(),
      job,
      JSON.stringify({ topic: 'spread', role: 'before', scanIds: [randomUUID()], readingIds: [] }),
      JSON.stringify({
        segments: [],
        nearFull: null,
        nearEmpty: null,
        tilt: null,
        findings: [],
        channels: [],
        typicalCapacityAh: 32.2,
        typicalCapacitySdAh: 4,
        usableAh: 32.2,
        usableKm: 45,
        mendedAh: 32.2,
        evenButAged: false,
        nextTest: '',
        tests: [],
        temperature: null,
        metered: [],
      }),
    ],
  );
  await client.end();
  return { jobNumber: rows[0]!.number };
}

it('a database of the version before migrates, reads the same, and shows none of its assumed figures', async () => {
  const database = await newDatabase();
  const { jobNumber } = await oldDatabase(database.url);
  const running = await startServer({
    databaseUrl: database.url,
    port: 0,
    demo: true,
    demoFolder: join(root, 'demo'),
    logger: pino({ level: 'silent' }),
  });
  try {
    const ina = new Client(`http://127.0.0.1:${running.port}`);
    const { body } = await ina.get<{ demoPeople: { id: string }[] }>('/api/session');
    await ina.post('/api/session/demo', { personId: body.demoPeople[0]!.id });
    const [pack] = (await ina.get<StoredProfile[]>('/api/packs')).body;
    expect(pack!.version).toBe(3);
    expect(pack!.profile.acConnected).toBe(true);
    expect(pack!.profile.limits).toEqual(
      expect.arrayContaining([
        { key: 'cellFullV', value: 4.15, unit: 'V', source: 'the maker', mark: 'maker' },
        { key: 'other', name: 'lid bolts', value: 12, unit: 'N·m', source: 'the maker', mark: 'maker' },
        { key: 'vehicleWarnOhm', value: 210e3, unit: 'Ω', source: 'the maker', mark: 'maker' },
        { key: 'testVoltageMostV', value: 500, unit: 'V', source: 'the maker', mark: 'maker' },
      ]),
    );
    const { body: job } = await ina.get<Job>(`/api/jobs/${jobNumber}`);
    expect(job).toMatchObject({ packVersion: 3, title: 'an old job' });
    const { body: safety } = await ina.get<SafetyView>(`/api/jobs/${jobNumber}/safety`);
    expect(safety).toMatchObject({ begun: true, hazards: ['crash'] });
    expect(safety.entries).toMatchObject([{ step: 'look', text: 'dent at the rear', calm: true }]);
    expect(safety.evidence.map((e) => e.says)).toContain('dent at the rear');
    const [finding] = (await ina.get<Finding[]>(`/api/jobs/${jobNumber}/findings`)).body;
    expect(finding!.profileVersion).toBeNull();
    const report = finding!.result as SpreadReport;
    expect(report.capacityAh).toMatchObject({ measured: false });
    expect(JSON.stringify([report.usableAh, report.usableKm, report.health])).not.toMatch(/"value"/);
    // From here on a changed profile is a new version, by the database itself.
    const client = new pg.Client({ connectionString: database.url });
    await client.connect();
    await expect(
      client.query('UPDATE pack_profiles SET profile = profile || \'{"name": "x"}\''),
    ).rejects.toThrow(/new version/);
    await expect(client.query('DELETE FROM pack_profile_versions')).rejects.toThrow(/append-only/);
    await client.end();
  } finally {
    await running.close();
    await database.drop();
  }
});
