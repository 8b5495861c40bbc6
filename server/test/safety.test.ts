import type { InsulationEntry } from '@cellmend/contract/insulation';
import type { Job } from '@cellmend/contract/jobs';
import type { Finding } from '@cellmend/contract/records';
import type { SafetyView, Stop } from '@cellmend/contract/safety';
import type { InsulationReport } from '@cellmend/core/insulation';
import pg from 'pg';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startBench, type Answer, type Bench, type Client } from './harness';

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
async function newJob(): Promise<number> {
  const { body: packs } = await ina.get<{ id: string; name: string }[]>('/api/packs');
  const packProfileId = packs.find((p) => p.name.startsWith('Corrie'))!.id;
  return (await ina.post<{ number: number }>('/api/jobs', { title: 'safety test', packProfileId })).body
    .number;
}
const step = <T = Told>(who: Client, job: number, body: object): Promise<Answer<T>> =>
  who.post<T>(`/api/jobs/${job}/safety/steps`, body);
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

/** Time is not made to pass faster by any address of the app: the test moves its own database instead. */
async function letPass(job: number, minutes: number): Promise<void> {
  const client = new pg.Client({ connectionString: bench.url });
  await client.connect();
  await client.query('ALTER TABLE observations DISABLE TRIGGER observations_fixed');
  await client.query(
    `UPDATE observations SET recorded_at = recorded_at - make_interval(mins => $1) WHERE job_id = (SELECT id FROM jobs WHERE number = $2)`,
    [minutes, job],
  );
  await client.query('ALTER TABLE observations ENABLE TRIGGER observations_fixed');
  await client.end();
}
/** Begins a lock-out and takes it to where the wait is over and the proof is next. */
async function upToProof(job: number, route = 'normal'): Promise<void> {
  await ina.post(`/api/jobs/${job}/safety/begin`, { route });
  for (const s of [
    { step: 'hazards' },
    GLOVES,
    { step: 'barrier', secondPerson: 'Tomas' },
    { step: 'low-voltage' },
    { step: 'disconnect', keptBy: 'Ina' },
  ])
    expect((await step(ina, job, s)).status).toBe(201);
  await letPass(job, 6);
}
async function proveDead(job: number, route = 'normal'): Promise<void> {
  await upToProof(job, route);
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
    expect((await bettine.post(`/api/jobs/${job}/safety/begin`, { route: 'normal' })).status).toBe(403);
    expect((await step(ina, job, { step: 'hazards' })).status).toBe(409);
    await ina.post(`/api/jobs/${job}/safety/begin`, { route: 'normal' });
    expect((await ina.post(`/api/jobs/${job}/safety/begin`, { route: 'normal' })).status).toBe(409);
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
    await letPass(job, 11 * 60);
    expect((await gate(job)).why).toMatch(/prove it again/);
  });

  it('wants two people where the workshop says so', async () => {
    const { body: rules } = await ina.get<object>('/api/workshop');
    expect((await tomas.call('PUT', '/api/workshop', { ...rules, twoPersons: true })).status).toBe(403);
    expect((await ina.call('PUT', '/api/workshop', { ...rules, twoPersons: true })).status).toBe(200);
    const job = await newJob();
    await upToProof(job);
    expect((await step<SafetyView>(ina, job, PROOF)).body.holds).toBe(false);
    expect((await step(ina, job, { step: 'second-person' })).body.detail).toMatch(/somebody else/);
    expect((await step<SafetyView>(tomas, job, { step: 'second-person' })).body.holds).toBe(true);
    await ina.call('PUT', '/api/workshop', { ...rules, twoPersons: false });
  });

  it('asks for evidence first on a crashed unit, and no address clears crash data', async () => {
    const job = await newJob();
    await ina.post(`/api/jobs/${job}/safety/begin`, { route: 'crash' });
    expect((await step(ina, job, { step: 'hazards' })).body.detail).toMatch(/First: Look before touching/);
    await step(ina, job, { step: 'crash-inspection', text: 'dent at the rear' });
    expect((await step(ina, job, { step: 'pyro-evidence', ohm: null, text: 'open' })).status).toBe(201);
    const { body } = await ina.get<{ paths: Record<string, unknown> }>('/api/openapi.json');
    expect(Object.keys(body.paths).join(' ')).not.toMatch(/clear|reset|erase/);
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
          source: { kind: 'demo' },
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
