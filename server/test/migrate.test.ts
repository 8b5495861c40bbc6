import type { Job } from '@cellmend/contract/jobs';
import type { StoredProfile } from '@cellmend/contract/pack';
import type { Reading } from '@cellmend/contract/records';
import type { Finding } from '@cellmend/contract/findings';
import type { SafetyView } from '@cellmend/contract/safety';
import type { StockPart } from '@cellmend/contract/stock';
import type { SpreadReport } from '@cellmend/core/diagnosis';
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
async function oldDatabase(
  url: string,
): Promise<{ jobNumber: number; module: string; channel: string; donor: string }> {
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
  const read = async (
    kind: string,
    place: string,
    value: number | null,
    text = '',
    supersedes: string | null = null,
  ): Promise<string> => {
    const id = randomUUID();
    await client.query(
      `INSERT INTO readings (id, job_id, kind, place, value, unit, text, instrument, conditions, stage, observed_at, person_id, supersedes, reason)
       VALUES ($1, $2, $3, $4, $5, '', $6, 'meter 3', 'rested', 'bench', now() - interval '5 minutes', $7, $8, $9)`,
      [id, job, kind, place, value, text, person, supersedes, supersedes ? 'digits swapped' : ''],
    );
    return id;
  };
  const [module, channel] = [profile.modules[2]!.id, profile.channels[7]!.id];
  const first = await read('voltage', module, 29.31);
  await read('voltage', module, 29.13, '', first);
  await read('voltage', channel, 3.98);
  await read('note', '', null, 'dry vent');
  await read('code', '', 8, 'P0A7E');
  const donor = randomUUID();
  await client.query('INSERT INTO stock_modules (id, label, facts) VALUES ($1, $2, $3)', [
    donor,
    'S-900',
    JSON.stringify({
      chemistry: profile.chemistry,
      groupCount: 8,
      capacityAh: 31.2,
      resistanceMilliohm: 1.62,
      restVoltageV: 29.4,
      temperatureC: 19,
      insulationOhm: 6e8,
      origin: 'an old shelf',
    }),
  ]);
  for (const [topic, body] of [
    ['replace', { topic: 'replace', modules: [module], level: 'module' }],
    ['match', { topic: 'match', moduleId: module, stockId: donor }],
    ['balance', { topic: 'balance', currentA: 6, goal: 'level-now', method: 'supply' }],
    ['hand-over', { topic: 'hand-over', expectations: 'drive gently', notDone: 'the rest' }],
  ] as const)
    await client.query(
      'INSERT INTO decisions (id, job_id, topic, version, body, person_id) VALUES ($1, $2, $3, 1, $4, $5)',
      [randomUUID(), job, topic, JSON.stringify(body), person],
    );
  await client.end();
  return { jobNumber: rows[0]!.number, module, channel, donor };
}

it('a database of the version before migrates, reads the same, and shows none of its assumed figures', async () => {
  const database = await newDatabase();
  const { jobNumber, module, channel, donor } = await oldDatabase(database.url);
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
    // What people read off, with who, when and what corrected it.
    const readings = (await ina.get<Reading[]>(`/api/jobs/${jobNumber}/readings`)).body;
    expect(readings).toHaveLength(5);
    const [wrong, right] = [29.31, 29.13].map((v) => readings.find((r) => r.value === v)!);
    expect(right).toMatchObject({
      kind: 'voltage',
      place: module,
      unit: 'V',
      instrument: 'meter 3',
      conditions: 'rested',
      stage: 'bench',
      recordedBy: 'Ina Holm',
      supersedes: wrong!.id,
      reason: 'digits swapped',
    });
    expect(wrong!.supersededBy).toBe(right!.id);
    expect(readings.map((r) => [r.kind, r.place, r.value, r.text])).toEqual(
      expect.arrayContaining([
        ['voltage', channel, 3.98, ''],
        ['note', '', null, 'dry vent'],
        ['code', '', 8, 'P0A7E'],
      ]),
    );
    // The shelf: the same part by the same id, its figures observations of it.
    const [part] = (await ina.get<StockPart[]>('/api/stock')).body;
    expect(part).toMatchObject({
      id: donor,
      label: 'S-900',
      kind: 'module',
      groupCount: 8,
      capacityAh: 31.2,
      resistanceMilliohm: 1.62,
      restVoltageV: 29.4,
      temperatureC: 19,
      insulationOhm: 6e8,
      origin: 'an old shelf',
      place: { kind: 'shelf' },
    });
    // What was signed, in today's shape; what it does not bear out is said.
    const signed = (topic: string) => job.decisions.find((d) => d.topic === topic)!.body;
    expect(signed('measures')).toMatchObject({ measures: [{ kind: 'replace-module', place: module }] });
    expect(signed('match')).toEqual({ topic: 'match', choices: [{ place: module, partId: donor }] });
    expect(signed('balance')).toMatchObject({ lines: [{ place: module, currentA: 6, method: 'supply' }] });
    expect(signed('hand-over')).toMatchObject({ expectations: 'drive gently', ending: null });
    expect(job.contradictions.join(' ')).toMatch(/Handed over as repaired.*proven dead/);
    expect(job.vehicle).toMatchObject({ name: 'an old job', plate: null });
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
