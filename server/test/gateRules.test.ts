import type { Job } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import type { WorkshopSettings } from '@cellmend/contract/safety';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newJob, proveDead } from './depot';
import { Client, startBench, type Bench } from './harness';

let bench: Bench;
let ina: Client;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterAll(() => bench.end());

describe('the rules of the gate', () => {
  const rules = async (change: Partial<WorkshopSettings>, who = ina) =>
    who.call<WorkshopSettings & Problem>('PUT', '/api/workshop', {
      ...(await who.get<WorkshopSettings>('/api/workshop')).body,
      ...change,
    });
  const gate = async (job: number): Promise<Job['gate']> =>
    (await ina.get<Job>(`/api/jobs/${job}`)).body.gate;

  it('of before stay for a lock-out that was begun: a looser one opens nothing and judges no proof again', async () => {
    const before = (await ina.get<WorkshopSettings>('/api/workshop')).body;
    const job = await newJob(ina, 'Corrie', 'rules');
    await proveDead(ina, bench, job, { plusMinusV: 25 });
    expect((await gate(job)).holds).toBe(false);
    expect((await rules({ deadV: 30, leastWaitMin: 1, twoPersons: false })).body.rulesVersion).toBe(
      before.rulesVersion + 1,
    );
    expect(await gate(job)).toMatchObject({ holds: false });
    // One that is begun now is under the new one; a stricter one closes it at once.
    const after = await newJob(ina, 'Corrie', 'rules');
    await proveDead(ina, bench, after, { plusMinusV: 25 });
    expect((await gate(after)).holds).toBe(true);
    expect((await rules({ deadV: before.deadV, leastWaitMin: before.leastWaitMin })).status).toBe(200);
    expect((await gate(after)).holds).toBe(false);
  });

  it('that ask for a second signature close what has one', async () => {
    const job = await newJob(ina, 'Corrie', 'rules');
    await proveDead(ina, bench, job);
    expect((await gate(job)).holds).toBe(true);
    await rules({ twoPersons: true });
    expect(await gate(job)).toMatchObject({
      holds: false,
      why: expect.stringMatching(/Second person/) as string,
    });
    await rules({ twoPersons: false });
    // It was asked for while this lock-out was open: dropping it again does not open it.
    expect((await gate(job)).holds).toBe(false);
  });

  it('are signed by a qualified person; a lead without a valid level changes the rest alone', async () => {
    await ina.post('/api/people', {
      name: 'Unn Fell',
      password: 'long enough words',
      role: 'lead',
      hvLevel: 0,
      hvUntil: null,
    });
    const unn = new Client(bench.address);
    await unn.post('/api/session', { name: 'Unn Fell', password: 'long enough words' });
    for (const change of [{ leastWaitMin: 1 }, { deadV: 30 }, { gateHours: 24 }] as const) {
      const refused = await rules(change, unn);
      expect(refused.status, JSON.stringify(change)).toBe(403);
    }
    expect((await rules({ callWhom: 'Unn, then the fire station' }, unn)).status).toBe(200);
  });
});
