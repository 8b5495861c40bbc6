import { findingOf } from '@cellmend/contract/findingOf';
import type { Finding, FindingOf } from '@cellmend/contract/findings';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { newJob } from './depot';
import { root, startBench, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterAll(() => bench.end());

const rows = async (sql: string): Promise<Record<string, unknown>[]> =>
  (await bench.running.store.sequelize.query(sql))[0] as Record<string, unknown>[];
const count = async (sql: string): Promise<number> =>
  Number((await rows(`SELECT count(*) AS n FROM ${sql}`))[0]!.n);
const meter = (job: number, place: string, value: number) =>
  ina.post(`/api/jobs/${job}/readings`, {
    kind: 'voltage',
    place,
    value,
    stage: 'findings',
    observedAt: new Date(Date.now() + 1000).toISOString(),
  });
const spreads = async (job: number): Promise<FindingOf<'spread'>[]> =>
  (await ina.get<Finding[]>(`/api/jobs/${job}/findings`)).body.filter((f) => f.topic === 'spread');

describe('a finding is computed outside every write', () => {
  it('a typed voltage is answered before it is weighed in; many at once are weighed in together, each of them', async () => {
    const job = await newJob(ina, 'Marram 3');
    const text = readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8');
    await ina.post(`/api/jobs/${job}/scans?name=a.csv&role=before`, new TextEncoder().encode(text));
    const before = await count("findings WHERE topic = 'spread'");
    const channels = ['ch027', 'ch028', 'ch031', 'ch040', 'ch051', 'ch062', 'ch070', 'ch088'];
    const answers = await Promise.all(channels.map((c) => meter(job, c, 3.45)));
    expect(answers.map((a) => a.status)).toEqual(channels.map(() => 201));
    // The entry is on record and its finding is due; the answer waited for neither.
    expect(await count("due_findings WHERE topic = 'spread'")).toBeGreaterThan(0);
    await bench.settled();
    const [newest] = await spreads(job);
    expect(newest!.parameters.readingIds).toHaveLength(channels.length);
    const made = (await count("findings WHERE topic = 'spread'")) - before;
    expect(made).toBeGreaterThan(0);
    expect(made).toBeLessThan(channels.length);
    // Each is the same when it is computed again from what it names.
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${newest!.id}/recompute`);
    expect(again.body.same).toBe(true);
  });

  it('looking at what would be found writes nothing', async () => {
    const tables = ['findings', 'observations', 'audit', 'due_findings', 'idempotency_keys'];
    const state = async (): Promise<number[]> => Promise.all(tables.map(count));
    const job = await newJob(ina, 'Marram 3');
    const text = readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8');
    await ina.post(`/api/jobs/${job}/scans?name=b.csv&role=before`, new TextEncoder().encode(text));
    await bench.settled();
    const [spread] = await spreads(job);
    const stock = (await ina.get<{ id: string }[]>('/api/stock')).body.map((s) => s.id);
    const before = await state();
    const viewer = await bench.as('Bettine Vale');
    const tried = await viewer.post<{ result: unknown[] }>(`/api/jobs/${job}/findings/try`, {
      topic: 'match',
      spreadFindingId: spread!.id,
      moduleId: 'M07',
      stockIds: stock,
      temperatureC: null,
    });
    expect(tried.body.result).toHaveLength(stock.length);
    for (const path of ['', '/findings', '/readings', '/checks', '/safety', '/insulation', '/timeline'])
      expect((await viewer.get(`/api/jobs/${job}${path}`)).status).toBe(200);
    expect(await state()).toEqual(before);
  });

  it('one whose process died before it was computed is computed by another', async () => {
    const job = await newJob(ina, 'Corrie');
    await ina.post(`/api/jobs/${job}/insulation`, {
      observation: { kind: 'vehicle', ohm: 46_000, signalV: null },
    });
    // As a process leaves it that dies in the middle: asked for, claimed, the claim run out.
    await rows(`INSERT INTO due_findings (job_id, topic, person_id, asked_at, claimed_until)
      SELECT j.id, 'insulation', p.id, now() - interval '5 minutes', now() - interval '1 minute' FROM jobs j, people p
       WHERE j.number = ${job} AND p.name = 'Ina Holm' RETURNING 1`);
    await rows(`INSERT INTO observations (id, job_id, topic, kind, data, person_id, stage)
      SELECT gen_random_uuid(), j.id, 'insulation', 'vehicle', '{"kind": "vehicle", "ohm": 21000, "signalV": null}', p.id, 'insulation'
        FROM jobs j, people p WHERE j.number = ${job} AND p.name = 'Ina Holm' RETURNING 1`);
    const second = await bench.another();
    try {
      await bench.settled();
      const newest = findingOf((await ina.get<Finding[]>(`/api/jobs/${job}/findings`)).body, 'insulation');
      expect(newest!.parameters.observationIds).toHaveLength(2);
    } finally {
      await second.close();
    }
  });
});
