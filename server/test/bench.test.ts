import type { BenchView, NewRun, Run, RunPart } from '@cellmend/contract/bench';
import type { Job } from '@cellmend/contract/jobs';
import type { Problem } from '@cellmend/contract/problem';
import type { Reading } from '@cellmend/contract/records';
import { MOST_STRETCHES } from '@cellmend/core/scan';
import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { runSql } from '../../scripts/lib/postgres.mjs';
import { verifyRecord } from '../../scripts/lib/verify.mjs';
import { measures, newJob, proveDead } from './depot';
import { startBench, type Answer, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
let n: number;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
  n = await newJob(ina, 'Ferry', 'sticks');
});
afterAll(() => bench.end());

const run = (more: Partial<NewRun>): Promise<Answer<Run & Problem>> =>
  ina.post(`/api/jobs/${n}/bench/runs`, {
    place: 'S03',
    recipe: 'capacity',
    observedAt: bench.clock.iso(),
    ...more,
  });
const view = async (): Promise<BenchView> => (await ina.get<BenchView>(`/api/jobs/${n}/bench`)).body;
const capacities = async (place: string): Promise<(number | null)[]> =>
  (await ina.get<Reading[]>(`/api/jobs/${n}/readings`)).body
    .filter((r) => r.place === place && r.kind === 'capacity' && !r.supersededBy)
    .map((r) => r.value);

/** A discharge of a six-cell stick at 3 A that comes to its cut-off after an hour and a half; cell by cell told. */
const log = (seconds: number): string =>
  [
    'time_s,voltage_V,current_A,temp_C',
    ...Array.from({ length: Math.floor(seconds / 10) + 1 }, (_, k) => {
      const t = 10 * k;
      const v = t < 5400 ? 7.9 - (0.7 * t) / 5400 : 7.2 - ((t - 5400) / 60) * 1.0;
      return `${t},${v.toFixed(4)},3.0,${(24 + t / 600).toFixed(1)}`;
    }),
  ].join('\n');
const file = (text: string, more: object = {}, key: string = randomUUID()): Promise<Answer<Run & Problem>> =>
  ina.post(
    `/api/jobs/${n}/bench/files?${new URLSearchParams({ place: 'S04', cutoffV: '6', observedAt: bench.clock.iso(), name: 'charger 2.csv', ...more }).toString()}`,
    text,
    { 'content-type': 'text/csv', 'idempotency-key': key },
  );

describe('a run tended by hand', () => {
  it('is a capacity of its place where it came to its cut-off, a bound where it did not, and nothing that cannot be', async () => {
    expect(
      (await run({ capacityAh: 2.6, dropouts: 2, hottestC: 52, r10sMilliohm: 12.5 })).body,
    ).toMatchObject({
      r10sMilliohm: 12.5,
      lowerBound: false,
      dropoutsAh: [0, 0],
      says: [expect.stringMatching(/^52 °C, the limit is/) as string],
    });
    expect((await run({ capacityAh: 3.1, complete: false })).body).toMatchObject({ lowerBound: true });
    expect(await capacities('S03')).toEqual([2.6]);
    // What stays is matched by it; a bound is none.
    expect((await view()).measuredAloneAh).toEqual({ S03: 2.6 });
    expect((await view()).runs.map((r) => [r.place, r.capacityAh])).toEqual([
      ['S03', 2.6],
      ['S03', 3.1],
    ]);
    for (const [what, status] of [
      [{ place: 'S99' }, 400],
      [{ endV: 200 }, 400],
      [{ capacityAh: 90 }, 400],
      [{ capacityAh: -1 }, 400],
      [{ recipe: 'magic' as never }, 400],
    ] as const)
      expect((await run(what)).status, JSON.stringify(what)).toBe(status);
    expect((await view()).runs).toHaveLength(2);
  });

  it('that is taken back takes its capacity along, and stays in the record', async () => {
    const { body } = await run({ place: 'S05', capacityAh: 4.4 });
    expect(await capacities('S05')).toEqual([4.4]);
    expect(
      (await ina.post(`/api/jobs/${n}/bench/${body.id}/withdraw`, { reason: 'that was S06' })).status,
    ).toBe(201);
    expect((await ina.post(`/api/jobs/${n}/bench/${body.id}/withdraw`, { reason: 'twice' })).status).toBe(
      409,
    );
    expect(await capacities('S05')).toEqual([]);
    expect((await view()).runs.some((r) => r.place === 'S05')).toBe(false);
    // What somebody corrected since stands: the run goes without it.
    const again = await run({ place: 'S06', capacityAh: 4.4 });
    const [reading] = (await ina.get<Reading[]>(`/api/jobs/${n}/readings`)).body.filter(
      (r) => r.place === 'S06',
    );
    const corrected = await ina.post(`/api/jobs/${n}/readings`, {
      kind: 'capacity',
      place: 'S06',
      value: 4.1,
      stage: 'bench',
      observedAt: bench.clock.iso(),
      supersedes: reading!.id,
      reason: 'read off wrong',
    });
    expect(corrected.status).toBe(201);
    expect(
      (await ina.post(`/api/jobs/${n}/bench/${again.body.id}/withdraw`, { reason: 'disturbed' })).status,
    ).toBe(201);
    expect(await capacities('S06')).toEqual([4.1]);
    expect((await view()).measuredAloneAh).toEqual({ S03: 2.6, S06: 4.1 });
    // The module that was measured comes out, another stands there: its figure went with it.
    const job = (await ina.get<Job>(`/api/jobs/${n}`)).body;
    await runSql(
      bench.url,
      `WITH who AS (SELECT id FROM people LIMIT 1),
            p AS (INSERT INTO parts (id, label, kind) VALUES (gen_random_uuid(), 'S-900', 'module'), (gen_random_uuid(), 'S-901', 'module') RETURNING id, label)
       INSERT INTO placements (id, part_id, kind, pack_id, place, reason, person_id)
       SELECT gen_random_uuid(), p.id, 'pack', '${job.physicalPack.id}', 'S06', 'swapped', who.id FROM p, who ORDER BY label`,
    );
    expect((await view()).measuredAloneAh).toEqual({ S03: 2.6 });
  });
});

describe('a logged run', () => {
  // 3 A until the voltage falls through 6 V: 5400 s and then 1.2 V at 1 V a minute, 72 s: 5472 s · 3 A = 4.56 A·h.
  it('is read in a thread, told by its cut-off, kept as it came, and once however often it is sent', async () => {
    const key = randomUUID();
    const text = log(5500);
    const more = { observedAt: bench.clock.iso() };
    const twice = await Promise.all([file(text, more, key), file(text, more, key)]);
    expect(twice.map((t) => t.status)).toEqual([201, 201]);
    const { body } = twice[0]!;
    expect(body.capacityAh).toBeCloseTo(4.56, 2);
    expect(body).toMatchObject({ lowerBound: false, currentA: 3, name: 'charger 2.csv', from: 'file' });
    expect(body.hottestC).toBeCloseTo(33.2, 1);
    expect(body.course!.timeS.length).toBeGreaterThan(300);
    expect((await capacities('S04')).length).toBe(1);
    const kept = await ina.get<string>(`/api/bench/${body.id}/file`);
    expect(kept.body).toBe(text);
    expect(verifyRecord(bench.url).breaks).toBe(0);
    runSql(bench.url, 'SET session_replication_role = replica; DELETE FROM run_files');
    expect(verifyRecord(bench.url).first).toMatchObject({ how: 'the file of a run is gone' });
  });

  it('is looked at whole without losing a peak, and in part down to its readings; also where no course was kept', async () => {
    // Two days at a reading in ten seconds, with one reading that stands out.
    const rows = Array.from({ length: 17_280 }, (_, k) => `${10 * k},${k === 9123 ? 6.4 : 8.2},0.02`);
    const long = ['time_s,voltage_V,current_A', ...rows].join('\n');
    const { body: run } = await file(long, { place: 'S21', recipe: 'hold', observedAt: bench.clock.iso() });
    const part = async (span = ''): Promise<RunPart> =>
      (await ina.get<RunPart>(`/api/jobs/${n}/bench/runs/${run.id}/course${span}`)).body;
    const looked = async (): Promise<void> => {
      const whole = await part();
      expect(whole.timeS.length).toBeLessThanOrEqual(2 * MOST_STRETCHES);
      expect(whole.stretch).toBe(16);
      expect([Math.min(...whole.voltageV), Math.max(...whole.voltageV)]).toEqual([6.4, 8.2]);
      const close = await part('?fromS=91000&toS=92000');
      expect(close.stretch).toBe(1);
      expect(close.timeS.filter((t) => t >= 91_000 && t <= 92_000)).toHaveLength(101);
      expect(close.voltageV[close.timeS.indexOf(91_230)]).toBe(6.4);
      expect(close.temperatureC).toBeNull();
    };
    await looked();
    runSql(bench.url, 'DELETE FROM courses');
    await looked();
    await looked();
    expect((await ina.get(`/api/jobs/${n}/bench/runs/${randomUUID()}/course`)).status).toBe(404);
  });

  it('that ended early is a bound; one that is none is refused with what is missing, and nothing is kept', async () => {
    expect((await file(log(3000), { place: 'S07' })).body).toMatchObject({ lowerBound: true });
    expect(await capacities('S07')).toEqual([]);
    const before = (await view()).runs.length;
    for (const [text, says] of [
      ['', /No heading/],
      ['time_s,voltage_V\n0,8', /no column of current/],
      ['time_s,voltage_V,current_A\n0,800,3\n60,790,3', /not possible/],
    ] as const) {
      const no = await file(text, { place: 'S08' });
      expect(no.status).toBeGreaterThanOrEqual(400);
      expect(no.status).toBeLessThan(500);
      expect(no.body.detail).toMatch(says);
    }
    expect((await view()).runs).toHaveLength(before);
    const viewer = await bench.as('Bettine Vale');
    expect((await viewer.post(`/api/jobs/${n}/bench/files?place=S04&cutoffV=6`, log(100))).status).toBe(403);
  });

  it('is what a conditioning asks for', async () => {
    await ina.post(`/api/jobs/${n}/decisions`, { body: measures(['condition', 'S09']), baseVersion: 0 });
    await proveDead(ina, bench, n);
    const met = async (): Promise<boolean | undefined> =>
      (await ina.get<Job>(`/api/jobs/${n}`)).body.steps.find((s) => s.evidence === 'bench-result')?.met;
    expect(await met()).toBe(false);
    await run({ place: 'S09', capacityAh: 2.2, complete: false });
    expect(await met()).toBe(false);
    await run({ place: 'S09', capacityAh: 4.8 });
    expect(await met()).toBe(true);
  });
});

it('a hold test begins at a place, and the newest of it counts', async () => {
  const hold = (body: object) =>
    ina.post(`/api/jobs/${n}/bench/holds`, { place: 'S02', observedAt: bench.clock.iso(), ...body });
  expect((await hold({ place: 'nowhere' })).status).toBe(400);
  expect((await hold({ socFraction: 2 })).status).toBe(400);
  expect((await hold({})).status).toBe(201);
  expect((await hold({ capacityAh: 4.6 })).status).toBe(201);
  expect((await view()).holds).toMatchObject([{ place: 'S02', capacityAh: 4.6, socFraction: null }]);
});
