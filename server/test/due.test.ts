import { findingOf } from '@cellmend/contract/findingOf';
import type { Finding, FindingOf } from '@cellmend/contract/findings';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { newJob } from './depot';
import { tasksDone } from '../src/scans/work';
import { refreshNeed } from '../src/jobs/need';
import { Client, root, startBench, type Bench } from './harness';

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

describe('the row on the board', () => {
  it('is what the record says, whoever wrote at the same moment', async () => {
    const other = new Client(`http://127.0.0.1:${(await bench.another()).port}`);
    other.cookie = ina.cookie;
    const row = async (n: number): Promise<unknown> =>
      (
        await rows(
          `SELECT need, need_detail, need_stage, marks, due_at, closed_at FROM jobs WHERE number = ${n}`,
        )
      )[0];
    /** What is told where it fails: the rows that differ, and the answers that are no answer. */
    const stale: unknown[] = [];
    const refused: unknown[] = [];
    for (let round = 0; round < 60; round++) {
      const n = await newJob(ina, 'Corrie', `race ${round}`);
      const stopped =
        round % 3 === 0 ? await ina.post<{ id: string }>(`/api/jobs/${n}/stops`, { kind: 'hot' }) : null;
      const at = { stage: 'intake', observedAt: new Date().toISOString() };
      const answers = await Promise.all([
        ina.post(`/api/jobs/${n}/readings`, { ...at, kind: 'voltage', place: 'M02', value: 0.1 }),
        other.post(`/api/jobs/${n}/clocks`, { label: 'Rest', kind: 'rest', stage: 'intake', minutes: 30 }),
        stopped
          ? other.post(`/api/jobs/${n}/stops/${stopped.body.id}/end`, { reason: 'cool again' })
          : ina.post(`/api/jobs/${n}/stops`, { kind: 'smoke' }),
        other.post(`/api/jobs/${n}/readings`, { ...at, kind: 'voltage', place: '', value: 355 }),
      ]);
      refused.push(...answers.filter((a) => a.status >= 500).map((a) => a.body));
      await bench.settled();
      const shown = await row(n);
      const [{ id }] = (await rows(`SELECT id FROM jobs WHERE number = ${n}`)) as [{ id: string }];
      await bench.running.store.sequelize.transaction((tx) => refreshNeed(bench.running.store, tx, id));
      const now = await row(n);
      if (JSON.stringify(shown) !== JSON.stringify(now)) stale.push({ round, shown, now });
    }
    expect({ stale, refused }).toEqual({ stale: [], refused: [] });
  }, 300_000);
});

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

  it('is given up by whoever no longer waits for it: the next one begins at once', async () => {
    const n = 147;
    const scan = readFileSync(join(root, 'demo/marram-3-before.csv'));
    expect((await ina.post(`/api/jobs/${n}/scans?name=a.csv&role=before`, scan)).status).toBe(201);
    const [finding] = await spreads(n);
    const path = `/api/jobs/${n}/findings/${finding!.id}/recompute`;
    const once = async (): Promise<void> =>
      expect((await ina.post<{ same: boolean }>(path)).body.same).toBe(true);
    await once();
    const before = tasksDone();
    // The same person asks for thirty, by a page that is then closed.
    const closed = new AbortController();
    const many = Array.from({ length: 30 }, () =>
      fetch(`${bench.address}${path}`, {
        method: 'POST',
        headers: { 'x-cellmend': '1', cookie: ina.cookie },
        signal: closed.signal,
      }).then(
        (r) => r.status,
        () => 'gone',
      ),
    );
    await new Promise((r) => setTimeout(r, 100));
    closed.abort();
    const answers = await Promise.all(many);
    await once();
    expect(answers.filter((a) => a === 'gone').length).toBeGreaterThan(20);
    // Turns are kept in order: the last was worked out behind whatever of the thirty still was.
    expect(tasksDone() - before).toBeLessThan(12);
  });
});
