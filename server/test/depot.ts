import type { StoredProfile } from '@cellmend/contract/pack';
import type { SafetyView } from '@cellmend/contract/safety';
import { expect } from 'vitest';
import type { Answer, Bench, Client } from './harness';

export const packsOf = async (who: Client): Promise<StoredProfile[]> =>
  (await who.get<StoredProfile[]>('/api/packs')).body;

/** A new job on a pack of the demo depot, by the beginning of the pack's name. */
export async function newJob(who: Client, pack = 'Corrie', title = `on ${pack}`): Promise<number> {
  const packProfileId = (await packsOf(who)).find((p) => p.name.startsWith(pack))!.id;
  return (await who.post<{ number: number }>('/api/jobs', { title, packProfileId })).body.number;
}

/** The lock-out of a job, taken step by step until the pack is proven dead. */
export async function proveDead(who: Client, bench: Bench, job: number): Promise<void> {
  await who.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
  const step = async (data: object): Promise<Answer<SafetyView>> =>
    who.post<SafetyView>(`/api/jobs/${job}/safety/steps`, {
      lockoutId: (await who.get<SafetyView>(`/api/jobs/${job}/safety`)).body.lockoutId,
      data,
      observedAt: bench.clock.iso(),
    });
  const testedOn = new Date(Date.now() - 40 * 86_400_000).toISOString().slice(0, 10);
  for (const s of [
    ...((await who.get<SafetyView>(`/api/jobs/${job}/safety`)).body.hazards.length > 0
      ? [
          { step: 'look', text: 'quiet', calm: true },
          { step: 'quarantine', decision: 'outdoors', place: 'yard' },
        ]
      : []),
    { step: 'hazards' },
    { step: 'gloves', gloveClass: '0', testedOn, airTest: true },
    { step: 'barrier', secondPerson: 'Tomas' },
    { step: 'low-voltage' },
    { step: 'disconnect', keptBy: 'Ina' },
  ])
    expect((await step(s)).status).toBe(201);
  bench.clock.pass(12);
  const proof = { plusMinusV: 1, plusChassisV: 0.2, minusChassisV: 0.1 };
  const proven = await step({ step: 'live-dead-live', meterBeforeV: 12.6, ...proof, meterAfterV: 12.5 });
  expect(proven.status).toBe(201);
}
