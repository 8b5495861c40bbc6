import type { InsulationEntry } from '@cellmend/contract/insulation';
import type { Instrument } from '@cellmend/contract/instruments';
import type { Job } from '@cellmend/contract/jobs';
import type { Finding } from '@cellmend/contract/findings';
import type { SafetyView, Stop } from '@cellmend/contract/safety';
import type { InsulationReport } from '@cellmend/core/insulation';
import type { Hazard } from '@cellmend/core/safety';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startBench, type Answer, type Bench, type Client } from './harness';
import type { Problem } from '@cellmend/contract/problem';
import { newJob as anyJob, proveDead as proveDepotDead } from './depot';

let bench: Bench;
let ina: Client;
let tomas: Client;
let bettine: Client;
beforeAll(async () => {
  bench = await startBench();
  [ina, tomas, bettine] = [
    await bench.as('Ina Holm'),
    await bench.as('Tomas Rook'),
    await bench.as('Bettine Vale'),
  ];
});
afterAll(() => bench.end());

interface Told {
  detail: string;
  status: number;
}
const newJob = (pack = 'Corrie'): Promise<number> => anyJob(ina, pack, 'safety test');
const viewOf = async (job: number): Promise<SafetyView> =>
  (await ina.get<SafetyView>(`/api/jobs/${job}/safety`)).body;
/** Takes a step of the lock-out that is open, as a page that has just looked does. */
async function step<T = Told>(who: Client, job: number, data: object, more: object = {}): Promise<Answer<T>> {
  const { lockoutId } = await viewOf(job);
  return who.post<T>(`/api/jobs/${job}/safety/steps`, {
    lockoutId: lockoutId ?? '00000000-0000-4000-8000-000000000000',
    data,
    observedAt: bench.clock.iso(),
    ...more,
  });
}
/** The demo's tester is one entry among the instruments. */
const testerId = async (): Promise<string> =>
  (await ina.get<Instrument[]>('/api/instruments')).body.find((i) => i.simulated)!.id;
const PROOF = {
  step: 'live-dead-live',
  meterBeforeV: 12.6,
  plusMinusV: 1,
  plusChassisV: 0.2,
  minusChassisV: 0.1,
  meterAfterV: 12.5,
};
const GLOVES = {
  step: 'gloves',
  gloveClass: '0',
  testedOn: new Date(Date.now() - 40 * 86_400_000).toISOString().slice(0, 10),
  airTest: true,
};

/** Time is not made to pass faster by any address of the app: the test moves the clock its server was started with. */
const letPass = (minutes: number): void => bench.clock.pass(minutes);
/** Begins a lock-out and takes it to where the wait is over and the proof is next. */
async function upToProof(job: number, hazards: Hazard[] = []): Promise<void> {
  await ina.post(`/api/jobs/${job}/safety/begin`, { hazards });
  for (const s of [
    ...(hazards.length > 0
      ? [
          { step: 'look', text: 'quiet', calm: true },
          { step: 'quarantine', decision: 'outdoors', place: 'yard' },
        ]
      : []),
    { step: 'hazards' },
    GLOVES,
    { step: 'barrier', secondPerson: 'Tomas' },
    { step: 'low-voltage' },
    { step: 'disconnect', keptBy: 'Ina' },
  ])
    expect((await step(ina, job, s)).status).toBe(201);
  letPass(7);
}
async function proveDead(job: number, hazards: Hazard[] = []): Promise<void> {
  await upToProof(job, hazards);
  expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(true);
}
const gatedReading = (job: number): Promise<Answer<Told>> =>
  ina.post<Told>(`/api/jobs/${job}/readings`, {
    kind: 'note',
    text: 'lid off',
    stage: 'strip-down',
    observedAt: new Date().toISOString(),
  });
const gate = async (job: number): Promise<Job['gate']> => (await ina.get<Job>(`/api/jobs/${job}`)).body.gate;

describe('the gate', () => {
  it('keeps closed what opens the pack, by address and by API, until it is proven dead', async () => {
    const job = await newJob();
    const closed = await gatedReading(job);
    expect(closed.status).toBe(423);
    expect(closed.body.detail).toMatch(/lock-out has not been begun/);
    const test = await ina.post<Told>(`/api/jobs/${job}/insulation`, {
      observation: { kind: 'link', link: 'L3', open: true },
    });
    expect(test.status).toBe(423);
    expect((await ina.get<Job>(`/api/jobs/${job}`)).body.route['strip-down']).toEqual({
      state: 'blocked',
      note: 'gate',
    });
    await proveDead(job);
    expect((await gatedReading(job)).status).toBe(201);
    const { body } = await ina.get<Job>(`/api/jobs/${job}`);
    expect(body.route['strip-down'].state).not.toBe('blocked');
    expect(body.route['make-safe']).toEqual({ state: 'done', note: 'dead' });
  });

  it('takes steps in order, does not shorten the wait, and wants who may sign', async () => {
    const job = await newJob();
    expect((await bettine.post(`/api/jobs/${job}/safety/begin`, { hazards: [] })).status).toBe(403);
    expect((await step(ina, job, { step: 'hazards' })).status).toBe(409);
    await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
    expect((await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] })).status).toBe(409);
    const early = await step(ina, job, PROOF);
    expect(early.status).toBe(422);
    expect(early.body.detail).toMatch(/First: Hazards/);
    await step(ina, job, { step: 'hazards' });
    const old = await step(ina, job, { ...GLOVES, testedOn: '2025-01-01' });
    expect(old.body.detail).toMatch(/months old/);
    for (const s of [
      GLOVES,
      { step: 'barrier', secondPerson: 'Tomas' },
      { step: 'low-voltage' },
      { step: 'disconnect', keptBy: 'Ina' },
    ])
      await step(ina, job, s);
    const hasty = await step(ina, job, PROOF);
    expect(hasty.status).toBe(422);
    expect(hasty.body.detail).toMatch(/may still hold \d+ V\. Wait until the clock ends/);
    const { body: clocks } =
      await ina.get<{ label: string; kind: string; jobNumber: number }[]>('/api/clocks');
    expect(clocks.find((c) => c.kind === 'capacitors' && c.jobNumber === job)).toBeTruthy();
    expect((await gatedReading(job)).status).toBe(423);
  });

  it('stays closed on a live point, which is kept as it was measured', async () => {
    const job = await newJob();
    await upToProof(job);
    const live = await step<SafetyView>(ina, job, { ...PROOF, plusChassisV: 171 });
    expect(live.status).toBe(201);
    expect(live.body.holds).toBe(false);
    expect(live.body.entries.some((e) => e.step === 'live-dead-live' && e.plusChassisV === 171)).toBe(true);
    expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(true);
  });

  it('closes when the pack is re-energised, when the shift changes hands, and when the proof is old', async () => {
    const job = await newJob();
    await proveDead(job);
    await tomas.post(`/api/jobs/${job}/safety/close`, { reason: 're-energised' });
    expect((await gatedReading(job)).status).toBe(423);
    expect((await gate(job)).why).toMatch(/re-energised/);
    await proveDead(job);
    await tomas.post(`/api/jobs/${job}/safety/close`, { reason: 'shift' });
    expect((await gate(job)).holds).toBe(false);
    await proveDead(job);
    letPass(11 * 60);
    expect((await gate(job)).why).toMatch(/prove it again/);
  });

  it('wants two people where the workshop says so', async () => {
    const { body: rules } = await ina.get<object>('/api/workshop');
    expect((await tomas.call('PUT', '/api/workshop', { ...rules, twoPersons: true })).status).toBe(403);
    expect((await ina.call('PUT', '/api/workshop', { ...rules, twoPersons: true })).status).toBe(200);
    // Saving takes all of it: what lifts and carries is not forgotten because a page did not know of it.
    const older = Object.fromEntries(Object.entries(rules).filter(([key]) => key !== 'equipment'));
    expect((await ina.call('PUT', '/api/workshop', older)).status).toBe(400);
    expect((await ina.get<object>('/api/workshop')).body).toMatchObject({
      equipment: (rules as { equipment: object }).equipment,
    });
    const job = await newJob();
    await upToProof(job);
    expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(false);
    expect((await step(ina, job, { step: 'second-person' })).body.detail).toMatch(/somebody else/);
    expect((await step<SafetyView>(tomas, job, { step: 'second-person' })).body.holds).toBe(true);
    await ina.call('PUT', '/api/workshop', { ...rules, twoPersons: false });
  });

  it('looks first at a unit that came in crashed and wet, locks out, and only then takes evidence that needs touching', async () => {
    const job = await newJob();
    const begun = await ina.post<SafetyView>(`/api/jobs/${job}/safety/begin`, {
      hazards: ['crash', 'flood'],
    });
    expect(begun.body.hazards).toEqual(['crash', 'flood']);
    expect((await step(ina, job, { step: 'hazards' })).body.detail).toMatch(/First: Look from a distance/);
    const smoke = await step<SafetyView>(ina, job, { step: 'look', text: 'hiss at the rear', calm: false });
    expect(smoke.status).toBe(201);
    expect((await step(ina, job, { step: 'quarantine', decision: 'outdoors', place: 'yard' })).status).toBe(
      422,
    );
    await step(ina, job, { step: 'look', text: 'quiet for an hour', calm: true });
    const inside = await step(ina, job, { step: 'quarantine', decision: 'stays', place: 'bay 2' });
    expect(inside.body.detail).toMatch(/why it may stay/);
    const out = await step<SafetyView>(ina, job, { step: 'quarantine', decision: 'outdoors', place: 'yard' });
    expect(out.body.watch).toMatchObject({ everyMin: 60, leastHours: 72, mayEnd: false });
    expect((await step(ina, job, { step: 'pyro-evidence', ohm: null, text: 'open' })).body.detail).toMatch(
      /First: Hazards/,
    );
    for (const s of [
      { step: 'hazards' },
      GLOVES,
      { step: 'barrier', secondPerson: 'Tomas' },
      { step: 'low-voltage' },
      { step: 'disconnect', keptBy: 'Ina' },
    ])
      await step(ina, job, s);
    letPass(7);
    expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(false);
    await step(ina, job, { step: 'pyro-evidence', ohm: null, text: 'open' });
    const all = await step<SafetyView>(ina, job, {
      step: 'insulation-evidence',
      ohm: 46_000,
      text: 'last shown',
    });
    expect(all.body.holds).toBe(true);
    // Everything can be read back, in words.
    expect(all.body.evidence.map((e) => e.says).join(' | ')).toMatch(
      /hiss at the rear.*outdoors, yard.*46 kΩ, last shown/,
    );
    const { body } = await ina.get<{ paths: Record<string, unknown> }>('/api/openapi.json');
    expect(Object.keys(body.paths).join(' ')).not.toMatch(/clear|reset|erase/);
  });

  it('takes hazards from intake’s history, and they cannot be left out', async () => {
    const job = await newJob();
    await ina.post(`/api/jobs/${job}/decisions`, {
      body: {
        topic: 'intake',
        complaint: '',
        signs: ['crash', 'flood or jet-wash'],
        codes: [],
        odometerKm: null,
        ageYears: null,
        deltaMv: null,
        insulationOhm: null,
        aim: 'restore',
      },
      baseVersion: 0,
    });
    expect((await viewOf(job)).suggestedHazards).toEqual(['crash', 'flood']);
    const begun = await ina.post<SafetyView>(`/api/jobs/${job}/safety/begin`, { hazards: [] });
    expect(begun.body.hazards).toEqual(['crash', 'flood']);
  });

  it('corrects evidence by a new entry with a reason, and never what opened the gate', async () => {
    const job = await newJob();
    await upToProof(job, ['crash']);
    await step(ina, job, PROOF);
    await step(ina, job, { step: 'pyro-evidence', ohm: 0.02, text: '' });
    const { entries } = await viewOf(job);
    const id = (s: string): string => entries.find((e) => e.step === s)!.id;
    const right = { step: 'pyro-evidence', ohm: null, text: 'open, leads were shorted' };
    expect((await step(ina, job, right, { supersedes: id('pyro-evidence') })).status).toBe(400);
    const fixed = await step<SafetyView>(ina, job, right, {
      supersedes: id('pyro-evidence'),
      reason: 'leads',
    });
    expect(fixed.body.entries.filter((e) => e.step === 'pyro-evidence')).toHaveLength(1);
    expect(fixed.body.evidence.find((e) => e.id === id('pyro-evidence'))!.supersededBy).not.toBeNull();
    const proof = await step(
      ina,
      job,
      { ...PROOF, plusMinusV: 0 },
      { supersedes: id('live-dead-live'), reason: 'typo' },
    );
    expect(proof.body.detail).toMatch(/measured, or done, again/);
  });
});

describe('dead, and below 60 V', () => {
  it('51 V behind the contactors is not dead, whatever class A says of touching it', async () => {
    const job = await newJob();
    await upToProof(job);
    const left = await step<SafetyView>(ina, job, { ...PROOF, plusMinusV: 51 });
    expect(left.status).toBe(201);
    expect(left.body.holds).toBe(false);
    expect((await gate(job)).holds).toBe(false);
    expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(true);
    expect(await gate(job)).toMatchObject({ holds: true, proof: 'dead' });
  });

  it('a 48 V pack passes below 60 V, and nothing about it says dead; voltage to chassis becomes a finding of Insulation', async () => {
    const job = await newJob('Tarn');
    await upToProof(job);
    const proven = await step<SafetyView>(ina, job, {
      ...PROOF,
      plusMinusV: 51,
      plusChassisV: 26,
      minusChassisV: 25,
    });
    expect(proven.body.holds).toBe(true);
    const open = await gate(job);
    expect(open).toMatchObject({ holds: true, proof: 'below-60' });
    expect(open.why).toMatch(/Below 60 V, still live: short-circuit and burn hazard/);
    const { body } = await ina.get<Job>(`/api/jobs/${job}`);
    expect(body.route['make-safe'].note).toBe('still live');
    const { body: seen } = await ina.get<InsulationEntry[]>(`/api/jobs/${job}/insulation`);
    expect(seen[0]!.observation).toMatchObject({ kind: 'chassis-voltage', plusChassisV: 26 });
    // A finding is computed outside the write.
    await bench.settled();
    const { body: found } = await ina.get<Finding[]>(`/api/jobs/${job}/findings`);
    const leak = found.find((f) => f.topic === 'insulation')!.result as InsulationReport;
    expect(leak.chassis).toMatch(/26 V from \+.*although it was locked out/);
  });
});

describe('the gate holds against races, replays and clocks', () => {
  it('a proof that comes late, or belongs to a lock-out that was closed, is not taken', async () => {
    const job = await newJob();
    await upToProof(job);
    const { lockoutId } = await viewOf(job);
    const at = bench.clock.iso();
    letPass(25);
    const late = await step(ina, job, PROOF, { observedAt: at });
    expect(late.status).toBe(422);
    expect(late.body.detail).toMatch(/measured 25 min ago: measure again/);
    // The shift changes hands and the next begins anew: the old tablet's proof does not open the new gate.
    await tomas.post(`/api/jobs/${job}/safety/close`, { reason: 'shift' });
    await upToProof(job);
    const stale = await ina.post<Told>(`/api/jobs/${job}/safety/steps`, {
      lockoutId,
      data: PROOF,
      observedAt: bench.clock.iso(),
    });
    expect(stale.status).toBe(409);
    expect((await gate(job)).holds).toBe(false);
  });

  it('two tablets at once: one lock-out is begun, each step is taken once, a replay is the same entry', async () => {
    const job = await newJob();
    const begun = await Promise.all(
      [ina, tomas].map((who) => who.post(`/api/jobs/${job}/safety/begin`, { hazards: [] })),
    );
    expect(begun.map((b) => b.status).sort()).toEqual([201, 409]);
    const key = { 'idempotency-key': '6f1f2ad4-7a3e-4c4c-9a58-2c3f7f2c9a10' };
    const { lockoutId } = await viewOf(job);
    const body = { lockoutId, data: { step: 'hazards' }, observedAt: bench.clock.iso() };
    await Promise.all([1, 2, 3].map(() => ina.post(`/api/jobs/${job}/safety/steps`, body, key)));
    expect((await viewOf(job)).entries).toHaveLength(1);
  });

  it('a clock set forward does not pass the wait; one set back or forward closes an open gate with the reason', async () => {
    const job = await newJob();
    await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
    for (const s of [
      { step: 'hazards' },
      GLOVES,
      { step: 'barrier', secondPerson: 'Tomas' },
      { step: 'low-voltage' },
      { step: 'disconnect', keptBy: 'Ina' },
    ])
      await step(ina, job, s);
    bench.clock.set(60);
    expect((await step(ina, job, PROOF)).body.detail).toMatch(/may still hold/);
    letPass(7);
    expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(true);
    bench.clock.set(-60);
    expect(await gate(job)).toMatchObject({ holds: false });
    expect((await gate(job)).why).toMatch(/clock of this machine was set by 60 min/);
  });
});

describe('a thermal watch', () => {
  const temperature = (job: number, value: number): Promise<Answer> =>
    ina.post(`/api/jobs/${job}/readings`, {
      kind: 'temperature',
      value,
      conditions: 'thermal watch',
      stage: 'make-safe',
      observedAt: bench.clock.iso(),
    });

  it('ends by its rule, or by a lead with a written reason; nobody else, and no clock put away', async () => {
    const job = await newJob();
    const stop = (await tomas.post<Stop>(`/api/jobs/${job}/stops`, { kind: 'hot', place: 'M06' })).body;
    const end = (who: Client, reason: string): Promise<Answer<Told>> =>
      who.post<Told>(`/api/jobs/${job}/stops/${stop.id}/end`, { reason });
    const refused = await end(tomas, 'looks fine');
    expect(refused.status).toBe(423);
    expect(refused.body.detail).toMatch(/No temperature has been logged.*only a lead/);
    const { body: clocks } = await ina.get<{ id: string; kind: string; jobNumber: number }[]>('/api/clocks');
    const clock = clocks.find((c) => c.kind === 'thermal-watch' && c.jobNumber === job)!;
    expect((await tomas.post(`/api/clocks/${clock.id}/done`)).status).toBe(423);
    for (const t of [41, 40, 39, 38, 37]) {
      await temperature(job, t);
      letPass(15);
    }
    expect((await end(tomas, 'cool for an hour')).status).toBe(200);
  });

  it('of a flood runs its three days, and a lead may end it earlier in writing', async () => {
    const job = await newJob();
    await upToProof(job, ['flood']);
    const end = (who: Client, reason: string): Promise<Answer<SafetyView & Told>> =>
      who.post(`/api/jobs/${job}/safety/watch/end`, { reason });
    expect((await end(tomas, 'dry')).status).toBe(423);
    expect((await end(ina, '')).status).toBe(400);
    expect((await end(ina, 'fire service took the pack away')).body.watch).toBeNull();
  });
});

describe('Stop', () => {
  it('closes the gate at once, starts a thermal watch, and ends only with a reason', async () => {
    const job = await newJob();
    await proveDead(job);
    const stop = await tomas.post<Stop>(`/api/jobs/${job}/stops`, {
      kind: 'hot',
      place: 'M06',
      note: '48 °C',
    });
    expect(stop.status).toBe(201);
    expect((await gatedReading(job)).status).toBe(423);
    expect((await gate(job)).stop).toMatchObject({ kind: 'hot', place: 'M06' });
    const { body: board } = await ina.get<{ rows: { number: number; need: string }[] }>('/api/jobs');
    expect(board.rows.find((r) => r.number === job)!.need).toBe('Stopped');
    const { body: clocks } = await ina.get<{ kind: string; jobNumber: number }[]>('/api/clocks');
    expect(clocks.some((c) => c.kind === 'thermal-watch' && c.jobNumber === job)).toBe(true);
    expect((await ina.post(`/api/jobs/${job}/stops/${stop.body.id}/end`, { reason: '' })).status).toBe(400);
    expect(
      (await ina.post(`/api/jobs/${job}/stops/${stop.body.id}/end`, { reason: 'fell to ambient' })).status,
    ).toBe(200);
    // The gate does not come back by itself.
    expect((await gate(job)).holds).toBe(false);
  });
});

describe('voltage at terminals that are proven dead', () => {
  it('is asked about; where it is so the reading is kept and the gate closes', async () => {
    const job = await anyJob(ina, 'Marram 3', 'live after all');
    await proveDepotDead(ina, bench, job);
    expect((await gate(job)).holds).toBe(true);
    const poles = {
      kind: 'poles',
      side: 'whole',
      packV: 355,
      negativeV: 150,
      positiveV: 204,
      meterOhm: 10e6,
    };
    const asked = await ina.post<Problem>(`/api/jobs/${job}/insulation`, { observation: poles });
    expect(asked.body).toMatchObject({ type: 'urn:cellmend:query' });
    expect(asked.body.detail).toMatch(/355 V .*proven dead/);
    expect((await gate(job)).holds).toBe(true);
    // Half a string between open links is live as ever: nobody is asked.
    expect(
      (await ina.post(`/api/jobs/${job}/insulation`, { observation: { ...poles, side: 'pack' } })).status,
    ).toBe(201);
    expect(
      (await ina.post(`/api/jobs/${job}/insulation`, { observation: poles, confirmed: true })).status,
    ).toBe(201);
    expect(await gate(job)).toMatchObject({ holds: false, why: expect.stringMatching(/voltage was met/) });
  });
});

describe('a leak', () => {
  const poles = (f: number) => ({
    observation: {
      kind: 'poles',
      side: 'pack',
      packV: 348,
      negativeV: f * 347.7,
      positiveV: (1 - f) * 347.7,
      meterOhm: 10e6,
    },
  });
  const record = (
    job: number,
    body: object,
  ): Promise<Answer<Finding & { result: InsulationReport } & Told>> =>
    ina.post(`/api/jobs/${job}/insulation`, body);
  const tester = (from: string, to: string, points: object[], more: object = {}) => ({
    observation: {
      kind: 'tester',
      tested: { part: 'section', from, to },
      setV: 500,
      points,
      temperatureC: 21,
      mounted: true,
    },
    managementDisconnected: true,
    ...more,
  });

  it('is located from two voltages, found by the planner on the instrument in three tests, and can be computed again', async () => {
    const job = await newJob();
    const first = await record(job, poles(0.46));
    expect(first.status).toBe(201);
    expect(first.body.result.next.kind).toBe('split');
    await proveDead(job);
    let report = first.body.result;
    let tests = 0;
    let newest = first.body.id;
    while (!report.found && tests < 5) {
      const split = report.next.split!;
      for (const link of split.opens) await record(job, { observation: { kind: 'link', link, open: true } });
      const run = await ina.post<Finding & { result: InsulationReport }>(
        `/api/jobs/${job}/insulation/stream`,
        {
          tested: { part: 'section', from: split.modules[0], to: split.modules[1] },
          setV: 500,
          seconds: 15,
          temperatureC: 21,
          mounted: true,
          managementDisconnected: true,
          instrumentId: await testerId(),
        },
      );
      expect(run.status).toBe(201);
      report = run.body.result;
      newest = run.body.id;
      tests++;
    }
    expect(report.found).toBe('M06');
    expect(tests).toBeLessThanOrEqual(3);
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${newest}/recompute`);
    expect(again.body.same).toBe(true);
    expect((await ina.get<Job>(`/api/jobs/${job}`)).body.route.insulation).toEqual({
      state: 'done',
      note: 'M06',
    });
  });

  it('is looked for where a typed voltage stands low, and in the part whose ends hold the chassis', async () => {
    const job = await newJob();
    await record(job, { observation: { kind: 'vehicle', ohm: 9000, signalV: null } });
    const shareOf = async (id: string): Promise<number> => {
      const { body } = await ina.get<Finding[]>(`/api/jobs/${job}/findings`);
      const { modules } = body.find((f) => f.topic === 'insulation')!.result as InsulationReport;
      return modules.find((m) => m.moduleIndex === Number(id.slice(1)) - 1)!.probability;
    };
    const before = await shareOf('M10');
    for (const [place, value] of [
      ['M08', 28.6],
      ['M09', 28.6],
      ['M10', 28.555],
    ] as const)
      expect(
        (
          await ina.post(`/api/jobs/${job}/readings`, {
            place,
            kind: 'voltage',
            value,
            stage: 'bench',
            observedAt: new Date().toISOString(),
          })
        ).status,
      ).toBe(201);
    await bench.settled();
    expect(await shareOf('M10')).toBeGreaterThan(1.8 * before);
    // Ends of a part are measured with its links out: behind the gate.
    const half = (from: string, to: string, ohm: number) => {
      const volts = (174 * 10e6) / (10e6 + ohm) / 2;
      const at = { packV: 174, negativeV: volts, positiveV: volts, meterOhm: 10e6, section: { from, to } };
      return record(job, { observation: { kind: 'poles', side: 'pack', ...at } });
    };
    expect((await half('M01', 'M06', 8000)).status).toBe(423);
    await proveDead(job);
    await half('M01', 'M06', 8000);
    const { body } = await half('M07', 'M12', 300e6);
    expect(body.result.parts.map((p) => p.outcome)).toEqual(['leak', 'pass']);
    expect((await record(job, { observation: { kind: 'limit-voltage', by: 'measured' } })).status).toBe(201);
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${body.id}/recompute`);
    expect(again.body.same).toBe(true);
  });

  it('is not tested while the management unit is connected, above the maker’s voltage, or with figures that clash', async () => {
    const job = await newJob();
    await proveDead(job);
    const good = [{ timeS: 60, ohm: 1e9, voltageV: 500 }];
    const connected = await record(job, tester('M01', 'M06', good, { managementDisconnected: false }));
    expect(connected.status).toBe(422);
    expect(connected.body.detail).toMatch(/management unit/);
    const high = tester('M01', 'M06', good);
    (high.observation as { setV: number }).setV = 2500;
    expect((await record(job, high)).body.detail).toMatch(/more than the 1000 V/);
    const clash = tester('M01', 'M06', [{ timeS: 60, ohm: 4000, voltageV: 500 }]);
    expect((await record(job, clash)).body.detail).toMatch(/Which figure is right/);
    expect((await record(job, { ...clash, confirmed: true })).status).toBe(201);
    expect((await record(job, tester('M01', 'M77', good))).status).toBe(400);
  });

  it('keeps what was observed: a correction supersedes with a reason', async () => {
    const job = await newJob();
    await record(job, poles(0.2));
    const { body: before } = await ina.get<InsulationEntry[]>(`/api/jobs/${job}/insulation`);
    const wrong = before[0]!.id;
    expect((await record(job, { ...poles(0.7), supersedes: wrong })).status).toBe(400);
    const fixed = await record(job, { ...poles(0.7), supersedes: wrong, reason: 'leads swapped' });
    expect(fixed.body.result.location!.fraction.value).toBeCloseTo(0.7, 6);
    expect((await record(job, { ...poles(0.1), supersedes: wrong, reason: 'again' })).status).toBe(409);
    const { body: after } = await ina.get<InsulationEntry[]>(`/api/jobs/${job}/insulation`);
    expect(after.find((e) => e.id === wrong)!.supersededBy).not.toBeNull();
    const client = new pg.Client({ connectionString: bench.url });
    await client.connect();
    await expect(client.query('DELETE FROM observations')).rejects.toThrow(/append-only/);
    await client.end();
  });
});
