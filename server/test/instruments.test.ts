import type { Instrument, InstrumentRun } from '@cellmend/contract/instruments';
import type { Finding } from '@cellmend/contract/findings';
import type { Stop } from '@cellmend/contract/safety';
import type { InsulationReport } from '@cellmend/core/insulation';
import { SimulatedTester, type TesterFaults } from '@cellmend/devices/scpi';
import { randomUUID } from 'node:crypto';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { newJob, proveDead } from './depot';
import { Client, startBench, type Answer, type Bench } from './harness';
import { StoppableDatabase } from './stoppable';

let bench: Bench;
let ina: Client;
let tomas: Client;
const testers: SimulatedTester[] = [];
const ways: StoppableDatabase[] = [];
beforeAll(async () => {
  bench = await startBench();
  [ina, tomas] = [await bench.as('Ina Holm'), await bench.as('Tomas Rook')];
});
afterEach(() => {
  for (const t of testers.splice(0)) t.stop();
});
afterAll(async () => {
  await bench.end();
  for (const way of ways) await way.end();
});

interface Told {
  detail: string;
  type: string;
  current: { runId: string };
}

describe('instruments', () => {
  /** A tester of the workshop at bench 2, with what may go wrong with it. */
  async function tester(
    faults: TesterFaults = {},
    speed = 1,
  ): Promise<{ id: string; tester: SimulatedTester }> {
    const started = await SimulatedTester.start({ leakOhm: null, goodOhm: 1.4e9 }, speed, faults);
    testers.push(started.tester);
    const added = await ina.post<{ id: string }>('/api/instruments', {
      name: `bench ${randomUUID().slice(0, 6)}`,
      kind: 'insulation-tester',
      driver: 'scpi-insulation-tester',
      host: '127.0.0.1',
      port: started.port,
      mostV: 1000,
    });
    expect(added.status).toBe(201);
    return { id: added.body.id, tester: started.tester };
  }
  const ask = (instrumentId: string, more: object = {}): object => ({
    tested: { part: 'section', from: 'M01', to: 'M06' },
    setV: 500,
    seconds: 15,
    temperatureC: 21,
    mounted: true,
    managementDisconnected: true,
    instrumentId,
    ...more,
  });
  const run = (job: number, body: object, key = randomUUID(), who = ina): Promise<Answer<Finding & Told>> =>
    who.post(`/api/jobs/${job}/insulation/stream`, body, { 'idempotency-key': key });
  const isOn = async (t: SimulatedTester): Promise<void> =>
    expect.poll(() => t.outputIsOn, { timeout: 8000, interval: 20 }).toBe(true);
  const runs = async (job: number): Promise<InstrumentRun[]> =>
    (await ina.get<InstrumentRun[]>(`/api/jobs/${job}/instrument-runs`)).body;

  it('Stop takes the output off within a second, from another server process too, and says so', async () => {
    const job = await newJob(ina);
    await proveDead(ina, bench, job);
    const { id, tester: t } = await tester();
    const running = run(job, ask(id));
    await isOn(t);
    const other = await bench.another();
    const far = new Client(`http://127.0.0.1:${other.port}`);
    far.cookie = tomas.cookie;
    const began = performance.now();
    const stop = await far.post<Stop>(`/api/jobs/${job}/stops`, { kind: 'smoke' });
    expect(performance.now() - began).toBeLessThan(2500);
    expect(t.outputIsOn).toBe(false);
    expect(stop.body.outputs).toEqual([
      { instrument: expect.stringMatching(/^bench/) as string, output: 'off' },
    ]);
    const ended = await running;
    expect(ended).toMatchObject({ status: 409, body: { type: 'urn:cellmend:interrupted' } });
    expect(ended.body.detail).toMatch(/Stop was pressed\. The output is off/);
    expect((await runs(job))[0]).toMatchObject({ state: 'interrupted', output: 'off' });
  });

  it('an instrument that does not answer is told as unknown, on the board and in its list, until somebody has looked', async () => {
    const job = await newJob(ina);
    await proveDead(ina, bench, job);
    const { id } = await tester({ silentAfter: 1, noWatchdog: true });
    const ended = await run(job, ask(id));
    expect(ended.body.detail).toMatch(/fell silent.*could not be reached: switch it off by hand/);
    const listed = async (): Promise<Instrument> =>
      (await ina.get<Instrument[]>('/api/instruments')).body.find((i) => i.id === id)!;
    expect((await listed()).busyWith).toMatchObject({ jobNumber: job, output: 'unknown' });
    expect((await ina.post(`/api/instruments/${id}/off`, { note: 'x' })).status).toBe(400);
    expect((await ina.post(`/api/instruments/${id}/off`, { note: 'Tomas pulled the plug' })).status).toBe(
      200,
    );
    expect((await listed()).busyWith).toBeNull();
  });

  it('a closed page takes the output off', async () => {
    const job = await newJob(ina);
    await proveDead(ina, bench, job);
    const { id, tester: t } = await tester();
    const page = new AbortController();
    void fetch(`${bench.address}/api/jobs/${job}/insulation/stream`, {
      method: 'POST',
      headers: {
        'x-cellmend': '1',
        'content-type': 'application/json',
        cookie: ina.cookie,
        'idempotency-key': randomUUID(),
      },
      body: JSON.stringify(ask(id)),
      signal: page.signal,
    }).catch(() => undefined);
    await isOn(t);
    page.abort();
    await expect.poll(() => t.outputIsOn, { timeout: 2000, interval: 20 }).toBe(false);
    await expect.poll(async () => (await runs(job))[0]!.why).toMatch(/page was closed/);
  });

  it('is driven by one job at a time; the same key joins the running test and switches nothing on twice', async () => {
    const [first, second] = [await newJob(ina), await newJob(ina)];
    await proveDead(ina, bench, first);
    await proveDead(ina, bench, second);
    const { id, tester: t } = await tester();
    const key = randomUUID();
    const running = [run(first, ask(id), key), run(first, ask(id), key)];
    await isOn(t);
    const busy = await run(second, ask(id));
    expect(busy.status).toBe(409);
    expect(busy.body.detail).toMatch(new RegExp(`driven by job ${first} now`));
    const joined = run(first, ask(id), key);
    const answers = await Promise.all([...running, joined]);
    expect(new Set(answers.map((a) => a.body.id)).size).toBe(1);
    expect(answers.map((a) => [a.status, a.body.detail])).toEqual([
      [201, undefined],
      [201, undefined],
      [201, undefined],
    ]);
    expect(await runs(first)).toHaveLength(1);
  }, 60_000);

  it('checks gate, management unit and voltage before anything is on: the pack’s highest working voltage to the maker’s limit', async () => {
    const job = await newJob(ina);
    const { id, tester: t } = await tester();
    expect((await run(job, ask(id))).status).toBe(423);
    await proveDead(ina, bench, job);
    expect((await run(job, ask(id, { managementDisconnected: false }))).status).toBe(422);
    expect((await run(job, ask(id, { setV: 250 }))).body.detail).toMatch(
      /below the 353 V that this pack has at work/,
    );
    expect((await run(job, ask(id, { setV: 1500 }))).body.detail).toMatch(/more than the 1000 V/);
    expect(t.outputIsOn).toBe(false);
    expect(await runs(job)).toEqual([]);
  });

  it('keeps a test that ends in a question, and stores it once somebody says that it stands', async () => {
    const job = await newJob(ina);
    await proveDead(ina, bench, job);
    const { id, tester: t } = await tester();
    // A meter that shows the full voltage across a few kilo-ohms: one of the two figures is wrong.
    t.clip({ leakOhm: null, goodOhm: 9000 });
    (t as unknown as { reading: () => number[] }).reading = () => [1, 4000, 500];
    const asked = await run(job, ask(id));
    expect(asked).toMatchObject({ status: 422, body: { type: 'urn:cellmend:query' } });
    // An output that takes long to confirm is told off again until it has.
    await expect.poll(async () => (await runs(job))[0]?.output).toBe('off');
    const [kept] = await runs(job);
    expect(kept).toMatchObject({ state: 'asked', output: 'off' });
    expect(kept!.readings).toBeGreaterThan(5);
    const stands = await ina.post<Finding>(
      `/api/jobs/${job}/insulation/runs/${asked.body.current.runId}/stands`,
      {},
    );
    expect(stands.status).toBe(201);
    expect((stands.body.result as InsulationReport).tests[0]!.points.length).toBe(kept!.readings);
    expect((await runs(job))[0]).toMatchObject({ state: 'done' });
  }, 60_000);

  describe('with a database that hangs', () => {
    /** A test that runs on a server whose way to the database can be stopped. */
    async function running(): Promise<{
      far: Client;
      job: number;
      t: SimulatedTester;
      way: StoppableDatabase;
      ended: Promise<Answer<Told>>;
    }> {
      const job = await newJob(ina);
      await proveDead(ina, bench, job);
      const { id, tester: t } = await tester({ noWatchdog: true });
      const way = await StoppableDatabase.before(bench.url);
      ways.push(way);
      const other = await bench.another(way.url);
      const far = new Client(`http://127.0.0.1:${other.port}`);
      far.cookie = ina.cookie;
      const ended = far.post<Told>(`/api/jobs/${job}/insulation/stream`, ask(id));
      await isOn(t);
      return { far, job, t, way, ended };
    }

    it('Stop takes the output off within a second, says what became of it, and is stored once when the database is back', async () => {
      const { far, job, t, way, ended } = await running();
      way.hang();
      const key = randomUUID();
      const began = performance.now();
      const stop = far.post<Told>(`/api/jobs/${job}/stops`, { kind: 'smoke' }, { 'idempotency-key': key });
      await expect.poll(() => t.outputIsOn, { timeout: 1000, interval: 10 }).toBe(false);
      expect(performance.now() - began).toBeLessThan(1000);
      const answer = await stop;
      expect(answer.status).toBe(503);
      expect(answer.body.detail).toMatch(/^bench \w+: output off\..*not in the record yet/);
      way.goOn();
      expect((await ended).body.detail).toMatch(/Stop was pressed\. The output is off/);
      const again = await far.post<Stop>(
        `/api/jobs/${job}/stops`,
        { kind: 'smoke' },
        { 'idempotency-key': key },
      );
      expect(again.status).toBe(201);
      expect((await far.get<{ stops: Stop[] }>(`/api/jobs/${job}/safety`)).body.stops).toHaveLength(1);
    });

    it('nobody without a cookie of ours takes an output off', async () => {
      const { far, job, t, way, ended } = await running();
      for (const cookie of ['', 'cellmend.sid=s%3Aforged.signature', `${far.cookie}x`])
        await fetch(`${far.address}/api/jobs/${job}/stops`, {
          method: 'POST',
          headers: { 'x-cellmend': '1', 'content-type': 'application/json', cookie },
          body: JSON.stringify({ kind: 'smoke' }),
        });
      expect(t.outputIsOn).toBe(true);
      way.hang();
      // Nobody presses anything: a test that cannot be kept ends by itself.
      await expect.poll(() => t.outputIsOn, { timeout: 8000, interval: 50 }).toBe(false);
      way.goOn();
      expect((await ended).body.detail).toMatch(/database does not answer\. The output is off/);
    });
  });

  it('a server that stops takes every output off first', async () => {
    const job = await newJob(ina);
    await proveDead(ina, bench, job);
    const { id, tester: t } = await tester();
    const other = await bench.another();
    const far = new Client(`http://127.0.0.1:${other.port}`);
    far.cookie = ina.cookie;
    const running = far.post(`/api/jobs/${job}/insulation/stream`, ask(id)).catch(() => null);
    await isOn(t);
    await other.close();
    expect(t.outputIsOn).toBe(false);
    await running;
    expect((await runs(job))[0]).toMatchObject({ state: 'interrupted', output: 'off' });
  });
});
