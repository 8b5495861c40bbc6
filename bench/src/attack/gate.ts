import type { Job } from '@cellmend/contract/jobs';
import type { SafetyView, WorkshopSettings } from '@cellmend/contract/safety';
import type { StepData } from '@cellmend/core/safety';
import { newJob } from '../../../server/test/depot';
import { seeded } from '../../../server/test/forgedArchives';
import { Client, startBench, type Bench } from '../../../server/test/harness';
import type { Line } from '../table';

type Trick = (a: {
  bench: Bench;
  ina: Client;
  tomas: Client;
  bettine: Client;
  job: number;
  random: () => number;
}) => Promise<unknown>;
const step = async (who: Client, bench: Bench, job: number, data: StepData, lateMin = 0): Promise<number> =>
  (
    await who.post<object>(`/api/jobs/${job}/safety/steps`, {
      lockoutId: (await who.get<SafetyView>(`/api/jobs/${job}/safety`)).body.lockoutId,
      data,
      observedAt: new Date(bench.clock.now().wallMs - lateMin * 60_000).toISOString(),
    })
  ).status;
const testedOn = new Date(Date.now() - 40 * 86_400_000).toISOString().slice(0, 10);
const proof = (plusMinusV: number): StepData => ({
  step: 'live-dead-live',
  meterBeforeV: 12.6,
  plusMinusV,
  plusChassisV: 0.2,
  minusChassisV: 0.1,
  meterAfterV: 12.5,
});
const rules = async (who: Client, change: Partial<WorkshopSettings>): Promise<number> =>
  (
    await who.call<object>('PUT', '/api/workshop', {
      ...(await who.get<WorkshopSettings>('/api/workshop')).body,
      ...change,
    })
  ).status;

/** Ways round the gate: none of them may open a pack that is not proven dead by somebody who may. */
const TRICKS: Record<string, Trick> = {
  'the wait shortened by a rule': async ({ bench, ina, tomas, job, random }) => {
    bench.clock.pass(1 + random());
    await rules(tomas, { leastWaitMin: 1 });
    await rules(ina, { leastWaitMin: 1 });
    await step(ina, bench, job, proof(1));
  },
  'what counts as dead raised': async ({ bench, ina, job, random }) => {
    bench.clock.pass(12);
    await step(ina, bench, job, proof(6 + 20 * random()));
    await rules(ina, { deadV: 30 });
  },
  'the wall clock set forward': async ({ bench, ina, job }) => {
    bench.clock.set(60);
    await step(ina, bench, job, proof(1));
    bench.clock.set(-60);
  },
  'the one in sight signs': async ({ bench, tomas, job }) => {
    bench.clock.pass(12);
    await step(tomas, bench, job, proof(1));
  },
  'a level of one’s own making': async ({ bench, bettine, job }) => {
    const me = (await bettine.get<{ person: { id: string } }>('/api/session')).body.person.id;
    await bettine.call<object>('PATCH', `/api/people/${me}`, {
      role: 'lead',
      hvLevel: 3,
      hvUntil: '2099-01-01',
      hvIssuer: 'me',
      hvNumber: '1',
    });
    bench.clock.pass(12);
    await step(bettine, bench, job, proof(1));
  },
  'a proof measured long ago': async ({ bench, ina, job }) => {
    bench.clock.pass(12);
    await step(ina, bench, job, proof(1), 45);
  },
  'a proof before its turn': async ({ bench, ina, job, random }) => {
    bench.clock.pass(random() * 2);
    await step(ina, bench, job, proof(1));
  },
  'a step of another lock-out': async ({ bench, ina, job }) => {
    bench.clock.pass(12);
    await ina.post<object>(`/api/jobs/${job}/safety/steps`, {
      lockoutId: crypto.randomUUID(),
      data: proof(1),
      observedAt: bench.clock.iso(),
    });
  },
  'a meter that was dead itself': async ({ bench, ina, job }) => {
    bench.clock.pass(12);
    await step(ina, bench, job, { ...proof(0), meterBeforeV: 0.1 } as StepData);
  },
  'gloves of long ago by taking over': async ({ bench, tomas, job }) => {
    bench.clock.pass(12);
    await step(tomas, bench, job, {
      step: 'join',
      gloveClass: '0',
      testedOn: '2020-01-01',
      airTest: true,
      tag: 'x',
      takesOver: true,
      secondPerson: 'Ina Holm',
    });
    await step(tomas, bench, job, proof(1));
  },
};

export async function gateLines(count: number): Promise<Line[]> {
  const bench = await startBench();
  const opened: string[] = [];
  const random = seeded(99);
  try {
    const [ina, tomas, bettine] = [
      await bench.as('Ina Holm'),
      await bench.as('Tomas Rook'),
      await bench.as('Bettine Vale'),
    ];
    const tricks = Object.entries(TRICKS);
    const first = (await ina.get<WorkshopSettings>('/api/workshop')).body;
    for (let i = 0; i < count; i++) {
      const [name, trick] = tricks[i % tricks.length]!;
      const job = await newJob(ina, 'Corrie', `attack ${i}`);
      await ina.post<object>(`/api/jobs/${job}/safety/begin`, { hazards: [] });
      for (const s of [
        { step: 'hazards' },
        { step: 'gloves', gloveClass: '0', testedOn, airTest: true },
        { step: 'barrier', secondPerson: 'Tomas Rook' },
        { step: 'low-voltage' },
        { step: 'disconnect', keptBy: 'Ina Holm' },
      ] as StepData[])
        await step(ina, bench, job, s);
      await trick({ bench, ina, tomas, bettine, job, random });
      const worked = await tomas.post<object>(`/api/jobs/${job}/readings`, {
        kind: 'voltage',
        place: 'M02',
        value: 14,
        stage: 'strip-down',
        observedAt: bench.clock.iso(),
      });
      const { gate } = (await ina.get<Job>(`/api/jobs/${job}`)).body;
      if (gate.holds || worked.status === 201) opened.push(`${name} (${gate.why})`);
      await rules(ina, { leastWaitMin: first.leastWaitMin, deadV: first.deadV, gateHours: first.gateHours });
    }
    return [
      {
        what: `${count} attempts at the gate in ${tricks.length} ways: opened`,
        ours: `${opened.length}${opened.length > 0 ? ` (${[...new Set(opened)].slice(0, 3).join('; ')})` : ''}`,
        against: '',
        ratio: '',
        aim: '0',
        met: opened.length === 0,
      },
    ];
  } finally {
    await bench.end();
  }
}
