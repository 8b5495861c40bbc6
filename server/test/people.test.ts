import type { Person, SignedIn } from '@cellmend/contract/people';
import type { Problem } from '@cellmend/contract/problem';
import { verifyRecord } from '../../scripts/lib/verify.mjs';
import { request } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Client, startBench, type Bench } from './harness';

let bench: Bench;
let lead: Client;
const first = {
  name: 'Orla Wick',
  password: 'twelve bright lamps',
  hvLevel: 3,
  hvUntil: '2099-01-01',
  hvIssuer: 'Island technical college',
  hvNumber: 'HV-1',
  workshop: 'Quay workshop',
  role: 'lead',
};
beforeAll(async () => {
  bench = await startBench(false);
  lead = new Client(bench.address);
  await lead.post('/api/first-lead', first);
});
afterAll(() => bench.end());

const add = async (name: string, role: Person['role'] = 'technician'): Promise<Person> =>
  (await lead.post<Person>('/api/people', { ...first, workshop: undefined, name, role })).body;
const signedIn = async (name: string, password = first.password): Promise<Client> => {
  const client = new Client(bench.address);
  expect((await client.post('/api/session', { name, password })).status, name).toBe(200);
  return client;
};

describe('a high-voltage level', () => {
  const certificate = { hvIssuer: 'Island technical college', hvNumber: 'HV-77' };
  const patch = (who: Client, id: string, change: object) =>
    who.call<Person & Problem>('PATCH', `/api/people/${id}`, change);

  it('is granted by somebody else who holds it, with its certificate; nobody grants their own', async () => {
    const orla = (await lead.get<Person[]>('/api/people')).body.find((p) => p.name === 'Orla Wick')!;
    const made = await lead.post<Person>('/api/people', {
      name: 'Fenn Garth',
      role: 'lead',
      password: first.password,
      hvLevel: 0,
      hvUntil: null,
    });
    const fenn = await signedIn('Fenn Garth');
    const mine = { hvLevel: 3, hvUntil: '2099-01-01', ...certificate };
    const own = await patch(fenn, made.body.id, mine);
    expect(own.status).toBe(403);
    expect(own.body.detail).toMatch(/Nobody grants themselves/);
    // Nor by a third name that they make and hand on.
    const puppet = await fenn.post<Problem>('/api/people', {
      name: 'Puppet',
      role: 'lead',
      password: first.password,
      ...mine,
    });
    expect(puppet.status).toBe(403);
    expect((await lead.get<Person[]>('/api/people')).body.map((p) => p.name)).not.toContain('Puppet');
    const bare = await patch(lead, made.body.id, { hvLevel: 2, hvUntil: '2099-01-01' });
    expect(bare.status).toBe(400);
    expect(bare.body.fields?.map((f) => f.field)).toEqual(['hvIssuer', 'hvNumber']);
    const granted = await patch(lead, made.body.id, { hvLevel: 2, hvUntil: '2099-01-01', ...certificate });
    expect(granted.body).toMatchObject({ hvLevel: 2, maySignHv: true, hvSelfDeclared: false });
    // Nobody gives more than they hold, and nobody stretches their own.
    expect((await patch(fenn, orla.id, { hvUntil: '2100-01-01' })).status).toBe(403);
    expect((await patch(fenn, made.body.id, { hvUntil: '2100-01-01' })).status).toBe(403);
    // Less may be written down by any lead.
    expect((await patch(fenn, made.body.id, { hvLevel: 1 })).body).toMatchObject({
      hvLevel: 1,
      maySignHv: false,
    });
  });

  it('of the first lead is self-declared until somebody who holds it countersigns', async () => {
    const orla = (await lead.get<Person[]>('/api/people')).body.find((p) => p.name === 'Orla Wick')!;
    expect(orla).toMatchObject({ hvLevel: 3, hvSelfDeclared: true });
    await lead.post('/api/people', {
      ...first,
      workshop: undefined,
      name: 'Hale Birk',
      role: 'technician',
      ...certificate,
    });
    const low = {
      ...first,
      workshop: undefined,
      name: 'Low Birk',
      role: 'technician',
      hvLevel: 2,
      ...certificate,
    };
    await lead.post('/api/people', low);
    const counter = (who: Client) => who.post<Person>(`/api/people/${orla.id}/countersign`, certificate);
    expect((await counter(lead)).status).toBe(403);
    expect((await counter(await signedIn('Low Birk'))).status).toBe(403);
    const hale = await signedIn('Hale Birk');
    expect((await counter(hale)).body).toMatchObject({ hvSelfDeclared: false, hvNumber: 'HV-77' });
    expect((await counter(hale)).status).toBe(409);
    expect(verifyRecord(bench.url)).toMatchObject({ breaks: 0 });
  });
});

describe('people', () => {
  it('whose work here ends are signed out at once, sign in no more and stay in the record', async () => {
    const moss = await add('Moss Teal');
    const tablet = await signedIn('Moss Teal');
    expect((await tablet.get('/api/jobs')).status).toBe(200);
    const ended = await lead.call<Person>('PATCH', `/api/people/${moss.id}`, { active: false });
    expect(ended.body).toMatchObject({ active: false, maySignHv: false, mayWrite: false });
    expect((await tablet.get('/api/jobs')).status).toBe(401);
    const again = await new Client(bench.address).post('/api/session', {
      name: 'Moss Teal',
      password: first.password,
    });
    expect(again.status).toBe(401);
    expect((await lead.get<Person[]>('/api/people')).body.map((p) => p.name)).toContain('Moss Teal');
    await lead.call('PATCH', `/api/people/${moss.id}`, { active: true });
    await signedIn('Moss Teal');
  });

  it('whose work ends at one server are signed out at the others too, who remember them for a moment only', async () => {
    const other = await bench.another();
    const rill = await add('Rill Ash');
    const tablet = await signedIn('Rill Ash');
    const there = new Client(`http://127.0.0.1:${other.port}`);
    there.cookie = tablet.cookie;
    const role = async (): Promise<string | undefined> =>
      (await there.get<{ person: Person | null }>('/api/session')).body.person?.role;
    expect(await role()).toBe('technician');
    await lead.call('PATCH', `/api/people/${rill.id}`, { role: 'viewer' });
    await expect.poll(role, { timeout: 1000, interval: 20 }).toBe('viewer');
    await lead.call('PATCH', `/api/people/${rill.id}`, { active: false });
    await expect
      .poll(async () => (await there.get('/api/jobs')).status, { timeout: 1000, interval: 20 })
      .toBe(401);
  });

  it('always have a lead: of two that end or demote each other at once one remains', async () => {
    for (const change of [{ active: false }, { role: 'technician' }] as const)
      for (let round = 0; round < 4; round++) {
        const [a, b] = [
          await add(`Asa ${round}${Object.keys(change)[0]!}`, 'lead'),
          await add(`Bo ${round}${Object.keys(change)[0]!}`, 'lead'),
        ];
        const [asA, asB] = [await signedIn(a.name), await signedIn(b.name)];
        const done = await Promise.all([
          asA.call('PATCH', `/api/people/${b.id}`, change),
          asB.call('PATCH', `/api/people/${a.id}`, change),
        ]);
        expect(done.map((d) => d.status).sort()).not.toEqual([200, 200]);
        const people = (await lead.get<Person[]>('/api/people')).body.filter((p) =>
          [a.id, b.id].includes(p.id),
        );
        expect(people.filter((p) => p.active && p.role === 'lead')).toHaveLength(1);
        for (const p of people) await lead.call('PATCH', `/api/people/${p.id}`, { active: false });
      }
    const me = (await lead.get<{ person: Person }>('/api/session')).body.person;
    expect((await lead.call('PATCH', `/api/people/${me.id}`, { active: false })).status).toBe(400);
  });

  it('change their password by the present one; everywhere else they are signed out', async () => {
    const pia = await add('Pia Lund');
    const [tablet, phone] = [await signedIn('Pia Lund'), await signedIn('Pia Lund')];
    const path = `/api/people/${pia.id}/password`;
    const change = (by: Client, body: object) => by.call('PUT', path, body);
    expect((await change(tablet, { current: 'wrong one here', password: 'nine dry cells' })).status).toBe(
      400,
    );
    expect((await change(tablet, { password: 'nine dry cells' })).status).toBe(400);
    expect((await change(tablet, { current: first.password, password: 'short' })).status).toBe(400);
    expect((await change(tablet, { current: first.password, password: 'nine dry cells' })).status).toBe(200);
    expect((await phone.get('/api/jobs')).status).toBe(401);
    expect((await tablet.get('/api/jobs')).status).toBe(200);
    await signedIn('Pia Lund', 'nine dry cells');
    const other = await add('Rue Sand');
    expect(
      (await tablet.call('PUT', `/api/people/${other.id}/password`, { password: 'nine wet cells' })).status,
    ).toBe(403);
    expect((await lead.call('PUT', path, { password: 'ten dry cells' })).status).toBe(200);
    expect((await tablet.get('/api/jobs')).status).toBe(401);
  });

  it('see where they are signed in, and end it there', async () => {
    const kit = await add('Kit Shaw');
    const [tablet, phone] = [await signedIn('Kit Shaw'), await signedIn('Kit Shaw')];
    const path = `/api/people/${kit.id}/sessions`;
    const seen = (await tablet.get<SignedIn[]>(path)).body;
    expect(seen).toHaveLength(2);
    expect(seen.filter((s) => s.here)).toHaveLength(1);
    expect(JSON.stringify(seen)).not.toContain(tablet.cookie.split('.')[1]!);
    const there = seen.find((s) => !s.here)!;
    expect((await tablet.call<SignedIn[]>('DELETE', `${path}/${there.id}`)).body).toHaveLength(1);
    expect((await phone.get('/api/jobs')).status).toBe(401);
    expect((await lead.get<SignedIn[]>(path)).body).toHaveLength(1);
    await add('Una Fell');
    expect((await (await signedIn('Una Fell')).get(path)).status).toBe(403);
  });

  it('of the demo sign in no more once somebody real leads the workshop', async () => {
    const demo = await startBench(true);
    try {
      const ina = await demo.as('Ina Holm');
      const before = (await new Client(demo.address).get<{ demoPeople: Person[] }>('/api/session')).body
        .demoPeople;
      expect(before.length).toBeGreaterThan(1);
      expect((await ina.post('/api/people', { ...first, workshop: undefined })).status).toBe(201);
      const guest = new Client(demo.address);
      expect((await guest.get<{ demoPeople: Person[] }>('/api/session')).body.demoPeople).toEqual([]);
      expect((await guest.post('/api/session/demo', { personId: before[0]!.id })).status).toBe(404);
      expect((await guest.post('/api/session', { name: first.name, password: first.password })).status).toBe(
        200,
      );
    } finally {
      await demo.end();
    }
  });
});

describe('signing in', () => {
  it('waits longer with each wrong password for that name, and for no other', async () => {
    await add('Tove Hill');
    await add('Sten Marsh');
    const guess = new Client(bench.address);
    const tries: number[] = [];
    for (let i = 0; i < 8; i++)
      tries.push((await guess.post('/api/session', { name: 'tove hill', password: `guess ${i}` })).status);
    expect(tries.slice(0, 5)).toEqual([401, 401, 401, 401, 401]);
    expect(tries.at(-1)).toBe(429);
    const right = await guess.post<{ detail: string }>('/api/session', {
      name: 'Tove Hill',
      password: first.password,
    });
    expect(right.status).toBe(429);
    expect(right.body.detail).toMatch(/Try again in \d+ s/);
    await signedIn('Sten Marsh');
    const [row] = (await bench.running.store.sequelize.query(
      "SELECT failed, next_at > now() AS waits FROM sign_in_tries WHERE name = 'tove hill'",
    )) as [{ failed: number; waits: boolean }[], unknown];
    expect(row[0]).toMatchObject({ waits: true });
    await bench.running.store.sequelize.query(
      "UPDATE sign_in_tries SET next_at = now() WHERE name = 'tove hill'",
    );
    await signedIn('Tove Hill');
  });
});

describe('the server', () => {
  const under = (host: string, path = '/api/session'): Promise<number> =>
    new Promise((resolve, reject) => {
      const { port } = new URL(bench.address);
      request({ host: '127.0.0.1', port, path, headers: { host } }, (res) => {
        res.resume();
        resolve(res.statusCode!);
      })
        .on('error', reject)
        .end();
    });
  it('answers under its own names alone', async () => {
    const { port } = new URL(bench.address);
    for (const host of [`127.0.0.1:${port}`, `localhost:${port}`, 'localhost', `[::1]:${port}`])
      expect(await under(host), host).toBe(200);
    for (const host of ['workshop.example', `workshop.example:${port}`, '127.0.0.1.example', '10.0.0.4'])
      for (const path of ['/api/session', '/', '/assets/x.js'])
        expect(await under(host, path), host).toBe(421);
  });

  it('cuts a page that does not read, and one that was signed out', async () => {
    await add('Wyn Reed');
    const reader = await signedIn('Wyn Reed');
    const { port } = new URL(bench.address);
    let closed = false;
    const opened = new Promise<void>((resolve) => {
      request({ host: '127.0.0.1', port, path: '/api/events', headers: { cookie: reader.cookie } }, (res) => {
        res.on('data', () => undefined);
        for (const end of ['end', 'close', 'error'] as const) res.on(end, () => (closed = true));
        resolve();
      }).end();
    });
    await opened;
    await reader.call('DELETE', '/api/session');
    await expect.poll(() => closed, { timeout: 5000 }).toBe(true);

    const deaf = await signedIn('Wyn Reed');
    let gone = false;
    const paused = await new Promise<import('node:http').IncomingMessage>((resolve) => {
      const ask = request(
        { host: '127.0.0.1', port, path: '/api/events', headers: { cookie: deaf.cookie } },
        resolve,
      );
      ask.on('error', () => (gone = true));
      ask.end();
    });
    paused.pause();
    paused.on('error', () => (gone = true));
    paused.on('close', () => (gone = true));
    const { sequelize } = bench.running.store;
    const long = JSON.stringify({ topic: 'import', note: 'x'.repeat(7000) });
    for (let i = 0; i < 1600 && !gone; i++) {
      await sequelize.query('SELECT pg_notify(:c, :p)', { replacements: { c: 'cellmend', p: long } });
      if (paused.socket.destroyed) gone = true;
    }
    // The bytes that wait end; what the page missed it looks at again when it connects.
    paused.resume();
    await expect.poll(() => gone || paused.socket.destroyed, { timeout: 10_000 }).toBe(true);
  });
});
