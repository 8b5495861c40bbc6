import type { Job } from '@cellmend/contract/jobs';
import type { SafetyView } from '@cellmend/contract/safety';
import type { StripTick, StripView } from '@cellmend/contract/stripdown';
import type { Problem } from '@cellmend/contract/problem';
import { normalisePack } from '@cellmend/core/pack';
import { defaultBuild } from '@cellmend/core/stripdown';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newJob, packsOf, proveDead } from './depot';
import { Client, startBench, type Answer, type Bench } from './harness';

let bench: Bench;
let ina: Client;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterAll(() => bench.end());

const tick = <T = StripTick & Problem>(
  n: number,
  part: string,
  off: boolean,
  more: object = {},
  key: string = randomUUID(),
): Promise<Answer<T>> =>
  ina.post<T>(
    `/api/jobs/${n}/strip-down/ticks`,
    { part, off, observedAt: bench.clock.iso(), ...more },
    { 'idempotency-key': key },
  );
const view = async (n: number): Promise<StripView> =>
  (await ina.get<StripView>(`/api/jobs/${n}/strip-down`)).body;

describe('what comes off and goes on again', () => {
  it('waits for the gate, comes in its order or says why not, and is there once however often it is sent', async () => {
    const n = await newJob(ina, 'Corrie', 'strip');
    expect((await tick(n, 'L6', true)).status).toBe(423);
    await proveDead(ina, bench, n);
    expect((await tick(n, 'nothing', true)).status).toBe(400);
    const early = await tick(n, 'L7', true);
    expect(early).toMatchObject({ status: 422, body: { type: 'urn:cellmend:order' } });
    expect(early.body.detail).toMatch(
      /Before Bus-bar L7 comes off: Lid, Management plug, Service disconnect L6/,
    );
    expect((await view(n)).ticks).toEqual([]);
    const key = randomUUID();
    const once = { observedAt: bench.clock.iso() };
    const twice = await Promise.all([tick(n, 'L6', true, once, key), tick(n, 'L6', true, once, key)]);
    expect(twice.map((t) => t.status)).toEqual([201, 201]);
    bench.clock.pass(14);
    expect((await tick(n, 'lid', true)).body.minutes).toBeCloseTo(14, 0);
    expect((await tick(n, 'L7', true, { note: 'plug is broken off' })).status).toBe(201);
    const { ticks } = await view(n);
    expect(ticks.map((t) => [t.part, t.off])).toEqual([
      ['L6', true],
      ['lid', true],
      ['L7', true],
    ]);
    const { route, endings } = (await ina.get<Job>(`/api/jobs/${n}`)).body;
    expect(route['strip-down']).toMatchObject({ note: '3 off' });
    expect(route.rebuild).toMatchObject({ note: '3 to go on' });
    expect(endings.repaired.length).toBeGreaterThan(0);
    // One stair of voltages for Make safe, the plan and the map.
    expect((await ina.get<SafetyView>(`/api/jobs/${n}/safety`)).body.openLinks.sort()).toEqual(['L6', 'L7']);
  });

  it('is put back the other way round, with what its joints measured', async () => {
    const n = await newJob(ina, 'Corrie', 'rebuild');
    await proveDead(ina, bench, n);
    for (const part of ['L6', 'lid', 'sense-plug', 'L7'])
      expect((await tick(n, part, true)).status).toBe(201);
    const early = await tick(n, 'sense-plug', false);
    expect(early.status).toBe(422);
    expect(early.body.detail).toMatch(/Before Management plug goes on: Bus-bar L7/);
    expect((await tick(n, 'L7', false, { torqueNm: 9, microohm: 52 })).body).toMatchObject({
      torqueNm: 9,
      microohm: 52,
    });
    for (const wrong of [{ torqueNm: -1 }, { microohm: 1e12 }, { minutes: -3 }])
      expect((await tick(n, 'sense-plug', false, wrong)).status).toBe(400);
    for (const part of ['sense-plug', 'lid', 'L6']) expect((await tick(n, part, false)).status).toBe(201);
    expect((await ina.get<SafetyView>(`/api/jobs/${n}/safety`)).body.openLinks).toEqual([]);
    const lines = (await ina.get<{ lines: { what: string; subject: string }[] }>(`/api/jobs/${n}/timeline`))
      .body;
    expect(JSON.stringify(lines)).toMatch(/put on.*Bus-bar L7/);
  });

  it('a connector of two stages is on once each was confirmed, in whatever order they are told', async () => {
    const { profile } = (await packsOf(ina)).find((p) => p.name.startsWith('Tarn'))!;
    const stages = ['pushed in until it clicks', 'lever over until it clicks'];
    const build = defaultBuild(normalisePack(profile)).map((p) =>
      p.kind === 'sense-plug' ? { ...p, stages } : p,
    );
    const { id } = (
      await ina.post<{ id: string }>('/api/packs', {
        profile: { ...profile, name: 'Tarn with a lever', build },
        baseVersion: 0,
      })
    ).body;
    const n = (await ina.post<{ number: number }>('/api/jobs', { title: 'two stages', packProfileId: id }))
      .body.number;
    await proveDead(ina, bench, n);
    const service = profile.links!.find((l) => l.kind === 'service-disconnect')?.id;
    for (const part of [...(service ? [service] : []), 'lid', 'sense-plug'])
      expect((await tick(n, part, true)).status).toBe(201);
    for (const [confirmed, open] of [
      [undefined, stages.join(', ')],
      [[stages[0]], stages[1]],
      [['something else'], stages.join(', ')],
    ] as const) {
      const halfway = await tick(n, 'sense-plug', false, confirmed ? { confirmed } : {});
      expect(halfway.status).toBe(400);
      expect(halfway.body.detail).toBe(`Management plug closes in 2 stages; not confirmed: ${open}.`);
    }
    expect((await tick(n, 'sense-plug', false, { confirmed: [...stages].reverse() })).status).toBe(201);
    expect((await view(n)).ticks.at(-1)).toMatchObject({ confirmed: [...stages].reverse() });
  });

  it('makes the minutes of its profile better for the next job, and for no other profile', async () => {
    const profile = (await packsOf(ina)).find((p) => p.name.startsWith('Tarn'))!;
    for (const minutes of [20, 26, 40]) {
      const n = (
        await ina.post<{ number: number }>('/api/jobs', { title: 'timed', packProfileId: profile.id })
      ).body.number;
      await proveDead(ina, bench, n);
      await tick(n, 'L1', true);
      expect((await tick(n, 'lid', true, { minutes })).status).toBe(201);
    }
    const next = await newJob(ina, 'Tarn', 'next');
    expect((await view(next)).seen.lid).toMatchObject({ n: 3, medianMin: 26 });
    expect((await view(await newJob(ina, 'Corrie', 'other'))).seen.lid?.medianMin ?? 0).not.toBe(26);
  });

  it('a tick taken back was never done: it gives no time and goes on no sheet', async () => {
    const profile = (await packsOf(ina)).find((p) => p.name.startsWith('Fell'))!;
    const n = (
      await ina.post<{ number: number }>('/api/jobs', { title: 'by mistake', packProfileId: profile.id })
    ).body.number;
    await proveDead(ina, bench, n);
    await tick(n, 'L12', true);
    expect((await tick(n, 'lid', true, { minutes: 77 })).status).toBe(201);
    expect((await view(n)).seen.lid).toMatchObject({ n: 1 });
    expect((await tick(n, 'lid', true, { mistake: true })).status).toBe(400);
    expect((await tick(n, 'lid', false, { mistake: true, note: 'not done' })).status).toBe(201);
    expect((await view(n)).seen.lid).toBeUndefined();
    expect((await tick(n, 'lid', false)).status).toBe(409);
  });

  it('moves no module while another part of the string is above 60 V, unless somebody says why', async () => {
    const n = await newJob(ina, 'Corrie', 'too early');
    await proveDead(ina, bench, n);
    for (const part of ['L6', 'lid', 'sense-plug', 'L2', 'L3'])
      expect((await tick(n, part, true)).status).toBe(201);
    const early = await tick(n, 'M03', true);
    expect(early).toMatchObject({ status: 422, body: { type: 'urn:cellmend:order' } });
    expect(early.body.detail).toMatch(/Before M03 comes off: Bus-bar L/);
  });

  it('of two who tick at the same moment nobody gets round the order', async () => {
    const n = await newJob(ina, 'Corrie', 'two');
    await proveDead(ina, bench, n);
    const other = new Client(`http://127.0.0.1:${(await bench.another()).port}`);
    other.cookie = ina.cookie;
    await tick(n, 'L6', true);
    const both = await Promise.all([
      tick(n, 'lid', true),
      other.post(`/api/jobs/${n}/strip-down/ticks`, {
        part: 'sense-plug',
        off: true,
        observedAt: bench.clock.iso(),
      }),
    ]);
    expect(both[0].status).toBe(201);
    const { ticks } = await view(n);
    const order = ticks.map((t) => t.part);
    if (order.includes('sense-plug')) expect(order.indexOf('lid')).toBeLessThan(order.indexOf('sense-plug'));
    else expect(both[1].status).toBe(422);
  });
});
