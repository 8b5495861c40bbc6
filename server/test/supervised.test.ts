import type { BenchView, Beside } from '@cellmend/contract/bench';
import type { Instrument } from '@cellmend/contract/instruments';
import type { StartRun, SupervisedRun } from '@cellmend/contract/supervised';
import type { Job } from '@cellmend/contract/jobs';
import type { Check } from '@cellmend/contract/records';
import { cellsAt, normalisePack } from '@cellmend/core/pack';
import { levelStick, nimhStick, type ModuleFacts } from '@cellmend/devices/simulatedModule';
import { randomUUID } from 'node:crypto';
import { QueryTypes } from 'sequelize';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { Channels } from './channels';
import { newJob } from './depot';
import { Client, startBench, type Answer, type Bench } from './harness';
import { StoppableDatabase } from './stoppable';

let bench: Bench;
let ina: Client;
const channels = new Channels();
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterEach(() => channels.stop());
afterAll(() => bench.end());

/** The demo's hybrid: sticks of six NiMH cells, 6.5 A·h. */
const JOB = 138;
const SPEED = 1200;
const charger = (
  module: ModuleFacts,
  facts: Parameters<Channels['charger']>[3] = {},
): ReturnType<Channels['charger']> => channels.charger(bench, ina, module, { speed: SPEED, ...facts });
type Told = SupervisedRun & { detail: string };
const start = (body: Partial<StartRun>, key = randomUUID(), who = ina): Promise<Answer<Told>> =>
  who.post(
    `/api/jobs/${JOB}/bench/supervised`,
    { recipe: 'capacity', looked: true, ...body },
    { 'idempotency-key': key },
  );
const act = (id: string, what: string, body: object = {}): Promise<Answer<Told>> =>
  ina.post(`/api/jobs/${JOB}/bench/supervised/${id}/${what}`, body, { 'idempotency-key': randomUUID() });
const all = async (): Promise<SupervisedRun[]> =>
  (await ina.get<SupervisedRun[]>(`/api/jobs/${JOB}/bench/supervised`)).body;
const one = async (id: string): Promise<SupervisedRun> => (await all()).find((r) => r.id === id)!;
/** Follows a run to its end; one that a slow machine left alone for too long was switched off, and goes on. */
async function toTheEnd(id: string, instrumentId: string): Promise<string> {
  for (let i = 0; i < 500; i++) {
    const run = await one(id);
    if (run.state === 'done') return id;
    if (run.state === 'interrupted') id = (await act(id, 'resume', { instrumentId, looked: true })).body.id;
    await new Promise((r) => setTimeout(r, 200));
  }
  throw new Error('it never ended');
}
const view = async (): Promise<BenchView> => (await ina.get<BenchView>(`/api/jobs/${JOB}/bench`)).body;
const count = async (sql: string): Promise<number> =>
  Number(
    (
      await bench.running.store.sequelize.query<{ n: string }>(`SELECT count(*) AS n FROM ${sql}`, {
        type: QueryTypes.SELECT,
      })
    )[0]!.n,
  );

describe('a recipe run by the bench', () => {
  it('charges, rests and discharges by itself; what it gave is a run of the record with its readings, and a capacity', async () => {
    const { id, charger: c } = await charger(levelStick(5.2, 4.6), { speed: 300 });
    const begun = await start({ place: 'S20', instrumentId: id });
    expect(begun.status).toBe(201);
    expect(begun.body).toMatchObject({
      place: 'S20',
      state: 'running',
      output: 'on',
      steps: ['charge', 'rest', 'discharge'],
    });
    expect(c.outputIsOn).toBe(true);
    const busy = (await ina.get<Instrument[]>('/api/instruments')).body.find((i) => i.id === id);
    expect(busy).toMatchObject({ busyWith: { jobNumber: JOB, output: 'on' } });
    const last = await toTheEnd(begun.body.id, id);
    expect(c.outputIsOn).toBe(false);
    await expect.poll(async () => (await view()).runs.filter((r) => r.place === 'S20').length).toBe(1);
    const { runs, measuredAloneAh } = await view();
    const run = runs.find((r) => r.place === 'S20')!;
    expect(run).toMatchObject({ from: 'bench', recipe: 'capacity', lowerBound: false, by: 'Ina Holm' });
    // Six level cells of 5.2 A·h, charged to between 95 and 100 per cent.
    expect(run.capacityAh).toBeGreaterThan(4.6);
    expect(run.capacityAh).toBeLessThan(5.7);
    expect(measuredAloneAh.S20).toBeCloseTo(run.capacityAh!, 1);
    const csv = (await ina.get<string>(`/api/bench/${run.id}/file`)).body;
    expect(csv.split('\n')[0]).toBe('time_s,voltage_V,current_A,temp_C,step');
    expect(csv.split('\n').length).toBeGreaterThan(10);
    // The file is what is kept; nothing of it is left twice.
    expect(await count(`run_log WHERE run_id IN ('${begun.body.id}', '${last}')`)).toBe(0);
  }, 120_000);

  it('is told to the other jobs of the bench, with what waits on packs of its kind and what each school has brought', async () => {
    const sister = await newJob(ina, 'Ferry', 'sister');
    const beside = async (): Promise<Beside> =>
      (await ina.get<Beside>(`/api/jobs/${sister}/bench/beside`)).body;
    const { id } = await charger(levelStick(5, 3), { speed: 1 });
    const begun = await start({ place: 'S20', instrumentId: id });
    const { running, alike } = await beside();
    expect(running).toEqual([{ job: JOB, place: 'S20', leftH: expect.any(Number) as number }]);
    expect(running[0]!.leftH).toBeGreaterThan(2);
    const other = alike.find((a) => a.job === JOB)!;
    expect(other.places.length).toBeGreaterThan(20);
    await act(begun.body.id, 'stop');
    expect((await beside()).running).toEqual([]);
    for (const [k, capacityAh] of [3, 3.6].entries())
      await ina.post(`/api/jobs/${sister}/bench/runs`, {
        place: 'S01',
        recipe: k === 0 ? 'capacity' : 'slow-balance',
        capacityAh,
        observedAt: new Date(Date.now() - (2 - k) * 3_600_000).toISOString(),
      });
    expect((await beside()).schools).toEqual([
      { school: 'slow-balance', n: 1, median: expect.closeTo(0.2, 9) as number, interval: null },
    ]);
  });

  it('a repeat of the key joins, another run of the module or of the instrument is refused', async () => {
    const { id } = await charger(levelStick(5, 3), { speed: 1 });
    const other = await charger(levelStick(5, 3), { speed: 1 });
    const key = randomUUID();
    const [a, b] = await Promise.all([
      start({ place: 'S21', instrumentId: id }, key),
      start({ place: 'S21', instrumentId: id }, key),
    ]);
    expect([a.status, b.status]).toEqual([201, 201]);
    expect(a.body.id).toBe(b.body.id);
    expect(await start({ place: 'S21', instrumentId: other.id })).toMatchObject({
      status: 409,
      body: { title: 'Runs already' },
    });
    expect(await start({ place: 'S22', instrumentId: id })).toMatchObject({
      status: 409,
      body: { title: 'In use' },
    });
    expect(other.charger.outputIsOn).toBe(false);
    await act(a.body.id, 'stop');
    await act(a.body.id, 'end');
  });

  it('nothing is switched on where something speaks against it', async () => {
    const { id, charger: c } = await charger(levelStick(5, 3), { speed: 1 });
    const refused = async (
      body: Partial<StartRun>,
      status: number,
      detail: RegExp,
      who = ina,
    ): Promise<void> => {
      const answer = await start({ place: 'S23', instrumentId: id, ...body }, randomUUID(), who);
      expect(answer).toMatchObject({ status });
      expect(JSON.stringify(answer.body)).toMatch(detail);
      expect(c.outputIsOn).toBe(false);
      expect(
        await count(
          `instrument_runs WHERE state = 'running' AND job_id = (SELECT id FROM jobs WHERE number = ${JOB})`,
        ),
      ).toBe(0);
    };
    await refused({ looked: false as true }, 400, /Look at it first/);
    await refused({ place: 'S99' }, 400, /no module S99/);
    await refused({ recipe: 'recover' }, 422, /no recipe/);
    await refused({}, 403, /./, await bench.as('Bettine Vale'));
    const flat = await charger(nimhStick(Array.from({ length: 6 }, () => [5, -0.03])), { speed: 1 });
    expect(await start({ place: 'S23', instrumentId: flat.id })).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/below the .* floor/) as string },
    });
    const open = await charger(levelStick(5, 3), { speed: 1, faults: { open: true } });
    expect(await start({ place: 'S23', instrumentId: open.id })).toMatchObject({ status: 422 });
    const supply = await charger(levelStick(5, 3), { speed: 1, role: 'supply' });
    expect(await start({ place: 'S23', instrumentId: supply.id })).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/cannot discharge/) as string },
    });
    const noDog = await charger(levelStick(5, 3), { speed: 1, faults: { noWatchdog: true } });
    expect(await start({ place: 'S23', instrumentId: noDog.id })).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/left alone/) as string },
    });
    const blind = await charger(levelStick(5, 3), { speed: 1, noSensor: true });
    expect(await start({ place: 'S23', instrumentId: blind.id })).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/limit of warmth could not be kept/) as string },
    });
    for (const x of channels.all) expect(x.outputIsOn).toBe(false);
  });

  it('Stop takes every channel off at once and refuses new ones; afterwards a run goes on from what was logged', async () => {
    const [a, b] = [await charger(levelStick(5, 3)), await charger(levelStick(5, 3))];
    const runs = await Promise.all([
      start({ place: 'S24', instrumentId: a.id }),
      start({ place: 'S25', instrumentId: b.id }),
    ]);
    await expect.poll(async () => (await one(runs[0].body.id)).runS).toBeGreaterThan(600);
    const stop = await ina.post<{ id: string; outputs: unknown[] }>(`/api/jobs/${JOB}/stops`, {
      kind: 'smoke',
    });
    expect(stop.body.outputs).toHaveLength(2);
    expect([a.charger.outputIsOn, b.charger.outputIsOn]).toEqual([false, false]);
    await expect.poll(async () => (await one(runs[0].body.id)).state).toBe('interrupted');
    const stood = await one(runs[0].body.id);
    expect(stood.why).toMatch(/Stop was pressed/);
    expect(await act(stood.id, 'resume', { instrumentId: a.id, looked: true })).toMatchObject({
      status: 423,
    });
    expect(await start({ place: 'S26', instrumentId: a.id })).toMatchObject({ status: 423 });
    await ina.post(`/api/jobs/${JOB}/stops/${stop.body.id}/end`, { reason: 'no smoke, a kettle' });
    const on = await act(stood.id, 'resume', { instrumentId: b.id, looked: true });
    expect(on).toMatchObject({ status: 201, body: { state: 'running', place: 'S24' } });
    expect(on.body.runS).toBeGreaterThanOrEqual(stood.runS - 1);
    expect(await act(stood.id, 'resume', { instrumentId: a.id, looked: true })).toMatchObject({
      status: 409,
    });
    // One line for the whole run, however often it was interrupted.
    expect((await all()).filter((r) => r.place === 'S24')).toHaveLength(1);
    await act(on.body.id, 'stop', { reason: 'enough' });
    // What is left at what was logged is a run that ended before its end.
    const left = await act(on.body.id, 'end');
    expect(left).toMatchObject({ status: 200, body: { state: 'done' } });
    const kept = (await view()).runs.find((r) => r.place === 'S24')!;
    expect(kept.says.join(' ')).toMatch(
      /Ended before its end: stopped by Ina Holm: enough.*Interrupted once: Stop was pressed/,
    );
    await act(runs[1].body.id, 'end');
  });

  it('a server that is stopped leaves outputs off and the run waiting, with every reading it took', async () => {
    const { id, charger: c } = await charger(levelStick(5, 3));
    const far = await bench.another();
    const there = new Client(`http://127.0.0.1:${far.port}`);
    there.cookie = ina.cookie;
    const begun = await start({ place: 'S27', instrumentId: id }, randomUUID(), there);
    expect(begun.status).toBe(201);
    await expect.poll(() => count(`run_log WHERE run_id = '${begun.body.id}'`)).toBeGreaterThan(4);
    await far.close();
    expect(c.outputIsOn).toBe(false);
    expect(await one(begun.body.id)).toMatchObject({
      state: 'interrupted',
      output: 'off',
      why: 'the server stopped',
    });
    const stood = await one(begun.body.id);
    const rows = await count(`run_log WHERE run_id = '${begun.body.id}'`);
    expect(stood.runS).toBeGreaterThan(0);
    expect(rows).toBeGreaterThan(4);
    await act(begun.body.id, 'end');
  });

  it('a database that hangs takes the output off; the run waits', async () => {
    const way = await StoppableDatabase.before(bench.url);
    const { id, charger: c } = await charger(levelStick(5, 3), { speed: 60 });
    const far = await bench.another(way.url);
    const there = new Client(`http://127.0.0.1:${far.port}`);
    there.cookie = ina.cookie;
    const begun = await start({ place: 'S28', instrumentId: id }, randomUUID(), there);
    expect(begun.status).toBe(201);
    expect(c.outputIsOn).toBe(true);
    way.hang();
    await expect.poll(() => c.outputIsOn, { timeout: 9000 }).toBe(false);
    way.goOn();
    await far.close();
    await way.end();
  });

  it('whose start was cut short ends by itself and blocks nothing; that it was interrupted stands in the timeline', async () => {
    const { id: instrumentId } = await charger(levelStick(6, 3));
    const job = (await ina.get<Job>(`/api/jobs/${JOB}`)).body.id;
    const me = (await ina.get<{ person: { id: string } }>('/api/session')).body.person.id;
    await bench.running.store.sequelize.query(
      `INSERT INTO instrument_runs (id, key, instrument_id, job_id, person_id, parameters, state, output, started_at)
       SELECT gen_random_uuid(), gen_random_uuid(), :instrumentId, :job, :me, parameters || '{"place":"S02"}', 'running', 'off', now() - interval '1 minute'
       FROM instrument_runs WHERE parameters->>'recipe' = 'capacity' LIMIT 1`,
      { replacements: { instrumentId, job, me } },
    );
    await bench.running.runs.recover(20_000);
    expect((await all()).filter((r) => r.state === 'running')).toEqual([]);
    const { body: timeline } = await ina.get<{ what: string; detail: string }[]>(`/api/jobs/${JOB}/timeline`);
    expect(JSON.stringify(timeline)).toMatch(/run interrupted.*cut short/);
    expect((await start({ place: 'S02', instrumentId })).status).toBe(201);
    await bench.running.runs.stopJob(job);
  });

  it('whose output could not be reached goes on nowhere before somebody has looked, and who did stands in the timeline', async () => {
    const faults: { silentAfter?: number } = {};
    const { id: instrumentId, charger: device } = await charger(levelStick(6, 3), { faults });
    const begun = await start({ place: 'S03', instrumentId });
    expect(begun.status).toBe(201);
    faults.silentAfter = 0;
    await expect.poll(async () => (await one(begun.body.id)).output, { timeout: 20_000 }).toBe('unknown');
    const resume = () => act(begun.body.id, 'resume', { instrumentId, looked: true });
    const refused = await resume();
    expect(refused.status).toBe(409);
    expect(refused.body.detail).toMatch(/not known/);
    expect(
      (await ina.post(`/api/instruments/${instrumentId}/off`, { note: 'looked: lamp dark' })).status,
    ).toBe(200);
    const { body: timeline } = await ina.get<{ what: string; detail: string }[]>(`/api/jobs/${JOB}/timeline`);
    expect(JSON.stringify(timeline)).toMatch(/output seen off.*lamp dark/);
    delete faults.silentAfter;
    device.speaksAgain();
    // It was planned before voltages had to answer the current: from here on this one has to.
    await bench.running.store.sequelize.query(
      `UPDATE instrument_runs SET parameters = jsonb_set(parameters, '{plan}', (SELECT jsonb_agg(s - 'answers') FROM jsonb_array_elements(parameters->'plan') s)) WHERE id = :id`,
      { replacements: { id: begun.body.id } },
    );
    const on = await resume();
    expect(on.status).toBe(201);
    const row = await bench.running.store.models.InstrumentRun.findByPk(on.body.id);
    const plan = row!.parameters.plan as { mode: string; answers: object | null }[];
    expect(plan.filter((s) => s.mode !== 'rest').every((s) => s.answers !== null)).toBe(true);
    await act(on.body.id, 'stop');
  });

  it('whose instrument answers late is told off again until it confirms, and says how late that was', async () => {
    const faults: { silentAfter?: number } = {};
    const { id: instrumentId, charger: device } = await charger(levelStick(6, 3), { faults });
    const begun = await start({ place: 'S04', instrumentId });
    faults.silentAfter = 0;
    await expect.poll(async () => (await one(begun.body.id)).output, { timeout: 20_000 }).toBe('unknown');
    delete faults.silentAfter;
    device.speaksAgain();
    await expect.poll(async () => (await one(begun.body.id)).output, { timeout: 20_000 }).toBe('off');
    expect((await one(begun.body.id)).why).toMatch(/confirmed off \d+ s later/);
    expect((await act(begun.body.id, 'end')).status).toBe(200);
  });

  it('rows of a run cannot be changed, nor go before its run is a file', async () => {
    const { id } = await charger(levelStick(5, 3));
    const begun = await start({ place: 'S01', instrumentId: id });
    await expect.poll(() => count(`run_log WHERE run_id = '${begun.body.id}'`)).toBeGreaterThan(2);
    const { sequelize } = bench.running.store;
    await expect(
      sequelize.query(`UPDATE run_log SET voltage_v = 1 WHERE run_id = '${begun.body.id}'`),
    ).rejects.toThrow(/stays/);
    await expect(sequelize.query(`DELETE FROM run_log WHERE run_id = '${begun.body.id}'`)).rejects.toThrow(
      /stays/,
    );
    await act(begun.body.id, 'stop');
    await act(begun.body.id, 'end');
  }, 20_000);

  it('a server that starts writes down what came through its plan before a kill; one that cannot be says so and keeps nobody waiting', async () => {
    const { id } = await charger(levelStick(5, 3));
    const through = await start({ place: 'S02', instrumentId: id });
    await expect.poll(() => count(`run_log WHERE run_id = '${through.body.id}'`)).toBeGreaterThan(3);
    await act(through.body.id, 'stop');
    // As a kill right after the last reading leaves it: through its plan, and nobody has said so.
    const { sequelize } = bench.running.store;
    await sequelize.query(
      `UPDATE instrument_runs SET control = jsonb_set(control, '{step}', to_jsonb(jsonb_array_length(parameters->'plan'))), state = 'interrupted' WHERE id = '${through.body.id}'`,
    );
    expect(await one(through.body.id)).toMatchObject({ state: 'done', kept: false });
    expect(await act(through.body.id, 'resume', { instrumentId: id, looked: true })).toMatchObject({
      status: 409,
    });
    const other = await charger(levelStick(5, 3));
    const bad = await start({ place: 'S03', instrumentId: other.id });
    await expect.poll(() => count(`run_log WHERE run_id = '${bad.body.id}'`)).toBeGreaterThan(3);
    await act(bad.body.id, 'stop');
    // A place that the pack has no more: its readings stay, and why is told.
    await sequelize.query(
      `UPDATE instrument_runs SET control = jsonb_set(control, '{step}', '3'), parameters = jsonb_set(parameters, '{place}', '"S77"') WHERE id = '${bad.body.id}'`,
    );
    const again = await bench.another();
    expect(await one(through.body.id)).toMatchObject({ state: 'done', kept: true });
    expect((await view()).runs.filter((r) => r.place === 'S02')).toHaveLength(1);
    const told = await one(bad.body.id);
    expect(told).toMatchObject({
      kept: false,
      why: expect.stringMatching(/could not be written down: .*S77/) as string,
    });
    expect(await count(`run_log WHERE run_id = '${bad.body.id}'`)).toBeGreaterThan(3);
    await again.close();
  });

  it('an over-discharged lithium module is tried only where everything speaks for it, and what does not hold is scrap', async () => {
    const job = await newJob(ina, 'Corrie', 'empty for a week');
    const pack = (await ina.get<Job>(`/api/jobs/${job}`)).body.pack;
    const place = pack.modules[0]!.id;
    const at = cellsAt(normalisePack(pack), { kind: 'module', index: 0 });
    /** Cells as far below empty; what each loses by itself. */
    const empty = (below: number, leakA: number): ModuleFacts => ({
      ...levelStick(60, 0),
      chemistry: pack.chemistry,
      ratedAh: pack.ratedCapacityAh,
      cells: Array.from({ length: at }, () => ({
        capacityAh: pack.ratedCapacityAh,
        ah: -below * pack.ratedCapacityAh,
        ohm: 0.001,
      })),
      leakA,
    });
    const recover = (instrumentId: string, recovery: StartRun['recovery']) =>
      ina.post<Told>(
        `/api/jobs/${job}/bench/supervised`,
        { place, recipe: 'recover', instrumentId, looked: true, recovery },
        { 'idempotency-key': randomUUID() },
      );
    const good = {
      emptyDays: 3,
      ageYears: 4,
      swollen: false,
      leaked: false,
      outdoors: true,
      somebodyStays: true,
    };
    const wide = { mostV: 60, mostA: 20 };
    // Deeper than anybody may try, and one of which too little is known.
    const dead = await charger(empty(0.045, 0), wide);
    const low = await charger(empty(0.02, 0.15), { ...wide, speed: 2400 });
    const told = (pattern: RegExp) => ({
      status: 422,
      body: { detail: expect.stringMatching(pattern) as string },
    });
    expect(await recover(dead.id, good)).toMatchObject(told(/Scrap/));
    expect(await recover(low.id, null)).toMatchObject(told(/^Scrap it\. Nobody knows how long.*outdoors/));
    expect(await recover(low.id, { ...good, swollen: null })).toMatchObject(
      told(/Not looked at for swelling/),
    );
    expect([dead.charger.outputIsOn, low.charger.outputIsOn]).toEqual([false, false]);
    // An ordinary charge is no way round it.
    expect(
      await ina.post(`/api/jobs/${job}/bench/supervised`, {
        place,
        recipe: 'capacity',
        instrumentId: low.id,
        looked: true,
      }),
    ).toMatchObject(told(/below the .* floor/));
    const begun = await recover(low.id, good);
    expect(begun).toMatchObject({ status: 201, body: { steps: ['low charge', 'hold'] } });
    const now = async (): Promise<SupervisedRun> =>
      (await ina.get<SupervisedRun[]>(`/api/jobs/${job}/bench/supervised`)).body[0]!;
    await expect.poll(async () => (await now()).kept, { timeout: 60_000, interval: 200 }).toBe(true);
    expect(low.charger.outputIsOn).toBe(false);
    // It took its charge, and fell back below the floor within the day: that is what the record says of it.
    expect(await now()).toMatchObject({ state: 'done', why: '' });
    const { runs } = (await ina.get<BenchView>(`/api/jobs/${job}/bench`)).body;
    const checks = (await ina.get<Check[]>(`/api/jobs/${job}/checks`)).body.filter((c) => c.place === place);
    expect(checks.map((c) => [c.check, c.passed]).sort()).toEqual([
      ['hold-test', false],
      ['recovery', true],
    ]);
    expect(runs.find((r) => r.recipe === 'recover')).toMatchObject({
      held: false,
      says: expect.arrayContaining([expect.stringMatching(/does not hold\. Scrap it/)]) as string[],
    });
  }, 90_000);
});
