import { EVIDENCE } from '@cellmend/core/route';
import type { Job } from '@cellmend/contract/jobs';
import type { StoredProfile } from '@cellmend/contract/pack';
import type { SafetyView } from '@cellmend/contract/safety';
import { defaultOcvTable, type Chemistry, type PackProfile } from '@cellmend/core/pack';
import type { Measure, MeasureKind } from '@cellmend/core/route';
import { expect } from 'vitest';
import type { Answer, Bench, Client } from './harness';

export const packsOf = async (who: Client): Promise<StoredProfile[]> =>
  (await who.get<StoredProfile[]>('/api/packs')).body;

export const numbered = (letter: string, i: number): string => `${letter}${String(i + 1).padStart(2, '0')}`;

/** A pack as somebody makes it in the editor: so many modules of so many groups in one row. */
export function profileOf(
  name: string,
  modules: number,
  groups: number,
  chemistry: Chemistry = 'nmc',
): PackProfile {
  return {
    name,
    chemistry,
    ratedCapacityAh: 64,
    channels: Array.from({ length: modules * groups }, (_, i) => ({ id: numbered('ch', i), cells: 1 })),
    modules: Array.from({ length: modules }, (_, m) => ({
      id: numbered('M', m),
      channels: Array.from({ length: groups }, (_, g) => numbered('ch', m * groups + g)),
      place: { tier: 0, row: Math.floor(m / 8), column: m % 8 },
    })),
    nominalGroupResistanceMilliohm: 1,
    ocv: defaultOcvTable(chemistry),
    links: Array.from({ length: modules - 1 }, (_, i) => ({
      id: `L${i + 1}`,
      between: [numbered('M', i), numbered('M', i + 1)] as [string, string],
      kind: i === 0 ? ('service-disconnect' as const) : ('busbar' as const),
    })),
    ratedRangeKm: 240,
  };
}
/** A new job on a pack of the demo depot, by the beginning of the pack's name. */
export async function newJob(who: Client, pack = 'Corrie', title = `on ${pack}`): Promise<number> {
  const packProfileId = (await packsOf(who)).find((p) => p.name.startsWith(pack))!.id;
  return (await who.post<{ number: number }>('/api/jobs', { title, packProfileId })).body.number;
}

/** A new job on a pack of its own, made as in the editor. */
export async function openOn(
  who: Client,
  profile: PackProfile,
  plate: string,
  complaint = '',
): Promise<number> {
  const made = await who.post<StoredProfile>('/api/packs', { profile, baseVersion: 0 });
  expect(made.status).toBe(201);
  const job = await who.post<{ number: number }>('/api/jobs', {
    title: `Vehicle ${plate}`,
    plate,
    complaint,
    packProfileId: made.body.id,
  });
  expect(job.status).toBe(201);
  return job.body.number;
}

/** A list of measures as somebody signs it. */
export const measures = (
  ...lines: [kind: MeasureKind, place?: string, more?: Partial<Measure>][]
): { topic: 'measures'; measures: Measure[] } => ({
  topic: 'measures',
  measures: lines.map(([kind, place = '', more = {}], i) => ({
    id: `m${i + 1}`,
    kind,
    place,
    why: '',
    closed: false,
    dropped: '',
    ...more,
  })),
});

/** The lock-out of a job, taken step by step until the pack is proven dead. */
export async function proveDead(
  who: Client,
  bench: Bench,
  job: number,
  met: { plusMinusV?: number } = {},
): Promise<void> {
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
  const proof = { plusMinusV: 1, plusChassisV: 0.2, minusChassisV: 0.1, ...met };
  const proven = await step({ step: 'live-dead-live', meterBeforeV: 12.6, ...proof, meterAfterV: 12.5 });
  expect(proven.status).toBe(201);
  const { hazards, packV } = (await who.get<SafetyView>(`/api/jobs/${job}/safety`)).body;
  const asked = (h: string): boolean =>
    h === 'wet'
      ? hazards.some((x) => x === 'crash' || x === 'flood')
      : hazards.includes(h as never) || (h === 'under-voltage' && hazards.includes('crash') && packV <= 60);
  for (const [hazard, data] of [
    ['crash', { step: 'pyro-evidence', ohm: 0.2, text: '' }],
    ['wet', { step: 'insulation-evidence', ohm: 2e6, text: '' }],
    ['under-voltage', { step: 'group-voltages', lowestV: 1.62, text: '' }],
  ] as const)
    if (asked(hazard)) expect(await step(data)).toMatchObject({ status: 201 });
}

/** A test of the whole pack from both its poles, as somebody types it: it rises and reaches its voltage. */
/** The string from both poles, then the pack connector: together they reach all that carries the pack's voltage. */
export const insulationPass = async (who: Client, job: number, setV = 500): Promise<Answer> => {
  const string = await insulationOf(who, job, { part: 'pack' }, setV);
  return string.status === 201 ? connectorPass(who, job, setV) : string;
};
/** The pack connector, both poles joined, contactors open. */
export const connectorPass = (who: Client, job: number, setV = 500): Promise<Answer> =>
  insulationOf(who, job, { part: 'other', which: 'pack connector' }, setV);
const insulationOf = (who: Client, job: number, tested: object, setV: number): Promise<Answer> =>
  who.post(`/api/jobs/${job}/insulation`, {
    observation: {
      kind: 'tester',
      tested,
      terminals: 'both',
      contactProven: true,
      setV,
      points: [
        { timeS: 15, ohm: 0.9e9, voltageV: setV },
        { timeS: 30, ohm: 1.2e9, voltageV: setV },
        { timeS: 60, ohm: 1.8e9, voltageV: setV },
      ],
      temperatureC: 21,
      mounted: true,
    },
    managementDisconnected: true,
  });

/** What a pack shows that woke as it should. */
export const wakeOf = (profile: PackProfile): object => {
  const cellV = profile.ocv[Math.floor(profile.ocv.length / 2)]![1];
  const cells = profile.channels.reduce((s, c) => s + c.cells, 0);
  const channelV = cellV * profile.channels[0]!.cells;
  return {
    replies: profile.channels.length,
    highestV: channelV + 0.002,
    lowestV: channelV - 0.002,
    sumV: cellV * cells,
    packV: cellV * cells + 0.4,
    coldestC: 20,
    warmestC: 22,
    codes: [],
  };
};

/** Does everything that the signed list asks for inside the pack, in its order, as the pages would. */
export async function doTheWork(who: Client, job: number, setV = 500): Promise<string[]> {
  const done: string[] = [];
  for (let i = 0; i < 80; i++) {
    const { body } = await who.get<Job>(`/api/jobs/${job}`);
    const step = body.steps.find((s) => !s.met && s.waitsFor === '' && !['scan', 'prove'].includes(s.stage));
    if (!step) return done;
    done.push(`${step.evidence} ${step.place}`.trim());
    const chosen = body.decisions.find((d) => d.body.topic === 'match')?.body;
    const partId =
      chosen?.topic === 'match' ? chosen.choices.find((c) => c.place === step.place)?.partId : undefined;
    const answer =
      step.evidence === 'fitted'
        ? await who.post(`/api/jobs/${job}/fit`, {
            place: step.place,
            partId,
            out: { to: 'quarantine', reason: 'taken out' },
          })
        : step.evidence === 'disposal'
          ? await who.post(`/api/jobs/${job}/salvage`, {
              places: [step.place],
              to: 'scrapped',
              reason: 'dead',
              proof: 'recycler, note 4711',
            })
          : step.evidence === 'insulation-before-lid'
            ? await insulationPass(who, job, setV)
            : await who.post(`/api/jobs/${job}/checks`, {
                check: step.evidence,
                place: step.place,
                passed: true,
                ...(EVIDENCE[step.evidence].check?.papers ? { text: 'recycler, note 4711' } : {}),
                ...(step.evidence === 'wakes' ? { wake: wakeOf(body.pack) } : {}),
              });
    if (answer.status !== 201)
      throw new Error(
        `${step.evidence} of ${step.place} answered ${answer.status}: ${JSON.stringify(answer.body)}`,
      );
  }
  throw new Error(`The list of job ${job} never ends: ${done.join(', ')}`);
}
