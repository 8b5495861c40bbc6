import type { Job } from '@cellmend/contract/jobs';
import type { StoredProfile } from '@cellmend/contract/pack';
import type { Reading } from '@cellmend/contract/records';
import { findingOf } from '@cellmend/contract/findingOf';
import type { Finding, FindingOf } from '@cellmend/contract/findings';
import type { SafetyView } from '@cellmend/contract/safety';
import type { PackProfile } from '@cellmend/core/pack';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { startBench, type Answer, type Bench, type Client } from './harness';
import { measures, newJob as anyJob, packsOf, proveDead as provenDead } from './depot';

let bench: Bench;
let ina: Client;
let tomas: Client;
beforeAll(async () => {
  bench = await startBench();
  [ina, tomas] = [await bench.as('Ina Holm'), await bench.as('Tomas Rook')];
});
afterAll(() => bench.end());

interface Told {
  detail: string;
  type: string;
  current: { runId: string };
}
const newJob = (pack = 'Corrie'): Promise<number> => anyJob(ina, pack, `trust ${pack}`);
const findings = async (job: number): Promise<Finding[]> =>
  (await ina.get<Finding[]>(`/api/jobs/${job}/findings`)).body;
const spreadOf = async (job: number): Promise<SpreadReport> =>
  findingOf(await findings(job), 'spread')!.result;
const jobOf = async (job: number): Promise<Job> => (await ina.get<Job>(`/api/jobs/${job}`)).body;

/** A rest of a few rows: one voltage a channel, the same in every row. */
function restCsv(volts: readonly number[], id: (i: number) => string): string {
  const head = ['time_s', 'current_A', ...volts.map((_, i) => `${id(i)}_V`)].join(',');
  const row = (t: number): string => [t, 0, ...volts.map((v) => v.toFixed(3))].join(',');
  return [head, ...[0, 10, 20, 30, 40].map(row)].join('\n') + '\n';
}
const two = (i: number): string => `ch${String(i + 1).padStart(2, '0')}`;
const takeIn = (job: number, text: string, role = 'before'): Promise<Answer<Told>> =>
  ina.post<Told>(`/api/jobs/${job}/scans?name=rest.csv&role=${role}`, new TextEncoder().encode(text));
const proveDead = (job: number): Promise<void> => provenDead(ina, bench, job);

describe('absolute before relative', () => {
  const pack84 = (v: (i: number) => number): string =>
    restCsv(
      Array.from({ length: 84 }, (_, i) => v(i)),
      two,
    );

  it('a pack with every channel at 0.01 V or 1.4 V is over-discharged, at 4.35 V over-charged, and nothing in it is compared', async () => {
    for (const [volts, verdict] of [
      [0.01, 'over-discharged'],
      [1.4, 'over-discharged'],
      [4.35, 'over-charged'],
    ] as const) {
      const job = await newJob();
      expect(
        (
          await takeIn(
            job,
            pack84(() => volts),
          )
        ).status,
      ).toBe(201);
      const report = await spreadOf(job);
      expect(report.pack.verdict).toBe(verdict);
      expect(report.pack.reasons.join(' ')).toMatch(
        verdict === 'over-discharged' ? /Scrap unless a supervised recovery/ : /quarantine/,
      );
      expect(report).toMatchObject({
        findings: [],
        nearFull: null,
        nearEmpty: null,
        tilt: null,
        working: null,
      });
      expect(report.capacityAh.measured).toBe(false);
      const { body: board } = await ina.get<{ rows: { number: number; detail: string }[] }>('/api/jobs');
      expect(board.rows.find((r) => r.number === job)!.detail).toMatch(new RegExp(`The pack is ${verdict}`));
    }
  });

  it('with half the groups at 0.1 V and half at 3.6 V the dead ones are named, not the healthy ones', async () => {
    const job = await newJob();
    await takeIn(
      job,
      pack84((i) => (i % 2 ? 3.6 : 0.1)),
    );
    const report = await spreadOf(job);
    expect(report.pack.verdict).toBe('ok');
    expect(report.findings.map((f) => f.channel).sort()).toEqual(
      Array.from({ length: 42 }, (_, k) => two(2 * k)).sort(),
    );
    expect(report.findings.every((f) => f.verdict === 'dead')).toBe(true);
    expect(report.nextTest).not.toMatch(/near empty|near full/);
  });

  it('a reversed group is named as such, prints no capacity or range, and makes the pack’s own hazard known to the gate', async () => {
    const job = await newJob();
    await takeIn(
      job,
      pack84((i) => (i === 30 ? -0.4 : 3.98)),
    );
    const report = await spreadOf(job);
    expect(report.findings).toHaveLength(1);
    expect(report.findings[0]).toMatchObject({ channel: 'ch31', verdict: 'dead', absolute: 'reversed' });
    expect(
      [report.capacityAh, report.health, report.usableAh, report.usableKm].map((m) => m.measured),
    ).toEqual([false, false, false, false]);
    const { body } = await ina.get<SafetyView>(`/api/jobs/${job}/safety`);
    expect(body.suggestedHazards).toEqual(['under-voltage']);
  });

  it('a typed voltage is judged where it is typed: impossible ones are not stored, dead ones show on the board', async () => {
    const job = await newJob();
    const type = (place: string, value: number, more: object = {}): Promise<Answer<Reading & Told>> =>
      ina.post(`/api/jobs/${job}/readings`, {
        kind: 'voltage',
        place,
        value,
        stage: 'bench',
        observedAt: new Date().toISOString(),
        ...more,
      });
    const wild = await type('ch05', 398);
    expect(wild.status).toBe(422);
    expect(wild.body.detail).toMatch(/398.*not possible for one NMC cell/);
    expect((await type('', 1200)).status).toBe(422);
    expect((await type('M03', 29.3)).body.judged).toMatchObject({ state: 'normal' });
    expect((await type('M04', 0.14)).body.judged).toMatchObject({ state: 'dead' });
    expect((await type('ch09', -0.4)).body.judged).toMatchObject({ state: 'reversed' });
    expect((await type('M05', 3.98, { conditions: 'per group' })).body.judged).toMatchObject({
      state: 'normal',
    });
    const { body: board } = await ina.get<{ rows: { number: number; need: string; detail: string }[] }>(
      '/api/jobs',
    );
    expect(board.rows.find((r) => r.number === job)).toMatchObject({
      need: 'Look first',
      detail: expect.stringMatching(/M04 0.14 V.*dead.*ch09 -0.40 V: reversed/) as string,
    });
  });

  it('a meter that shows a dead group at the terminals outweighs a board that shows a good one', async () => {
    const job = await newJob();
    await takeIn(
      job,
      pack84(() => 3.98),
    );
    await ina.post(`/api/jobs/${job}/readings`, {
      kind: 'voltage',
      place: 'ch40',
      value: 0.02,
      stage: 'findings',
      observedAt: new Date(Date.now() + 1000).toISOString(),
    });
    await bench.settled();
    const report = await spreadOf(job);
    expect(report.findings[0]).toMatchObject({ channel: 'ch40', verdict: 'dead' });
    expect(report.findings[0]!.reasons[0]).toMatch(/meter at the terminals.*The scan says 3.980 V/);
  });
});

describe('findings can be computed again for ever', () => {
  it('name the profile version they were computed with; an edit never changes an old result', async () => {
    const job = await newJob();
    const volts = Array.from({ length: 84 }, (_, i) => 3.62 + 0.0004 * (i % 7) - (i === 12 ? 0.05 : 0));
    await takeIn(job, restCsv(volts, two));
    const [before] = (await findings(job)).filter((f) => f.topic === 'spread');
    const stored = (await packsOf(ina)).find((p) => p.name.startsWith('Corrie'))!;
    expect(before!.profileVersion).toBe(stored.version);
    const bent = stored.profile.ocv.map(
      ([s, v]) => [s, Math.round((v - 0.02 * s) * 1e4) / 1e4] as [number, number],
    );
    const saved = await ina.call<StoredProfile>('PUT', `/api/packs/${stored.id}`, {
      profile: { ...stored.profile, ocv: bent },
      baseVersion: stored.version,
    });
    expect(saved.status).toBe(200);
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${before!.id}/recompute`);
    expect(again.body.same).toBe(true);
    expect((await jobOf(job)).packVersion).toBe(stored.version + 1);
    const anew = await ina.post<Finding[]>(`/api/jobs/${job}/findings/anew`, {});
    expect(anew.body[0]!.profileVersion).toBe(stored.version + 1);
    const old = await ina.get<Finding>(`/api/jobs/${job}/findings/${before!.id}`);
    expect(old.body.result).toEqual(before!.result);
    await ina.call('PUT', `/api/packs/${stored.id}`, {
      profile: stored.profile,
      baseVersion: stored.version + 1,
    });
  });

  it('use what is known whatever the order it came in: a scan taken after the insulation tests counts, and a found leak stays on the board', async () => {
    const job = await newJob();
    await proveDead(job);
    await ina.post(`/api/jobs/${job}/insulation`, {
      observation: {
        kind: 'tester',
        tested: { part: 'section', from: 'M06', to: 'M06' },
        setV: 500,
        points: [{ timeS: 60, ohm: null, voltageV: 21 }],
        temperatureC: 21,
        mounted: true,
      },
      managementDisconnected: true,
    });
    const leak = async (): Promise<FindingOf<'insulation'>> => findingOf(await findings(job), 'insulation')!;
    const before = await leak();
    expect(before.result.found).toBe('M06');
    await takeIn(
      job,
      restCsv(
        Array.from({ length: 84 }, (_, i) => 3.9 + 0.0005 * (i % 5)),
        two,
      ),
    );
    await bench.settled();
    const after = await leak();
    expect(after.id).not.toBe(before.id);
    expect(after.parameters.spreadFindingId).not.toBeNull();
    expect(after.result.found).toBe('M06');
    const { body: board } = await ina.get<{ rows: { number: number; detail: string }[] }>('/api/jobs');
    expect(board.rows.find((r) => r.number === job)!.detail).toMatch(/Leak at M06/);
  });
});

describe('who may change what keeps people safe', () => {
  it('the capacitors, the cells in series and the limits of a profile are signed, and close the gate of every job on it', async () => {
    const lowly = await bench.as('Bettine Vale');
    expect((await lowly.get('/api/packs')).status).toBe(200);
    await ina.post('/api/people', {
      name: 'Odd Lind',
      password: 'long enough words',
      role: 'technician',
      hvLevel: 1,
      hvUntil: '2099-01-01',
      hvIssuer: 'Island technical college',
      hvNumber: 'HV-1',
    });
    const odd = new (ina.constructor as new (a: string) => Client)(bench.address);
    await odd.post('/api/session', { name: 'Odd Lind', password: 'long enough words' });
    const job = await newJob();
    await proveDead(job);
    const stored = (await packsOf(ina)).find((p) => p.name.startsWith('Corrie'))!;
    const save = (
      who: Client,
      change: Partial<PackProfile>,
      baseVersion = stored.version,
    ): Promise<Answer<Told>> =>
      who.call<Told>('PUT', `/api/packs/${stored.id}`, {
        profile: { ...stored.profile, ...change },
        baseVersion,
      });
    for (const change of [
      { busCapacitanceF: undefined },
      { busBleederOhm: 20e3 },
      { limits: [] },
      { links: [] },
      {
        chemistry: 'lfp' as const,
        ocv: [
          [0, 2.6],
          [1, 3.4],
        ] as [number, number][],
      },
    ]) {
      const refused = await save(odd, change);
      expect(refused.status).toBe(403);
      expect(refused.body.detail).toMatch(/may not prove a pack dead/);
    }
    expect((await jobOf(job)).gate.holds).toBe(true);
    // What nobody's safety hangs on, anybody who writes may change; the gate stays.
    expect((await save(odd, { ratedRangeKm: 51 })).status).toBe(200);
    expect((await jobOf(job)).gate.holds).toBe(true);
    const signed = await save(ina, { busCapacitanceF: undefined, ratedRangeKm: 51 }, stored.version + 1);
    expect(signed.status).toBe(200);
    const { gate } = await jobOf(job);
    expect(gate.holds).toBe(false);
    expect(gate.why).toMatch(/what keeps people safe in the pack profile was changed/);
    await save(ina, {}, stored.version + 2);
  });

  it('the gate takes the careful one of profile, scan and meter', async () => {
    const job = await newJob('Tarn');
    const view = async (): Promise<SafetyView> => (await ina.get<SafetyView>(`/api/jobs/${job}/safety`)).body;
    expect(await view()).toMatchObject({ packVFrom: 'profile' });
    const typed = await ina.post(`/api/jobs/${job}/readings`, {
      kind: 'voltage',
      place: '',
      value: 66,
      stage: 'make-safe',
      observedAt: new Date().toISOString(),
    });
    expect(typed.status).toBe(201);
    expect(await view()).toMatchObject({ packV: 66, packVFrom: 'meter' });
    await ina.post(`/api/jobs/${job}/safety/begin`, { hazards: [] });
    // 66 V is class B: gloves of a class, and every point at the threshold.
    const { lockoutId } = await view();
    const step = (data: object): Promise<Answer<Told>> =>
      ina.post<Told>(`/api/jobs/${job}/safety/steps`, { lockoutId, data, observedAt: bench.clock.iso() });
    await step({ step: 'hazards' });
    const none = await step({ step: 'gloves', gloveClass: '00', testedOn: '2020-01-01', airTest: true });
    expect(none.body.detail).toMatch(/months old/);
  });

  it('work inside the pack is refused by what it is, under whatever stage it is posted', async () => {
    const job = await newJob();
    const torque = await ina.post<Told>(`/api/jobs/${job}/readings`, {
      kind: 'torque',
      place: 'M03',
      value: 9,
      stage: 'hand-over',
      observedAt: new Date().toISOString(),
    });
    expect(torque.status).toBe(423);
  });

  it('decisions are borne out by the record', async () => {
    const job = await newJob('Marram');
    const sign = (body: object, who = ina): Promise<Answer<Told>> =>
      who.post<Told>(`/api/jobs/${job}/decisions`, { body, baseVersion: 0 });
    const stock = (await ina.get<{ id: string; label: string }[]>('/api/stock')).body;
    const choose = (place: string) => ({ topic: 'match', choices: [{ place, partId: stock[0]!.id }] });
    expect((await sign(measures(['replace-module', 'M99']))).body.detail).toMatch(/no module M99/);
    expect((await sign(measures())).status).toBe(422);
    expect((await sign(choose('M07'))).body.detail).toMatch(/M07 is not decided to come out/);
    expect((await sign({ topic: 'prove', passed: true })).body.detail).toMatch(/no scan after the repair/);
    expect((await sign({ topic: 'prove', passed: false })).status).toBe(201);
    expect(
      (
        await sign({
          topic: 'balance',
          lines: [{ place: 'M07', currentA: 5, goal: 'level-now', method: 'supply' }],
        })
      ).status,
    ).toBe(422);
    expect((await sign(measures(['replace-module', 'M07']))).status).toBe(201);
    expect((await sign(choose('M07'))).status).toBe(201);
    const other = await newJob('Marram');
    await ina.post(`/api/jobs/${other}/decisions`, {
      body: measures(['replace-module', 'M02']),
      baseVersion: 0,
    });
    const taken = await ina.post<Told>(`/api/jobs/${other}/decisions`, {
      body: choose('M02'),
      baseVersion: 0,
    });
    expect(taken.body.detail).toMatch(new RegExp(`${stock[0]!.label} is chosen in job ${job}`));
    const sheet = { topic: 'hand-over', expectations: '', notDone: '', ending: 'repaired' };
    const odd = new (ina.constructor as new (a: string) => Client)(bench.address);
    await odd.post('/api/session', { name: 'Odd Lind', password: 'long enough words' });
    expect((await sign(sheet, odd)).status).toBe(403);
  });

  it('what a page made for one person is not stored under the name of another', async () => {
    const job = await newJob();
    const { body } = await ina.get<{ person: { id: string } }>('/api/session');
    const note = { kind: 'note', text: 'mine', stage: 'bench', observedAt: new Date().toISOString() };
    const stolen = await tomas.post<Told>(`/api/jobs/${job}/readings`, note, {
      'x-cellmend-person': body.person.id,
    });
    expect(stolen).toMatchObject({ status: 409, body: { type: 'urn:cellmend:person' } });
    const own = await ina.post(`/api/jobs/${job}/readings`, note, { 'x-cellmend-person': body.person.id });
    expect(own.status).toBe(201);
  });
});
