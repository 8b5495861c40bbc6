import type { BenchView, RunPart } from '@cellmend/contract/bench';
import type { Job } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import type { SupervisedRun } from '@cellmend/contract/supervised';
import { normalisePack } from '@cellmend/core/pack';
import { SimulatedBank } from '@cellmend/devices/simulatedBank';
import { levelStick, type ModuleFacts } from '@cellmend/devices/simulatedModule';
import { randomUUID } from 'node:crypto';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { Channels, enter } from './channels';
import { newJob } from './depot';
import { startBench, type Answer, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
let job: number;
const channels = new Channels();
const banks: SimulatedBank[] = [];
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
  job = await newJob(ina, 'Ferry', 'sources');
});
afterEach(() => {
  channels.stop();
  for (const b of banks.splice(0)) b.stop();
});
afterAll(() => bench.end());

const SPEED = 1200;
type Told = SupervisedRun & Problem;
const post = <T = Told>(path: string, body: object, key = randomUUID(), number = job): Promise<Answer<T>> =>
  ina.post<T>(`/api/jobs/${number}/bench/${path}`, body, { 'idempotency-key': key });
const runOf = async (id: string, number = job): Promise<SupervisedRun> =>
  (await ina.get<SupervisedRun[]>(`/api/jobs/${number}/bench/supervised`)).body.find((r) => r.id === id)!;
const kept = (id: string, number = job): Promise<void> =>
  expect.poll(async () => (await runOf(id, number)).kept, { timeout: 60_000, interval: 150 }).toBe(true);
const view = async (number = job): Promise<BenchView> =>
  (await ina.get<BenchView>(`/api/jobs/${number}/bench`)).body;

async function bank(module: ModuleFacts, ohm: number, more: { stuck?: boolean; noWatchdog?: boolean } = {}) {
  const made = await SimulatedBank.start(module, { ohm, speed: SPEED, ...more });
  banks.push(made.bank);
  const logger = await enter(bench, ina, 'logger', made.logger, { speed: SPEED });
  const relay = await enter(bench, ina, 'relay', made.relay, { speed: SPEED, ohm, readsWith: logger });
  return { ...made, relayPort: made.relay, relay, logger };
}

describe('a resistor bank behind a relay', () => {
  it('takes a module down to its cut-off, read by a logger; what flowed is what Ohm’s law says of its volts', async () => {
    const { relay, bank: simulated } = await bank(levelStick(5, 4.8), 2);
    const begun = await post('supervised', {
      place: 'S01',
      recipe: 'resistor-bank',
      instrumentId: relay,
      looked: true,
    });
    expect(begun).toMatchObject({ status: 201, body: { steps: ['into the bank'] } });
    expect(simulated.isClosed).toBe(true);
    await kept(begun.body.id);
    expect(simulated.isClosed).toBe(false);
    const run = (await view()).runs.find((r) => r.place === 'S01')!;
    // What was in it, down to its cut-off, within what two readings lie apart.
    expect(run.capacityAh).toBeGreaterThan(0.93 * 4.8);
    expect(run.capacityAh).toBeLessThan(1.05 * 4.8);
    const part = (await ina.get<RunPart>(`/api/jobs/${job}/bench/runs/${run.id}/course`)).body;
    const flowing = part.currentA.flatMap((i, k) => (i > 0.1 ? [part.voltageV[k]! / i] : []));
    expect(flowing.length).toBeGreaterThan(20);
    // Volts and amperes are read one after the other, a minute of the module's time apart.
    for (const ohm of flowing) expect(Math.abs(ohm / 2 - 1)).toBeLessThan(0.03);
  }, 90_000);
  it('charges nothing, runs no other recipe, and no charger runs its', async () => {
    const { relay } = await bank(levelStick(5, 4.8), 2);
    for (const recipe of ['capacity', 'slow-balance', 'nimh-rated'])
      expect(
        await post('supervised', { place: 'S02', recipe, instrumentId: relay, looked: true }),
      ).toMatchObject({
        status: 422,
      });
    const { id } = await channels.charger(bench, ina, levelStick(5, 2), { speed: SPEED });
    expect(
      (await post('supervised', { place: 'S02', recipe: 'resistor-bank', instrumentId: id, looked: true }))
        .status,
    ).toBe(422);
  });
  it('is not begun by a relay that stays closed when it is left alone, and one that does not open is told', async () => {
    const deaf = await bank(levelStick(5, 4), 2, { noWatchdog: true });
    const refused = await post('supervised', {
      place: 'S02',
      recipe: 'resistor-bank',
      instrumentId: deaf.relay,
      looked: true,
    });
    expect(refused).toMatchObject({ status: 422 });
    expect(deaf.bank.isClosed).toBe(false);
    const stuck = await bank(levelStick(5, 4), 2, { stuck: true });
    const { body } = await post('supervised', {
      place: 'S02',
      recipe: 'resistor-bank',
      instrumentId: stuck.relay,
      looked: true,
    });
    await post(`supervised/${body.id}/stop`, { reason: 'seen smoke' });
    await expect.poll(async () => (await runOf(body.id)).output).toBe('unknown');
  });
  it('opens when the logger falls silent, and when what flows is not what it would draw', async () => {
    const wrong = await SimulatedBank.start(levelStick(5, 4), { ohm: 1, speed: SPEED });
    banks.push(wrong.bank);
    const logger = await enter(bench, ina, 'logger', wrong.logger, { speed: SPEED });
    // Somebody laid another resistor in than the workshop knows.
    const relay = await enter(bench, ina, 'relay', wrong.relay, {
      speed: SPEED,
      ohm: 1.3,
      readsWith: logger,
    });
    const { body } = await post('supervised', {
      place: 'S03',
      recipe: 'resistor-bank',
      instrumentId: relay,
      looked: true,
    });
    await expect.poll(async () => (await runOf(body.id)).state).toBe('interrupted');
    expect((await runOf(body.id)).why).toMatch(/A where .* A were set|A, the limit is/);
    expect(wrong.bank.isClosed).toBe(false);
    // A relay without a logger is none.
    const alone = await ina.post<Problem>('/api/instruments', {
      name: 'lonely relay',
      kind: 'relay',
      driver: 'scpi-relay',
      host: '127.0.0.1',
      port: wrong.relay,
      mostV: 60,
      mostA: 20,
      ohm: 2,
    });
    expect(alone.status).toBe(400);
  });
});

describe('what reads for another', () => {
  it('reads for one run at a time, and is not taken out of use while something is read by it', async () => {
    const one = await bank(levelStick(5, 4), 2);
    const second = await enter(bench, ina, 'relay', one.relayPort, {
      speed: SPEED,
      ohm: 2,
      readsWith: one.logger,
    });
    const begun = await post('supervised', {
      place: 'S11',
      recipe: 'resistor-bank',
      instrumentId: one.relay,
      looked: true,
    });
    expect(begun.status).toBe(201);
    const other = await post('supervised', {
      place: 'S12',
      recipe: 'resistor-bank',
      instrumentId: second,
      looked: true,
    });
    expect(other).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/reads for another run now/) as string },
    });
    await post(`supervised/${begun.body.id}/stop`, {});
    const gone = await ina.call<Problem>('DELETE', `/api/instruments/${one.logger}`, {});
    expect(gone).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/reads for channel/) as string },
    });
  });
});

describe('a charger that reads no temperature', () => {
  it('is run with a thermometer beside it, and not without', async () => {
    const module = levelStick(5, 1);
    const made = await SimulatedBank.start(module, { ohm: 10, speed: SPEED });
    banks.push(made.bank);
    const thermometer = await enter(bench, ina, 'thermometer', made.thermometer, { speed: SPEED });
    const without = await channels.charger(bench, ina, module, { speed: SPEED, noSensor: true });
    const run = (instrumentId: string) =>
      post('supervised', { place: 'S04', recipe: 'slow-balance', instrumentId, looked: true });
    expect(await run(without.id)).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/No temperature/) as string },
    });
    const beside = await channels.charger(bench, ina, module, {
      speed: SPEED,
      noSensor: true,
      readsWith: thermometer,
    });
    const begun = await run(beside.id);
    expect(begun.status).toBe(201);
    await expect
      .poll(async () => (await runOf(begun.body.id)).reading?.temperatureC ?? null)
      .toBeCloseTo(22, 0);
    await post(`supervised/${begun.body.id}/stop`, {});
  });
});

describe('one module into another', () => {
  it('each is run by its own limits; the first that is through ends both, and each keeps what it saw', async () => {
    const give = await channels.charger(bench, ina, levelStick(5, 4.6), { speed: SPEED });
    const take = await channels.charger(bench, ina, levelStick(6, 0.6), { speed: SPEED });
    const ask = { from: 'S05', into: 'S06', giveWithId: give.id, takeWithId: take.id, looked: true };
    expect((await post('transfers', { ...ask, into: 'S05' })).status).toBe(422);
    expect((await post('transfers', { ...ask, takeWithId: give.id })).status).toBe(422);
    const key = randomUUID();
    const twice = await Promise.all([
      post<SupervisedRun[]>('transfers', ask, key),
      post<SupervisedRun[]>('transfers', ask, key),
    ]);
    expect(twice.map((t) => t.status)).toEqual([201, 201]);
    const [gives, takes] = twice[0]!.body;
    expect([gives!.place, takes!.place]).toEqual(['S05', 'S06']);
    await kept(gives!.id);
    await kept(takes!.id);
    expect([give.charger.outputIsOn, take.charger.outputIsOn]).toEqual([false, false]);
    const { runs } = await view();
    const given = runs.find((r) => r.place === 'S05')!;
    expect(given.capacityAh).toBeGreaterThan(0.9 * 4.6);
    expect(runs.filter((r) => ['S05', 'S06'].includes(r.place))).toHaveLength(2);
    expect(runs.find((r) => r.place === 'S06')!.says.join(' ')).toMatch(/with S05/);
    expect((await runOf(takes!.id)).inAh).toBeGreaterThan(0.7 * 4.6);
  }, 90_000);
  it('neither runs where the other cannot, and a Stop takes both off', async () => {
    const give = await channels.charger(bench, ina, levelStick(5, 4.6), { speed: 60, noSensor: true });
    const take = await channels.charger(bench, ina, levelStick(6, 0.6), { speed: 60 });
    const ask = { from: 'S07', into: 'S08', giveWithId: give.id, takeWithId: take.id, looked: true };
    expect(await post('transfers', ask)).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/No temperature at S07/) as string },
    });
    await expect.poll(() => take.charger.outputIsOn).toBe(false);
    const other = await channels.charger(bench, ina, levelStick(5, 4.6), { speed: 60 });
    const begun = await post<SupervisedRun[]>('transfers', {
      ...ask,
      giveWithId: other.id,
      from: 'S09',
      into: 'S10',
    });
    expect(begun.status).toBe(201);
    expect([other.charger.outputIsOn, take.charger.outputIsOn]).toEqual([true, true]);
    await post(`supervised/${begun.body[0]!.id}/stop`, {});
    await expect
      .poll(() => [other.charger.outputIsOn, take.charger.outputIsOn], { timeout: 8000 })
      .toEqual([false, false]);
    // One of two goes on alone on no channel.
    const alone = await post(`supervised/${begun.body[0]!.id}/resume`, {
      instrumentId: other.id,
      looked: true,
    });
    expect(alone.status).toBeGreaterThanOrEqual(409);
    expect(other.charger.outputIsOn).toBe(false);
  }, 60_000);
});

describe('a pack that is asleep', () => {
  const good = {
    emptyDays: 4,
    ageYears: 4,
    swollen: false,
    leaked: false,
    outdoors: true,
    somebodyStays: true,
  };
  it('is trickled at its own terminals until it answers; too low, or with a dead group, it is stripped down', async () => {
    const n = await newJob(ina, 'Tarn', 'asleep');
    const { groups, profile } = normalisePack((await ina.get<Job>(`/api/jobs/${n}`)).body.pack);
    const asleep = (perCellV: number): ModuleFacts => ({
      ...levelStick(11, 0),
      chemistry: profile.chemistry,
      ratedAh: profile.ratedCapacityAh,
      cells: groups.map(() => ({ capacityAh: 11, ah: ((perCellV - 2.8) / 40) * 11, ohm: 0.001 })),
    });
    const source = async (perCellV: number) =>
      channels.charger(bench, ina, asleep(perCellV), { role: 'supply', speed: 300 });
    const wake = (instrumentId: string, recovery: object = good) =>
      post('wake', { instrumentId, looked: true, recovery }, randomUUID(), n);
    const low = await source(1.2);
    expect(await wake(low.id)).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/^Strip it down/) as string },
    });
    const right = await source(2.2);
    expect(await wake(right.id, { ...good, swollen: null })).toMatchObject({ status: 422 });
    expect(right.charger.outputIsOn).toBe(false);
    const begun = await wake(right.id);
    expect(begun).toMatchObject({ status: 201, body: { place: '', recipe: 'wake' } });
    await expect.poll(async () => (await runOf(begun.body.id, n)).inAh).toBeGreaterThan(0.005);
    expect((await post(`supervised/${begun.body.id}/answered`, {}, randomUUID(), n)).status).toBe(200);
    await kept(begun.body.id, n);
    expect(right.charger.outputIsOn).toBe(false);
    expect((await view(n)).runs[0]).toMatchObject({
      place: '',
      recipe: 'wake',
      capacityAh: null,
      says: expect.arrayContaining([expect.stringMatching(/answers: scan it now/)]) as string[],
    });
    // One that was taken off is not taken up again unasked: its questions are asked anew.
    const again = await wake(right.id);
    expect(again.status).toBe(201);
    await post(`supervised/${again.body.id}/stop`, {}, randomUUID(), n);
    await expect.poll(async () => (await runOf(again.body.id, n)).state).toBe('interrupted');
    const on = { instrumentId: right.id, looked: true };
    expect((await post(`supervised/${again.body.id}/resume`, on, randomUUID(), n)).status).toBe(422);
    expect(right.charger.outputIsOn).toBe(false);
    await post(`supervised/${again.body.id}/end`, {}, randomUUID(), n);
    // A group that a scan showed dead: no trickle, however the whole of it rests.
    const volts = groups.map((_, i) => (i === 5 ? 0.02 : 2.4));
    await ina.post(`/api/jobs/${n}/scans/typed`, {
      end: 'unknown',
      volts,
      currentA: 0,
      temperatureC: 15,
      role: 'before',
      how: 'typed',
      observedAt: bench.clock.iso(),
    });
    await bench.settled();
    expect(await wake(right.id)).toMatchObject({
      status: 422,
      body: { detail: expect.stringMatching(/Strip it down/) as string },
    });
  }, 60_000);
});
