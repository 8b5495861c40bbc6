import type { Problem } from '@cellmend/contract/problem';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { connect } from '../src/db/connect';
import { newJob } from './depot';
import { Client, startBench, type Answer, type Bench } from './harness';
import { StoppableDatabase } from './stoppable';

// No request waits in silence for a database that hangs or for somebody else's lock.

let bench: Bench;
let ina: Client;
let way: StoppableDatabase;
let far: Client;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
  way = await StoppableDatabase.before(bench.url);
  const other = await bench.another(way.url, { connectMs: 800, lockMs: 700, queryMs: 1200 });
  far = new Client(`http://127.0.0.1:${other.port}`);
  far.cookie = ina.cookie;
});
afterAll(async () => {
  await bench.end();
  await way.end();
});

const note = (n: number, text: string, key?: string): Promise<Answer<Problem>> =>
  far.post<Problem>(
    `/api/jobs/${n}/readings`,
    { kind: 'note', place: '', text, stage: 'findings', observedAt: new Date().toISOString() },
    key ? { 'idempotency-key': key } : {},
  );
const stored = async (n: number): Promise<string[]> =>
  (await ina.get<{ text: string }[]>(`/api/jobs/${n}/readings`)).body.map((r) => r.text);

describe('a database that hangs', () => {
  it('is a 503 with when to ask again, for reads and writes, within seconds; afterwards all goes on, and once only', async () => {
    const n = await newJob(ina, 'Corrie', 'hangs');
    expect((await note(n, 'before')).status).toBe(201);
    way.hang();
    const sinceMs = Date.now();
    const key = crypto.randomUUID();
    const [read, written] = await Promise.all([
      far.get<Problem>(`/api/jobs/${n}`),
      note(n, 'while it hung', key),
    ]);
    expect(Date.now() - sinceMs).toBeLessThan(9000);
    for (const answer of [read, written]) {
      expect(answer).toMatchObject({ status: 503, body: { title: 'The database is away' } });
      expect(answer.headers.get('retry-after')).toBe('2');
    }
    way.goOn();
    await expect
      .poll(async () => (await note(n, 'while it hung', key)).status, { timeout: 20_000 })
      .toBe(201);
    expect(await stored(n)).toEqual(['while it hung', 'before']);
  });
});

describe('a lock that somebody holds', () => {
  it('is a 503 that says that nothing was stored, not a wait without end', async () => {
    const n = await newJob(ina, 'Corrie', 'locked');
    const owner = connect(bench.url);
    const held = await owner.transaction();
    await owner.query('LOCK TABLE observations IN ACCESS EXCLUSIVE MODE', { transaction: held });
    const answer = await note(n, 'while it was locked').finally(() => held.rollback());
    await owner.close();
    expect(answer).toMatchObject({ status: 503, body: { title: 'Busy' } });
    expect(answer.body.detail).toMatch(/Nothing of this was stored/);
    expect((await note(n, 'afterwards')).status).toBe(201);
    expect(await stored(n)).toEqual(['afterwards']);
  });
});
