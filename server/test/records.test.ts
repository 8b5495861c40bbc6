import type { Problem } from '@cellmend/contract/problem';
import type { Person } from '@cellmend/contract/people';
import type { Reading, TimelineEntry } from '@cellmend/contract/records';
import type { StoredProfile } from '@cellmend/contract/pack';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { measures } from './depot';
import { Client, startBench, type Bench } from './harness';

let bench: Bench;
let ina: Client;
let tomas: Client;
let bettine: Client;
beforeAll(async () => {
  bench = await startBench();
  [ina, tomas, bettine] = [
    await bench.as('Ina Holm'),
    await bench.as('Tomas Rook'),
    await bench.as('Bettine Vale'),
  ];
});
afterAll(() => bench.end());

const reading = (more: object = {}) => ({
  kind: 'voltage',
  place: 'M03',
  value: 29.31,
  stage: 'bench',
  observedAt: '2026-03-01T09:12:00Z',
  ...more,
});
const readings = async (): Promise<Reading[]> => (await ina.get<Reading[]>('/api/jobs/144/readings')).body;

describe('readings', () => {
  it('arrive once, however often and however parallel they are sent', async () => {
    const key = randomUUID();
    const answers = await Promise.all(
      Array.from({ length: 8 }, () =>
        ina.post<Reading>('/api/jobs/144/readings', reading(), { 'idempotency-key': key }),
      ),
    );
    expect(answers.map((a) => a.status)).toEqual(Array(8).fill(201));
    expect(new Set(answers.map((a) => a.body.id)).size).toBe(1);
    expect(await readings()).toHaveLength(1);
    expect((await tomas.post('/api/jobs/144/readings', reading(), { 'idempotency-key': key })).status).toBe(
      409,
    );
  });

  it('are corrected by a new one that says why; both stay, and only one correction wins', async () => {
    const [first] = await readings();
    expect(
      (await ina.post('/api/jobs/144/readings', reading({ value: 29.13, supersedes: first!.id }))).status,
    ).toBe(400);
    const fixed = await ina.post<Reading>(
      '/api/jobs/144/readings',
      reading({ value: 29.13, supersedes: first!.id, reason: 'digits swapped' }),
    );
    expect(fixed.status).toBe(201);
    expect(
      (
        await tomas.post(
          '/api/jobs/144/readings',
          reading({ value: 29.1, supersedes: first!.id, reason: 'me too' }),
        )
      ).status,
    ).toBe(409);
    const all = await readings();
    expect(all.map((r) => r.value).sort()).toEqual([29.13, 29.31]);
    expect(all.find((r) => r.id === first!.id)!.supersededBy).toBe(fixed.body.id);
  });

  it('name what would be accepted when place or value cannot be', async () => {
    const place = await ina.post<Problem>('/api/jobs/144/readings', reading({ place: 'M77' }));
    expect(place.body.fields![0]!.message).toMatch(/M01.*ch01/);
    const value = await ina.post<Problem>(
      '/api/jobs/144/readings',
      reading({ kind: 'temperature', value: 4000 }),
    );
    expect(value.body.detail).toMatch(/cannot be a temperature/);
  });

  it('stand in the timeline with who did what', async () => {
    const { body } = await bettine.get<TimelineEntry[]>('/api/jobs/144/timeline');
    expect(body[0]).toMatchObject({
      who: 'Ina Holm',
      what: 'reading corrected',
      detail: '29.13 V (digits swapped)',
    });
    expect(body.map((e) => e.what)).toContain('job opened');
  });
});

describe('people', () => {
  const decision = {
    body: measures(['monitor']),
    findingIds: [],
    baseVersion: 0,
  };

  it('without a valid qualification may not sign high-voltage work, and are told why', async () => {
    const people = (await ina.get<Person[]>('/api/people')).body;
    const tomasId = people.find((p) => p.name === 'Tomas Rook')!.id;
    expect(
      (await ina.call<Person>('PATCH', `/api/people/${tomasId}`, { hvUntil: '2020-01-31' })).body.maySignHv,
    ).toBe(false);
    const refused = await tomas.post<Problem>('/api/jobs/144/decisions', decision);
    expect(refused.status).toBe(403);
    expect(refused.body.detail).toMatch(/Tomas Rook may not sign.*ended on 2020-01-31/);
    expect((await tomas.post('/api/jobs/144/readings', reading())).status).toBe(201);
    await ina.call('PATCH', `/api/people/${tomasId}`, { hvUntil: '2099-01-31' });
    expect((await tomas.post('/api/jobs/144/decisions', decision)).status).toBe(201);
  });

  it('who only read cannot write, and only leads add people', async () => {
    expect((await bettine.post('/api/jobs/144/readings', reading())).status).toBe(403);
    const newcomer = {
      name: 'Edda Skaal',
      password: 'a long enough one',
      role: 'technician',
      hvLevel: 1,
      hvUntil: '2099-01-01',
      hvIssuer: 'Island technical college',
      hvNumber: 'HV-1',
    };
    expect((await tomas.post('/api/people', newcomer)).status).toBe(403);
    expect((await ina.post('/api/people', newcomer)).status).toBe(201);
    expect((await ina.post<Problem>('/api/people', newcomer)).status).toBe(409);
    const edda = new Client(bench.address);
    expect((await edda.post('/api/session', { name: 'Edda Skaal', password: 'wrong' })).status).toBe(401);
    expect(
      (await edda.post('/api/session', { name: 'Edda Skaal', password: 'a long enough one' })).status,
    ).toBe(200);
    expect((await edda.get('/api/jobs')).status).toBe(200);
    const before = edda.cookie;
    await edda.call('DELETE', '/api/session');
    edda.cookie = before;
    expect((await edda.get('/api/jobs')).status).toBe(401);
  });

  it('passwords are stored as Argon2id', async () => {
    const [rows] = await bench.running.store.sequelize.query(
      "SELECT password_hash FROM people WHERE name = 'Edda Skaal'",
    );
    expect((rows[0] as { password_hash: string }).password_hash).toMatch(
      /^\$argon2id\$v=19\$m=19456,t=2,p=1\$/,
    );
  });

  it('the session cookie cannot be read by scripts nor sent from other sites; writes need our own page', async () => {
    const response = await fetch(`${bench.address}/api/session/demo`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', 'x-cellmend': '1' },
      body: JSON.stringify({ personId: (await ina.get<{ person: Person }>('/api/session')).body.person.id }),
    });
    expect(response.headers.get('set-cookie')).toMatch(/HttpOnly/i);
    expect(response.headers.get('set-cookie')).toMatch(/SameSite=Strict/i);
    expect(response.headers.get('content-security-policy')).toMatch(/script-src 'self';/);
    expect((await ina.post('/api/jobs/144/readings', reading(), { 'x-cellmend': '' })).status).toBe(403);
    expect(
      (await ina.post('/api/jobs/144/readings', reading(), { origin: 'http://elsewhere.example' })).status,
    ).toBe(403);
  });
});

describe('an empty workshop', () => {
  it('makes its first lead once, offers no demo people and slows guessing down', async () => {
    const empty = await startBench(false, 5);
    try {
      const first = new Client(empty.address);
      expect((await first.get('/api/session')).body).toMatchObject({ firstLeadNeeded: true, demoPeople: [] });
      const lead = {
        name: 'Orla Wick',
        password: 'twelve bright lamps',
        role: 'viewer',
        hvLevel: 2,
        hvUntil: '2099-01-01',
        hvIssuer: 'Island technical college',
        hvNumber: 'HV-1',
        workshop: 'Quay workshop',
      };
      const made = await first.post<{ person: Person; workshop: string }>('/api/first-lead', lead);
      expect(made.body).toMatchObject({ person: { role: 'lead' }, workshop: 'Quay workshop' });
      expect((await first.post('/api/first-lead', { ...lead, name: 'Second' })).status).toBe(409);
      const guess = new Client(empty.address);
      const tries = [];
      for (let i = 0; i < 7; i++)
        tries.push((await guess.post('/api/session', { name: 'Orla Wick', password: `guess ${i}` })).status);
      expect(tries.slice(0, 2)).toEqual([401, 401]);
      expect(tries.at(-1)).toBe(429);
    } finally {
      await empty.end();
    }
  });
});

describe('pack profiles', () => {
  it('are saved by version, and a faulty one is refused with its place', async () => {
    const packs = (await ina.get<StoredProfile[]>('/api/packs')).body;
    expect(packs.length).toBeGreaterThanOrEqual(5);
    const van = packs.find((p) => p.name.startsWith('Marram'))!;
    const renamed = { ...van.profile, name: 'Marram 3 traction pack, early' };
    expect(
      (await ina.call<StoredProfile>('PUT', `/api/packs/${van.id}`, { profile: renamed, baseVersion: 1 }))
        .body.version,
    ).toBe(2);
    const late = await tomas.call<Problem>('PUT', `/api/packs/${van.id}`, {
      profile: van.profile,
      baseVersion: 1,
    });
    expect(late.status).toBe(409);
    expect(late.body.current).toMatchObject({ version: 2 });
    const open = await ina.call<Problem>('PUT', `/api/packs/${van.id}`, {
      profile: { ...renamed, links: renamed.links!.slice(1) },
      baseVersion: 2,
    });
    expect(open.status).toBe(422);
    expect(open.body.detail).toMatch(/Nothing joins M01 and M02/);
    const fewer = { ...renamed, modules: renamed.modules.map((m) => ({ ...m, id: `X${m.id}` })), links: [] };
    expect(
      (await ina.call<Problem>('PUT', `/api/packs/${van.id}`, { profile: fewer, baseVersion: 2 })).body
        .detail,
    ).toMatch(/job uses this profile/);
  });
});

describe('live changes', () => {
  /** Collects events of one page until the predicate holds. */
  async function listen(
    address: string,
    cookie: string,
    until: (e: { topic: string; job: number }) => boolean,
  ): Promise<{ ready: Promise<void>; seen: Promise<boolean>; stop: () => void }> {
    const abort = new AbortController();
    const response = await fetch(`${address}/api/events`, { headers: { cookie }, signal: abort.signal });
    const reader = response.body!.getReader();
    const seen = (async () => {
      const text = new TextDecoder();
      let rest = '';
      try {
        for (;;) {
          const { value, done } = await reader.read();
          if (done) return false;
          rest += text.decode(value, { stream: true });
          for (const m of rest.matchAll(/data: (.*)\n/g))
            if (until(JSON.parse(m[1]!) as { topic: string; job: number })) return true;
        }
      } catch {
        return false;
      }
    })();
    return { ready: Promise.resolve(), seen, stop: () => abort.abort() };
  }

  it('reach pages of another server process on the same database', async () => {
    const other = await bench.another();
    const page = await listen(
      `http://127.0.0.1:${other.port}`,
      bettine.cookie,
      (e) => e.topic === 'readings' && e.job === 144,
    );
    await ina.post('/api/jobs/144/readings', reading({ kind: 'note', text: 'seen elsewhere', value: null }));
    const timer = setTimeout(page.stop, 8000);
    expect(await page.seen).toBe(true);
    clearTimeout(timer);
    page.stop();
  });
});

describe('intake', () => {
  const intake = {
    topic: 'intake',
    complaint: 'Flat after every weekend',
    signs: ['flat after standing'],
    codes: ['P0A80'],
    codesRead: true,
    odometerKm: 81000,
    ageYears: 6,
    blockSpreadPercent: 12,
    deltaMv: null,
    insulationOhm: null,
    aim: 'restore',
    vehicleValue: 6500,
    earlierRepair: 'M03 swapped last spring',
  };

  it('is kept by version, needs no high-voltage qualification, and marks the stage', async () => {
    const signed = await tomas.post<{ version: number }>('/api/jobs/143/decisions', {
      body: intake,
      findingIds: [],
      baseVersion: 0,
    });
    expect(signed.status).toBe(201);
    const job = await bettine.get<{ route: { intake: { state: string } }; decisions: { body: unknown }[] }>(
      '/api/jobs/143',
    );
    expect(job.body.route.intake.state).toBe('done');
    expect(job.body.decisions[0]!.body).toEqual(intake);
    // A tablet that was offline since before these fields existed may still sign.
    const again = await tomas.post<{ version: number }>('/api/jobs/143/decisions', {
      body: { ...intake, vehicleValue: undefined, earlierRepair: undefined, blockSpreadPercent: undefined },
      findingIds: [],
      baseVersion: 1,
    });
    expect(again.status).toBe(201);
    const later = await bettine.get<{ decisions: { version: number; body: unknown }[] }>('/api/jobs/143');
    expect(later.body.decisions.find((d) => d.version === 2)!.body).toEqual({
      ...intake,
      vehicleValue: null,
      earlierRepair: '',
      blockSpreadPercent: null,
    });
    expect(
      (await bettine.post('/api/jobs/143/decisions', { body: intake, findingIds: [], baseVersion: 2 }))
        .status,
    ).toBe(403);
  });

  it('refuses signs that nobody asks for', async () => {
    const wrong = await ina.post<Problem>('/api/jobs/143/decisions', {
      body: { ...intake, signs: ['haunted'] },
      findingIds: [],
      baseVersion: 1,
    });
    expect(wrong.status).toBe(400);
    expect(wrong.body.fields![0]!.field).toBe('body.signs.0');
  });
});

describe('a reading taken back', () => {
  it('stays in the record, counts for nothing, and is taken back once; only of this job, and with a reason', async () => {
    const id = randomUUID();
    const path = (of: string, job = 144): string => `/api/jobs/${job}/readings/${of}/withdraw`;
    const kept = await ina.post<Reading>(
      '/api/jobs/144/readings',
      reading({ id, place: 'M02', value: 29.2 }),
    );
    expect(kept.body.id).toBe(id);
    expect((await ina.post('/api/jobs/144/readings', reading({ id }))).status).toBe(409);
    const body = { reason: 'wrong module', stage: 'findings' };
    expect((await ina.post(path(id), { ...body, reason: '' })).status).toBe(400);
    expect((await ina.post(path(id, 143), body)).status).toBe(404);
    expect((await ina.post(path(randomUUID()), body)).status).toBe(404);
    const gone = await tomas.post<Reading>(path(id), body);
    expect(gone.body).toMatchObject({
      kind: 'withdrawn',
      supersedes: id,
      recordedBy: 'Tomas Rook',
      value: null,
    });
    expect((await tomas.post(path(id), body)).status).toBe(409);
    expect((await readings()).find((r) => r.id === id)).toMatchObject({
      value: 29.2,
      supersededBy: gone.body.id,
    });
    expect(
      (await ina.post('/api/jobs/144/readings', reading({ kind: 'withdrawn', value: null }))).status,
    ).toBe(400);
  });

  it('a bound is kept as one: at least, and over the range, of ohms alone', async () => {
    const add = (more: object) => ina.post<Reading>('/api/jobs/144/readings', reading(more));
    expect((await add({ kind: 'insulation', value: 4e9, bound: 'at-least' })).body).toMatchObject({
      value: 4e9,
      bound: 'at-least',
    });
    expect((await add({ kind: 'insulation', value: null, bound: 'over-range' })).body).toMatchObject({
      value: null,
      bound: 'over-range',
    });
    expect((await add({ kind: 'insulation', value: null })).status).toBe(400);
    expect((await add({ kind: 'insulation', value: 3, bound: 'over-range' })).status).toBe(400);
    expect((await add({ kind: 'voltage', value: 29, bound: 'at-least' })).status).toBe(400);
  });
});

it('units are the workshop’s, set by a lead, and told to everybody with the session', async () => {
  const units = { distance: 'mi', temperature: 'F', currency: 'GBP', dateOrder: 'mdy' };
  expect((await tomas.call('PUT', '/api/units', units)).status).toBe(403);
  expect((await ina.call('PUT', '/api/units', { ...units, distance: 'leagues' })).status).toBe(400);
  expect((await ina.call('PUT', '/api/units', units)).body).toEqual(units);
  expect((await tomas.get<{ units: object }>('/api/session')).body.units).toEqual(units);
});

it('a key belongs to one entry, times are plausible, and text can be shown', async () => {
  const key = { 'idempotency-key': randomUUID() };
  expect((await ina.post('/api/jobs/144/readings', reading({ value: 29.31 }), key)).status).toBe(201);
  const other = await ina.post<Problem>('/api/jobs/144/readings', reading({ value: 29.32 }), key);
  expect(other).toMatchObject({
    status: 422,
    body: { detail: expect.stringMatching(/other figures/) as string },
  });
  for (const observedAt of ['0001-01-01T00:00:00Z', '9999-12-31T23:59:59Z', '1999-12-31T23:59:59Z'])
    expect((await ina.post<Problem>('/api/jobs/144/readings', reading({ observedAt }))).body.detail).toMatch(
      /between the year 2000 and tomorrow/,
    );
  for (const text of ['a\u0000b', 'bell\u0007'])
    expect(
      (await ina.post<Problem>('/api/jobs/144/readings', reading({ kind: 'note', value: null, text }))).body
        .detail,
    ).toMatch(/without control characters/);
});
