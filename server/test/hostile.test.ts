import { DatabaseError } from 'sequelize';
import { tellStored } from '../src/domain/stored';
import { toProblem } from '../src/http/problems';
import { openApi } from '@cellmend/contract/openapi';
import { ROUTES } from '@cellmend/contract/routes';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { Client, startBench, type Bench } from './harness';
import { hostileFiles } from './hostileFiles';

let bench: Bench;
let lead: Client;
let viewer: Client;
let nobody: Client;
beforeAll(async () => {
  bench = await startBench();
  lead = await bench.as('Ina Holm');
  viewer = await bench.as('Bettine Vale');
  nobody = new Client(bench.address);
});
afterAll(() => bench.end());

const UUID = '6c1f7b8e-0c0b-4a7e-9d0e-3f1f4a5b6c7d';
const at = (path: string): string => `/api${path.replace('{number}', '147').replace('{id}', UUID)}`;
const TABLES = [
  'people',
  'jobs',
  'scans',
  'scan_chunks',
  'observations',
  'parts',
  'placements',
  'vehicles',
  'packs',
  'findings',
  'decisions',
  'clocks',
  'pack_profiles',
  'audit',
  'idempotency_keys',
];
const counts = async (): Promise<string> => {
  const [rows] = await bench.running.store.sequelize.query(
    TABLES.map((t) => `SELECT '${t}' AS t, count(*) FROM ${t}`).join(' UNION ALL '),
  );
  return JSON.stringify(rows);
};

const sql = "'; DROP TABLE readings; --";
const deep = (n: number): unknown => (n === 0 ? 1 : { a: deep(n - 1) });
const HOSTILE: [string, unknown][] = [
  ['not JSON', '{"a":'],
  ['null', null],
  ['an array', [1, 2, 3]],
  ['a number', 7],
  ['empty object', {}],
  [
    'SQL everywhere',
    {
      name: sql,
      title: sql,
      place: sql,
      kind: sql,
      topic: sql,
      password: sql,
      personId: sql,
      label: sql,
      role: sql,
      body: { topic: sql },
      profile: { name: sql },
      packProfileId: sql,
      stage: sql,
    },
  ],
  [
    'HTML everywhere',
    {
      name: '<script>alert(1)</script>',
      title: '<img src=x onerror=alert(1)>',
      text: '<b>',
      body: { topic: '<i>' },
    },
  ],
  [
    'prototype keys',
    '{"__proto__":{"mayWrite":true},"constructor":{"prototype":{"role":"lead"}},"name":"x"}',
  ],
  ['huge numbers', '{"value":1e400,"hvLevel":1e308,"baseVersion":99999999999999999999,"version":-1e309}'],
  ['NaN as text', { value: 'NaN', hvLevel: 'Infinity', baseVersion: 'NaN' }],
  [
    'NUL characters',
    {
      name: 'a\u0000b',
      title: 'a\u0000b',
      text: 'a\u0000b',
      password: 'long enough \u0000 now',
      label: 'x\u0000',
    },
  ],
  ['deep nesting', deep(2000)],
  ['a long string', { name: 'x'.repeat(200_000), title: 'y'.repeat(200_000) }],
  ['lone surrogates', '{"name":"\\ud800","title":"\\udfff","text":"\\ud800"}'],
];

describe('every address of the description', () => {
  it('is served, and every served address is described', async () => {
    const document = (await nobody.get<{ paths: Record<string, object> }>('/api/openapi.json')).body;
    expect(Object.keys(document.paths).sort()).toEqual(
      [...new Set(ROUTES.map((r) => `/api${r.path}`))].sort(),
    );
    expect(document).toEqual(
      JSON.parse(
        JSON.stringify(openApi((document as unknown as { info: { version: string } }).info.version)),
      ),
    );
    for (const r of ROUTES) {
      if (r.path === '/events') continue;
      const { status, body } = await nobody.call<{ detail?: string }>(
        r.method.toUpperCase(),
        at(r.path),
        r.body ? {} : undefined,
      );
      expect(`${status} ${body?.detail ?? ''}`, `${r.method} ${r.path}`).not.toMatch(
        /404 (GET|POST|PUT|PATCH|DELETE) /,
      );
    }
  });

  it('refuses a missing session and a wrong role, and stores nothing', async () => {
    const before = await counts();
    for (const r of ROUTES) {
      if (r.role === 'anyone') continue;
      const method = r.method.toUpperCase();
      expect(
        (await nobody.call(method, at(r.path), r.body ? {} : undefined)).status,
        `${method} ${r.path}`,
      ).toBe(401);
      if (r.role !== 'viewer')
        expect(
          (await viewer.call(method, at(r.path), r.body ? {} : undefined)).status,
          `${method} ${r.path} as viewer`,
        ).toBe(403);
    }
    expect(await counts()).toBe(before);
  });

  it.each(HOSTILE)('takes %s calmly: never a 500, nothing stored', async (_name, body) => {
    const before = await counts();
    for (const r of ROUTES.filter(
      (x) => x.method !== 'get' && x.path !== '/session' && x.method !== 'delete',
    )) {
      const raw = typeof body === 'string';
      const answer = await lead.call(
        r.method.toUpperCase(),
        at(r.path),
        body,
        raw ? { 'content-type': 'application/json' } : {},
      );
      expect(
        [400, 401, 403, 404, 409, 413, 415, 422, 429],
        `${r.method} ${r.path} answered ${answer.status}`,
      ).toContain(answer.status);
    }
    const { status } = await nobody.call(
      'POST',
      '/api/session',
      body,
      typeof body === 'string' ? { 'content-type': 'application/json' } : {},
    );
    expect([400, 401, 413]).toContain(status);
    expect(await counts()).toBe(before);
  });

  it('refuses oversized bodies', async () => {
    const before = await counts();
    for (const r of ROUTES.filter((x) => x.body)) {
      const big = JSON.stringify({ title: 'x'.repeat(1.2 * (r.largestBytes ?? 1_000_000)) });
      expect(
        (await lead.call(r.method.toUpperCase(), at(r.path), big, { 'content-type': 'application/json' }))
          .status,
        r.path,
      ).toBe(413);
    }
    expect(await counts()).toBe(before);
  });

  it.each([
    '/api/jobs/-1',
    '/api/jobs/1e9',
    '/api/jobs/99999999999',
    '/api/jobs/%00',
    `/api/jobs/${encodeURIComponent(sql)}`,
    '/api/jobs/147/findings/nope',
    '/api/packs/1',
    '/api/jobs/147/timeline?before=1;--',
    '/api/jobs/147/timeline?before[]=1',
    `/api/jobs/147/scans/${UUID}/traces?channels=1e99`,
    '/api/jobs/%E0%A4%A',
  ])('answers %s without a 500', async (path) => {
    expect((await lead.get(path)).status).toBeLessThan(500);
  });

  it.each([
    ['name', '../../etc/passwd'],
    ['name', ''],
    ['role', 'sideways'],
  ])('refuses a scan with %s “%s”', async (field, value) => {
    const query = new URLSearchParams({ name: 'a.csv', role: 'before', [field]: value });
    const { status } = await lead.post(`/api/jobs/147/scans/demo`, Object.fromEntries(query));
    expect(status).toBe(400);
  });
});

describe('files that are damaged, or made to do harm', () => {
  it('one of every kind is answered, fails nothing and leaves nothing; a workbook whose end never comes ends by itself', async () => {
    const files = [...(await hostileFiles(3, 25)), (await hostileFiles(11, 28))[27]!];
    for (const { name, where, bytes } of files) {
      const path =
        where === 'definition'
          ? `/api/definitions?name=${name}`
          : `/api/jobs/146/scans${where === 'preview' ? '/preview' : ''}?name=${name}&role=before`;
      const { status } = await lead.post(path, bytes, { 'idempotency-key': randomUUID() });
      expect([name, status < 500]).toEqual([name, true]);
    }
  });
});

describe('what was once answered 500', () => {
  it('is no 500: a clock that ends in the year 1 or 9999, a job by a number that is none', async () => {
    for (const endsAt of ['0001-01-01T00:00:00Z', '9999-12-31T00:00:00Z']) {
      const answer = await lead.post<{ status: number }>('/api/jobs/147/clocks', {
        label: 'x',
        kind: 'other',
        endsAt,
        stage: 'bench',
      });
      expect(answer.status, endsAt).toBe(400);
    }
    for (const number of ['0x93', '1e2', '147.0', ' 147', '%20147', '+147', '０'])
      expect(((await lead.get(`/api/jobs/${number}`)) as { status: number }).status, number).toBe(404);
  });

  it('is no 500: JSON nested twenty thousand deep, at every address that takes some', async () => {
    const text = `${'{"a":'.repeat(20_000)}1${'}'.repeat(20_000)}`;
    for (const r of ROUTES.filter((x) => x.body)) {
      const answer = await lead.call<object>(r.method.toUpperCase(), at(r.path), text, {
        'content-type': 'application/json',
      });
      expect(answer.status, `${r.method} ${r.path}`).toBeGreaterThanOrEqual(400);
      expect(answer.status, `${r.method} ${r.path}`).toBeLessThan(500);
    }
  });

  it('is no 500: three corrections of one reading at once, of which one is taken', async () => {
    const reading = {
      kind: 'voltage',
      place: '',
      value: 351,
      stage: 'scan',
      observedAt: new Date().toISOString(),
    };
    const { body } = await lead.post<{ id: string }>('/api/jobs/147/readings', reading);
    const answers = await Promise.all(
      [1, 2, 3].map((i) =>
        lead.post<{ detail: string }>('/api/jobs/147/readings', {
          ...reading,
          value: 351 + i,
          supersedes: body.id,
          reason: 'misread',
        }),
      ),
    );
    expect(answers.map((a) => a.status).sort()).toEqual([201, 409, 409]);
  });

  it('says that nothing was stored where that is certain, and that it is not certain only where it is not', () => {
    const full = Object.assign(
      new DatabaseError(Object.assign(new Error('no space'), { sql: '', code: '53100' }) as never),
      {},
    );
    expect(toProblem(tellStored(full, 'not'))).toMatchObject({
      status: 507,
      detail: expect.stringMatching(/full.*Nothing of it was stored/) as string,
    });
    expect(toProblem(new Error('x')).detail).not.toMatch(/certain|stored/);
    expect(toProblem(tellStored(new Error('x'), 'not')).detail).toMatch(/Nothing of it was stored/);
    expect(toProblem(tellStored(new Error('x'), 'stored')).detail).toMatch(/It is stored/);
    const lost = Object.assign(new Error('Connection terminated'), { code: '08006' });
    expect(toProblem(tellStored(lost, 'uncertain'))).toMatchObject({
      status: 503,
      detail: expect.stringMatching(/not certain/) as string,
    });
  });

  it('is no 403: anybody signed in may stop, and it is recorded by name', async () => {
    const stopped = await viewer.post<{ by: string; id: string }>('/api/jobs/146/stops', {
      kind: 'smoke',
      place: '',
      note: '',
    });
    expect(stopped.status).toBe(201);
    expect(stopped.body.by).toBe('Bettine Vale');
    // Ending it is for whoever may sign.
    expect(
      (await viewer.post<object>(`/api/jobs/146/stops/${stopped.body.id}/end`, { reason: 'all well' }))
        .status,
    ).toBe(403);
  });
});
