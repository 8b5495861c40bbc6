import type { Job } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import type { SafetyView } from '@cellmend/contract/safety';
import type { StepData } from '@cellmend/core/safety';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { measures, newJob } from './depot';
import { startBench, type Answer, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
let tomas: Client;
beforeAll(async () => {
  bench = await startBench();
  [ina, tomas] = [await bench.as('Ina Holm'), await bench.as('Tomas Rook')];
});
afterAll(() => bench.end());

const testedOn = new Date(Date.now() - 40 * 86_400_000).toISOString().slice(0, 10);
const view = async (who: Client, job: number): Promise<SafetyView> =>
  (await who.get<SafetyView>(`/api/jobs/${job}/safety`)).body;
const step = async (who: Client, job: number, data: StepData): Promise<Answer<SafetyView & Problem>> =>
  who.post(`/api/jobs/${job}/safety/steps`, {
    lockoutId: (await view(who, job)).lockoutId,
    data,
    observedAt: bench.clock.iso(),
  });
const proof: StepData = {
  step: 'live-dead-live',
  meterBeforeV: 12.6,
  plusMinusV: 1,
  plusChassisV: 0.2,
  minusChassisV: 0.1,
  meterAfterV: 12.5,
};
/** What is recorded of work inside the pack. */
const tick = (who: Client, job: number) =>
  who.post<Problem>(`/api/jobs/${job}/readings`, {
    kind: 'voltage',
    place: 'M02',
    value: 14.2,
    stage: 'strip-down',
    observedAt: bench.clock.iso(),
  });

/** One person does gloves, barrier and disconnect; the other is named as the one who stays in sight. */
async function lockedOut(standby: string): Promise<number> {
  const job = await newJob(ina, 'Corrie', 'by two');
  await ina.post(`/api/jobs/${job}/decisions`, {
    body: measures(['replace-module', 'M02']),
    findingIds: [],
    baseVersion: 0,
  });
  await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
  for (const s of [
    { step: 'hazards' },
    { step: 'gloves', gloveClass: '0', testedOn, airTest: true },
    { step: 'barrier', secondPerson: standby },
    { step: 'low-voltage' },
    { step: 'disconnect', keptBy: 'Ina Holm' },
  ] as StepData[])
    expect((await step(ina, job, s)).status).toBe(201);
  bench.clock.pass(12);
  return job;
}
const join = (more: Partial<Extract<StepData, { step: 'join' }>> = {}): StepData => ({
  step: 'join',
  gloveClass: '0',
  testedOn,
  airTest: true,
  tag: 'padlock 12',
  takesOver: false,
  secondPerson: '',
  ...more,
});

describe('two people at one pack', () => {
  it('whoever stays in sight signs no proof and takes nothing off, until somebody else stays in sight', async () => {
    const job = await lockedOut('Tomas Rook');
    const refused = await step(tomas, job, proof);
    expect(refused.status).toBe(422);
    expect(refused.body.detail).toMatch(/Tomas Rook is the one who stays in sight/);
    expect((await step(tomas, job, join())).status).toBe(422);
    expect((await step(ina, job, proof)).status).toBe(201);
    const lid = await tick(tomas, job);
    expect(lid.status).toBe(423);
    expect(lid.body.type).toBe('urn:cellmend:not-at-work');
    // One press, with name, own gloves, own tag, and another in sight.
    const over = await step(tomas, job, join({ takesOver: true, secondPerson: 'Ina Holm' }));
    expect(over.status, JSON.stringify(over.body)).toBe(201);
    expect((await tick(tomas, job)).status).toBe(201);
    expect((await tick(ina, job)).status).toBe(423);
    // Both tablets show the same, and the record says who and when.
    const [a, b] = [await view(ina, job), await view(tomas, job)];
    expect(a.workers).toEqual(b.workers);
    expect(a.workers).toMatchObject([{ name: 'Tomas Rook', tag: 'padlock 12' }]);
    expect([a.standby, a.workFault === '', b.workFault]).toEqual(['Ina Holm', false, '']);
    expect(a.evidence.map((e) => e.says).join()).toMatch(
      /takes over: gloves class 0, padlock 12; Ina Holm stays in sight/,
    );
  });

  it('a second who works has own gloves and own key: the first one’s are nobody else’s', async () => {
    const job = await lockedOut('Odd from the office');
    expect((await step(tomas, job, proof)).body.detail).toMatch(/equipment of Tomas Rook is not on record/);
    expect((await step(tomas, job, join({ tag: ' ' }))).status).toBe(400);
    expect((await step(tomas, job, join({ testedOn: '2020-01-01' }))).body.detail).toMatch(/months old/);
    expect((await step(tomas, job, join())).status).toBe(201);
    expect((await step(tomas, job, proof)).status).toBe(201);
    expect((await ina.get<Job>(`/api/jobs/${job}`)).body.gate.holds).toBe(true);
    expect((await tick(ina, job)).status).toBe(201);
    expect((await tick(tomas, job)).status).toBe(201);
  });

  it('nobody stays in sight of themselves', async () => {
    const job = await newJob(ina, 'Corrie', 'alone');
    await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
    await step(ina, job, { step: 'hazards' });
    await step(ina, job, { step: 'gloves', gloveClass: '0', testedOn, airTest: true });
    expect((await step(ina, job, { step: 'barrier', secondPerson: 'ina  holm' })).status).toBe(422);
  });

  it('after a change of shift whoever comes reads how the last lock-out ended', async () => {
    const job = await lockedOut('Odd from the office');
    await ina.post(`/api/jobs/${job}/safety/close`, { reason: 'shift', note: 'late shift has it' });
    const seen = await view(tomas, job);
    expect(seen).toMatchObject({ begun: false, closed: { by: 'Ina Holm' } });
    expect(seen.closed!.why).toMatch(/shift changed hands: late shift has it/);
  });
});
