import type { Job, ScanSummary } from '@cellmend/contract/jobs';
import type { Check, Reading } from '@cellmend/contract/records';
import type { BusTrace } from '@cellmend/core/precharge';
import type { Finding } from '@cellmend/contract/findings';
import type { LiveState, ScanPicture, ScanPreview } from '@cellmend/contract/scans';
import { isoTpFrames } from '@cellmend/core/can';
import { normalisePack, type Pack } from '@cellmend/core/pack';
import type { Traces } from '@cellmend/contract/scanRoutes';
import { MOST_STRETCHES, writeScanCsv } from '@cellmend/core/scan';
import { driveLegs, healthyPack, Random, simulateRecord, type Leg } from '@cellmend/core/simpack';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import { demoVehiclePack } from '@cellmend/devices/demoVehicle';
import { wakeOfLive } from '@cellmend/core/stripdown';
import { SimulatedVehicle, VEHICLE_DBC, vehicleDefinition } from '@cellmend/devices/vehicle';
import ExcelJS from 'exceljs';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { QueryTypes } from 'sequelize';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { pilotCar } from '../../cli/src/demoPacks';
import type { Problem } from '@cellmend/contract/problem';
import { measures } from './depot';
import { StoppableDatabase } from './stoppable';
import { startBench, type Answer, type Bench, Client } from './harness';

let bench: Bench;
let ina: Client;
const pack: Pack = normalisePack(pilotCar());
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
});
afterAll(() => bench.end());

/** A job of its own on the pilot car's pack. */
async function newJob(): Promise<number> {
  const { body: packs } = await ina.get<{ id: string; name: string }[]>('/api/packs');
  const packProfileId = packs.find((p) => p.name.startsWith('Corrie'))!.id;
  return (await ina.post<{ number: number }>('/api/jobs', { title: 'scan test', packProfileId })).body.number;
}
const take = <T = ScanSummary>(job: number, name: string, body: string | Uint8Array): Promise<Answer<T>> =>
  ina.call<T>('POST', `/api/jobs/${job}/scans?${new URLSearchParams({ name, role: 'before' })}`, body);
const look = <T = ScanPreview>(job: number, name: string, body: string | Uint8Array): Promise<Answer<T>> =>
  ina.call<T>('POST', `/api/jobs/${job}/scans/preview?${new URLSearchParams({ name })}`, body);
const newest = async (job: number): Promise<Finding & { result: SpreadReport }> =>
  (await ina.get<(Finding & { result: SpreadReport })[]>(`/api/jobs/${job}/findings`)).body.find(
    (f) => f.topic === 'spread',
  )!;

const rest: Leg = { durationS: 600, currentA: 0, sampleS: 20 };
function simulated(seed: number, startSoc: number, legs: (random: Random) => Leg[], low = 0) {
  const random = new Random(seed);
  const sim = healthyPack(pack, new Random(77), 0.9);
  sim.startSoc = startSoc;
  sim.channels[40]!.capacityRatio *= 1 - low;
  sim.channels[40]!.deltaSoc -= (1 / (1 - low) - 1) * (1 - startSoc);
  return simulateRecord(sim, legs(random), random);
}
const drive = (random: Random): Leg[] => [rest, ...driveLegs(random, 20, 16, 10), rest];

describe('a kind of file not met before', () => {
  const csv = writeScanCsv(simulated(1, 0.9, drive), 3);
  const [heading, ...lines] = csv.split('\n');
  const strange = [
    heading!
      .split(',')
      .map((h, i) =>
        i === 0
          ? 'elapsed'
          : i === 1
            ? 'pack amps'
            : i < 4
              ? h
              : `U-${String.fromCharCode(65 + ((i - 4) % 26))}${i}`,
      )
      .join(';'),
    ...lines.map((l) => l.replaceAll(',', ';').replaceAll('.', ',')),
  ].join('\n');

  it('is shown with a guess, named once, remembered, and then read at once', async () => {
    const job = await newJob();
    const first = await look(job, 'strange.csv', strange);
    expect(first.status).toBe(200);
    expect(first.body).toMatchObject({ format: 'table', clear: false });
    expect(first.body.mapping).toMatchObject({ delimiter: ';', decimal: ',' });
    expect(first.body.missingChannels).toHaveLength(84);
    expect((await take(job, 'strange.csv', strange)).status).toBe(422);
    const targets = first.body.mapping.targets.map((t, i) =>
      i >= 4 ? { kind: 'channel', channelIndex: i - 4, unit: 'V' } : t,
    );
    const saved = await ina.post('/api/headings', {
      names: first.body.names,
      mapping: { ...first.body.mapping, targets },
    });
    expect(saved.status).toBe(201);
    expect((await look(job, 'strange.csv', strange)).body).toMatchObject({ clear: true, remembered: true });
    const taken = await take(job, 'strange.csv', strange);
    expect(taken.status).toBe(201);
    expect(taken.body.notices.join()).toMatch(/Positive current is discharge: the voltages agree/);
  });

  it('with the current the other way round is asked about, not flipped in silence', async () => {
    const job = await newJob();
    const flipped = csv
      .split('\n')
      .map((l, i) => {
        const cells = l.split(',');
        if (i > 0 && cells.length > 1) cells[1] = String(-Number(cells[1]));
        return cells.join(',');
      })
      .join('\n')
      .replace('current_A', 'current_back_A');
    const refused = await take<{ type: string; detail: string }>(job, 'flipped.csv', flipped);
    expect(refused.status).toBe(422);
    expect(refused.body.type).toBe('urn:cellmend:current-direction');
    expect((await ina.get<Job>(`/api/jobs/${job}`)).body.scans).toHaveLength(0);
    const { body } = await look(job, 'flipped.csv', flipped);
    const targets = body.mapping.targets.map((t) =>
      t.kind === 'current' ? { ...t, positive: 'charge' } : t,
    );
    await ina.post('/api/headings', {
      names: body.names,
      mapping: { ...body.mapping, targets, directionConfirmed: true },
    });
    expect((await take(job, 'flipped.csv', flipped)).status).toBe(201);
    const report = (await newest(job)).result;
    expect(report.segments.find((s) => s.kind !== 'rest')!.kind).toBe('discharge');
  });
});

describe('a workbook', () => {
  const record = simulated(2, 0.9, drive);
  const csv = writeScanCsv(record, 3);

  async function workbook(rows: (string | number)[][]): Promise<Uint8Array> {
    const book = new ExcelJS.Workbook();
    book.addWorksheet('empty');
    const sheet = book.addWorksheet('scan');
    for (const row of rows) sheet.addRow(row);
    return new Uint8Array(await book.xlsx.writeBuffer());
  }

  it('gives the same record as the table it was made from', async () => {
    const rows = csv
      .trim()
      .split('\n')
      .map((l, i) => l.split(',').map((c) => (i === 0 ? c : Number(c))));
    const [asTable, asBook] = [await newJob(), await newJob()];
    expect((await take(asTable, 'scan.csv', csv)).status).toBe(201);
    const taken = await take(asBook, 'scan.xlsx', await workbook(rows));
    expect(taken.status).toBe(201);
    expect(taken.body.format).toBe('spreadsheet');
    expect((await newest(asBook)).result.nearFull).toEqual((await newest(asTable)).result.nearFull);
  });

  it('that is damaged, holds no table or is a trap ends in a clear message', async () => {
    const job = await newJob();
    const good = await workbook([
      ['time_s', 'current_A'],
      [0, 1],
    ]);
    expect((await take(job, 'cut.xlsx', good.slice(0, good.length / 2))).status).toBe(422);
    const few = await take<{ detail: string }>(job, 'few.xlsx', good);
    expect(few.body.detail).toMatch(/lacks every channel voltage/);
    // A small archive that unpacks to half a gigabyte of one character, made with the zip module of Python.
    const folder = mkdtempSync(join(tmpdir(), 'cellmend-trap-'));
    execFileSync('/usr/bin/python3', [
      '-c',
      'import sys, zipfile\nz = zipfile.ZipFile(sys.argv[1], "w", zipfile.ZIP_DEFLATED)\nz.writestr("[Content_Types].xml", "<Types/>")\nwith z.open("xl/worksheets/sheet1.xml", "w", force_zip64=True) as f:\n  for _ in range(500): f.write(b"a" * (1 << 20))\nz.close()',
      join(folder, 'trap.xlsx'),
    ]);
    const trap = await take<{ detail: string }>(
      job,
      'trap.xlsx',
      new Uint8Array(readFileSync(join(folder, 'trap.xlsx'))),
    );
    rmSync(folder, { recursive: true });
    expect(trap.status).toBe(422);
    expect(trap.body.detail).toMatch(/unpacks to far more/);
  });
});

it('one line without end is refused before it fills the memory', async () => {
  const job = await newJob();
  const endless = await take<{ detail: string }>(job, 'endless.csv', 'x'.repeat(60_000_000));
  expect(endless.status).toBe(422);
  expect(endless.body.detail).toMatch(/longer than a million characters/);
});

describe('a record longer than what is held of it in memory', () => {
  const long = simulated(9, 0.92, (random) => [
    { ...rest, sampleS: 1 },
    ...driveLegs(random, 4, 18, 1),
    { durationS: 1800, currentA: 0, sampleS: 1 },
  ]);
  const csv = writeScanCsv(long, 3);
  const rows = long.voltageV[0]!.timeS.length;

  it('is stored to the last reading, and gives the same finding when it is read back', async () => {
    expect(rows).toBeGreaterThan(16_384);
    const job = await newJob();
    const taken = await take(job, 'logger.csv', csv);
    expect(taken.status).toBe(201);
    expect(taken.body).toMatchObject({ rows, durationS: long.voltageV[0]!.timeS[rows - 1]! });
    const [held] = await bench.running.store.sequelize.query<{ count: string; parts: string; low: number }>(
      `SELECT sum(count) AS count, count(*) AS parts, min(low) AS low FROM scan_chunks
        WHERE scan_id = $1 AND signal = 'channel:60'`,
      { bind: [taken.body.id], type: QueryTypes.SELECT },
    );
    const values = [...long.voltageV[60]!.value].map((v) => Number(v.toFixed(3)));
    expect(Number(held!.count)).toBe(rows);
    expect(held!.low).toBe(Math.min(...values));
    const finding = await newest(job);
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${finding.id}/recompute`);
    expect(again.body.same).toBe(true);
    const traces = async (span = ''): Promise<Traces['channels'][number]> =>
      (await ina.get<Traces>(`/api/jobs/${job}/scans/${taken.body.id}/traces?channels=60${span}`)).body
        .channels[0]!;
    // All of it in a screen of points, with the lowest and the highest reading of all.
    const all = await traces();
    expect(all.timeS.length).toBeLessThanOrEqual(2 * MOST_STRETCHES);
    expect(all.stretch).toBeGreaterThan(1);
    expect([Math.min(...all.voltageV), Math.max(...all.voltageV)]).toEqual([
      Math.min(...values),
      Math.max(...values),
    ]);
    // A part of it: the readings as they were stored.
    const timeS = [...long.voltageV[60]!.timeS];
    const part = await traces(`&fromS=${timeS[9000]!}&toS=${timeS[9600]!}`);
    expect(part.stretch).toBe(1);
    const at = part.timeS.indexOf(timeS[9000]!);
    expect(part.voltageV.slice(at, at + 601)).toEqual(values.slice(9000, 9601));
  });
});

describe('a CAN log', () => {
  const sim = demoVehiclePack(pilotCar());
  const definition = vehicleDefinition(sim, 'Pilot car');
  const hex = (b: Uint8Array): string =>
    Array.from(b, (x) => x.toString(16).padStart(2, '0'))
      .join('')
      .toUpperCase();
  const record = simulated(3, 0.7, () => [{ durationS: 600, currentA: 0, sampleS: 20 }]);
  const log =
    Array.from(record.voltageV[0]!.timeS, (t, k) => {
      const answer = Uint8Array.from([
        0x62,
        0x48,
        0x01,
        ...record.voltageV.flatMap((s) => {
          const mv = Math.round(s.value[k]! * 1000);
          return [mv >> 8, mv & 255];
        }),
      ]);
      return isoTpFrames(answer)
        .map((f, i) => `(${(1_790_000_000 + t + i / 1000).toFixed(6)}) can0 7EC#${hex(f)}`)
        .join('\n');
    }).join('\n') +
    `\n(1790000700.000000) can0 7EC#07590200${hex(Uint8Array.from([0x0a, 0xa6, 0x00, 0x08]))}\n`;

  it('needs a definition, says so, and is read once there is one; its codes are kept as readings', async () => {
    const job = await newJob();
    const lacking = await take<{ type: string }>(job, 'drive.log', log);
    expect(lacking.body.type).toBe('urn:cellmend:no-definition');
    const dbc = await ina.post<{ kind: string; signals: number }>('/api/definitions', {
      name: 'Broadcast',
      text: VEHICLE_DBC,
    });
    expect(dbc.body).toMatchObject({ kind: 'dbc', signals: 3 });
    const uds = await ina.post('/api/definitions', { name: 'Pilot car', text: JSON.stringify(definition) });
    expect(uds.status).toBe(201);
    expect(
      (await ina.post('/api/definitions', { name: 'Pilot car', text: JSON.stringify(definition) })).status,
    ).toBe(409);
    for (const text of ['{"format":"other"}', '{"format":', 'BO_ nothing', `SG_ ${'9'.repeat(800_000)}`])
      expect((await ina.post('/api/definitions', { name: 'noise', text })).status, text.slice(0, 20)).toBe(
        422,
      );
    const more = await ina.post<{ id: string }>('/api/definitions', { name: 'More', text: VEHICLE_DBC });
    expect((await ina.call('DELETE', `/api/definitions/${more.body.id}`)).body).toEqual({ removed: 'More' });
    expect((await ina.call('DELETE', `/api/definitions/${more.body.id}`)).status).toBe(404);
    const preview = await look(job, 'drive.log', log);
    expect(preview.body).toMatchObject({ format: 'can', clear: true, definitions: ['Pilot car'] });
    const taken = await take(job, 'drive.log', log);
    expect(taken.status).toBe(201);
    // The answer is complete with its last frame, 24 ms later.
    expect(taken.body.startedAt).toBe(new Date(1_790_000_000_024).toISOString());
    const { body: readings } = await ina.get<Reading[]>(`/api/jobs/${job}/readings`);
    expect(readings.find((r) => r.kind === 'code')).toMatchObject({
      text: 'P0AA6-00',
      value: 8,
      conditions: 'confirmed',
    });
  });
});

describe('several records of one job', () => {
  it('are put on one time line: near full and near empty apart tell what neither could alone', async () => {
    const job = await newJob();
    const snapshot = (soc: number, seed: number) => simulated(seed, soc, () => [rest], 0);
    const weak = (soc: number, seed: number): string => {
      const r = snapshot(soc, seed);
      // A group that holds 85 %: level near full, far down near empty.
      const random = new Random(seed);
      const sim = healthyPack(pack, new Random(77), 0.9);
      sim.startSoc = soc;
      sim.channels[40]!.deltaSoc -= (1 / 0.85 - 1) * (0.97 - soc);
      return writeScanCsv({ ...r, voltageV: simulateRecord(sim, [rest], random).voltageV }, 3);
    };
    const at = (name: string, writtenAt: string): string =>
      `/api/jobs/${job}/scans?${new URLSearchParams({ name, role: 'before', writtenAt })}`;
    await ina.call('POST', at('full.csv', '2026-05-04T08:00:00Z'), weak(0.95, 4));
    const alone = (await newest(job)).result;
    expect(alone.tilt).toBeNull();
    await ina.call('POST', at('empty.csv', '2026-05-04T16:00:00Z'), weak(0.2, 5));
    // When a file was saved is not when it was recorded.
    const untold = await ina.get<Job>(`/api/jobs/${job}`);
    expect(untold.body.scans.map((s) => s.startedAt)).toEqual([null, null]);
    expect(untold.body.scans[0]!.notices.join()).toMatch(
      /does not say when it was recorded.*last saved on 4 May/,
    );
    const unknown = await newest(job);
    expect(unknown.result.judged!.join()).toMatch(/When one of the records was made is not known/);
    expect(unknown.result.judged!.join()).not.toMatch(/stood|unrecorded/);
    const say = (scan: number, moment: string, reason = '') =>
      ina.post(`/api/jobs/${job}/scans/${untold.body.scans[scan]!.id}/moment`, { at: moment, reason });
    expect((await say(0, '2026-05-04T08:00:00Z')).status).toBe(201);
    expect((await say(1, '2026-05-04T06:00:00Z')).status).toBe(201);
    expect((await say(1, '2026-05-04T16:00:00Z')).status).toBe(400);
    expect((await say(1, '2126-05-04T16:00:00Z', 'in a century')).status).toBe(400);
    expect((await say(1, '2026-05-04T16:00:00Z', 'the clock of the tablet')).status).toBe(201);
    const joined = await newest(job);
    expect(joined.result.judged!.join()).toMatch(/% of charge was drawn unrecorded/);
    expect(joined.inputIds).toHaveLength(2);
    expect(joined.result.tilt).not.toBeNull();
    expect(joined.result.findings[0]).toMatchObject({ channel: 'ch41', verdict: 'low-capacity' });
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${joined.id}/recompute`);
    expect(again.body.same).toBe(true);
    const { body } = await ina.get<Job>(`/api/jobs/${job}`);
    expect(body.scans.every((s) => s.findingId !== null)).toBe(true);
    const picture = await ina.get<ScanPicture>(`/api/jobs/${job}/scans/${body.scans[0]!.id}/picture`);
    expect(picture.body.deviationMv).toHaveLength(84);
  });
});

it('a file taken in twice is weighed once, and its newest reading counts', async () => {
  const job = await newJob();
  const drove = writeScanCsv(simulated(6, 0.9, drive, 0.15), 3);
  const later = writeScanCsv(simulated(7, 0.6, drive, 0.15), 3);
  await take(job, 'drive.csv', drove);
  const single = await newest(job);
  const second = await take(job, 'drive again.csv', drove);
  const { inputIds, result } = await newest(job);
  expect(inputIds).toEqual([second.body.id]);
  expect(result).toEqual(single.result);
  const third = await take(job, 'later.csv', later);
  // Both together are weighed behind the answer: on a busy machine what is shown first is the newest alone.
  await expect
    .poll(async () => [...(await newest(job)).inputIds].sort(), { timeout: 30_000 })
    .toEqual([second.body.id, third.body.id].sort());
});

describe('a meter at the terminals', () => {
  it('is weighed into the finding the moment it is recorded, and the finding can be computed again', async () => {
    const job = await newJob();
    const record = simulated(6, 0.6, () => [rest]);
    for (const v of [record.voltageV[40]!.value]) v.forEach((x, i) => (v[i] = x - 0.05));
    await take(job, 'snapshot.csv', writeScanCsv(record, 3));
    expect((await newest(job)).result.findings[0]).toMatchObject({
      channel: 'ch41',
      verdict: 'undetermined',
    });
    const median = (await newest(job)).result.nearFull ?? (await newest(job)).result.nearEmpty!;
    const meter = (place: string, value: number): Promise<Answer> =>
      ina.post(`/api/jobs/${job}/readings`, {
        kind: 'voltage',
        place,
        value,
        stage: 'findings',
        observedAt: new Date(Date.now() + 1000).toISOString(),
      });
    await meter('ch41', median.medianV);
    await meter('ch42', median.channels[41]!.voltageV!);
    await bench.settled();
    const settled = await newest(job);
    expect(settled.result.findings[0]).toMatchObject({ channel: 'ch41', verdict: 'sense-fault' });
    expect(settled.inputIds).toHaveLength(3);
    const again = await ina.post<{ same: boolean }>(`/api/jobs/${job}/findings/${settled.id}/recompute`);
    expect(again.body.same).toBe(true);
  });
});

describe('a live vehicle', () => {
  it('is read through its gateway, shown while it drives, and kept as a record', async () => {
    const job = await newJob();
    const sim = demoVehiclePack(pilotCar());
    const { vehicle, port } = await SimulatedVehicle.start(sim, {
      speed: 10,
      codes: [{ code: 'P0A80-00', status: 9 }],
    });
    const { body: definitions } = await ina.get<{ id: string; name: string }[]>('/api/definitions');
    const definitionId = definitions.find((d) => d.name === 'Pilot car')!.id;
    const source = { kind: 'socketcand', host: '127.0.0.1', port, bus: 'can0', definitionId };
    const started = await ina.post<LiveState>(`/api/jobs/${job}/live`, { source, role: 'before' });
    expect(started.status).toBe(201);
    expect((await ina.post(`/api/jobs/${job}/live`, { source, role: 'before' })).status).toBe(409);
    const abroad = await ina.post(`/api/jobs/${await newJob()}/live`, {
      source: { ...source, host: '203.0.113.9' },
      role: 'before',
    });
    expect(abroad.status).toBe(403);
    await new Promise((r) => setTimeout(r, 3000));
    const state = (await ina.get<LiveState>(`/api/jobs/${job}/live`)).body;
    expect(state.voltageV.every((v) => v !== null && v > 2)).toBe(true);
    expect(state.codes[0]!.code).toBe('P0A80-00');
    expect(state.codesRead).toBe(true);
    // A woken pack is judged by it: every channel replies, two temperatures, the code holds it back.
    const wake = wakeOfLive(normalisePack(pilotCar()), state);
    expect(wake).toMatchObject({ replies: pilotCar().channels.length, packV: null, codes: ['P0A80-00'] });
    expect(Object.keys(state.sensorsC).sort()).toEqual(['Temp_front', 'Temp_rear']);
    expect(wake.sumV).toBeCloseTo(
      state.voltageV.reduce<number>((s, v) => s + v!, 0),
      6,
    );
    const kept = await ina.post<ScanSummary>(`/api/jobs/${job}/live/keep`);
    expect(kept.status).toBe(201);
    expect(kept.body.format).toBe('can');
    await vehicle.stop();
    expect((await ina.get(`/api/jobs/${job}/live`)).body).toBeNull();
    expect((await ina.post(`/api/jobs/${job}/live/keep`)).status).toBe(404);
  });

  it('has its bus watched while it is switched ready: pre-charge is worked out of it, and kept with what it was read from', async () => {
    const number = await newJob();
    const signed = await ina.post(`/api/jobs/${number}/decisions`, {
      body: measures(['replace-fuse', 'main fuse']),
      baseVersion: 0,
    });
    expect(signed.status).toBe(201);
    const source = { kind: 'demo' };
    const watching = ina.post<BusTrace>(`/api/jobs/${number}/bus-watch`, { source, seconds: 7 });
    // Somebody else who asks the same vehicle meanwhile would take its answers for his: neither watches nor reads it.
    await new Promise((r) => setTimeout(r, 1500));
    const second = await ina.post<Problem>(`/api/jobs/${number}/bus-watch`, { source, seconds: 2 });
    expect([second.status, second.body.title]).toEqual([409, 'Read already']);
    expect((await ina.post(`/api/jobs/${number}/live`, { source, role: 'before' })).status).toBe(409);
    const watched = await watching;
    expect(watched.status).toBe(200);
    // Asked as fast as it answers: the rise of some tens of milliseconds is there, and the way down.
    expect(watched.body.timeS.length).toBeGreaterThan(200);
    expect(watched.body.timeS.length).toBeLessThanOrEqual(3000);
    const check = await ina.post<Check>(`/api/jobs/${number}/checks`, {
      check: 'contactors',
      passed: false,
      bus: watched.body,
    });
    expect(check.status).toBe(201);
    // What the figures say counts, not what was said beside them.
    expect(check.body.passed).toBe(true);
    expect(check.body.value!).toBeGreaterThan(95);
    expect(check.body.text).toMatch(/The main closed on (9\d|100) % of the pack or more/);
    expect(check.body.text).toMatch(/Switched off it is below 60 V after/);
    const proof = (await ina.get<Job>(`/api/jobs/${number}`)).body.proofs.find((p) => p.id === 'contactors')!;
    expect(check.body.text).toContain(proof.says);
    // A main that closes on three quarters is not proven, whoever says that it is.
    const early = {
      timeS: [0, 0.02, 0.04, 0.06, 0.08, 0.1],
      busV: [0, 130, 214, 266, 350, 350],
      toldPackV: 350,
    };
    await ina.post(`/api/jobs/${number}/checks`, { check: 'contactors', passed: true, bus: early });
    const after = (await ina.get<Job>(`/api/jobs/${number}`)).body.proofs.find((p) => p.id === 'contactors')!;
    expect(after.state).toBe('fail');
    const none = { timeS: [0, 1], busV: [0, 350] };
    const refused = await ina.post<Problem>(`/api/jobs/${number}/checks`, {
      check: 'contactors',
      passed: true,
      bus: none,
    });
    expect(refused.status).toBeGreaterThanOrEqual(400);
    expect(JSON.stringify(refused.body)).toMatch(/Four or more/);
  });

  it('belongs to one server process; any other shows it, refuses a second reading and keeps it; one that died lets go', async () => {
    const job = await newJob();
    const second = await bench.another();
    const there = new Client(`http://127.0.0.1:${second.port}`);
    there.cookie = ina.cookie;
    const demo = { source: { kind: 'demo' }, role: 'before' };
    expect((await ina.post(`/api/jobs/${job}/live`, demo)).status).toBe(201);
    await new Promise((r) => setTimeout(r, 2500));
    const seen = await there.get<LiveState>(`/api/jobs/${job}/live`);
    expect(seen.body.voltageV.some((v) => v !== null)).toBe(true);
    expect((await there.post(`/api/jobs/${job}/live`, demo)).status).toBe(409);
    const kept = await there.post<ScanSummary>(`/api/jobs/${job}/live/keep`);
    expect(kept.status).toBe(201);
    expect((await ina.get(`/api/jobs/${job}/live`)).body).toBeNull();
    expect((await there.post(`/api/jobs/${job}/live/keep`)).status).toBe(404);
    // Stopped from the other one, with nothing kept.
    await there.post(`/api/jobs/${job}/live`, demo);
    expect((await ina.call('DELETE', `/api/jobs/${job}/live`)).status).toBe(204);
    expect((await there.get(`/api/jobs/${job}/live`)).body).toBeNull();
    // As a process leaves it that died.
    await bench.running.store.sequelize.query(
      "INSERT INTO live_sessions (job_id, address, beat_at) SELECT id, 'http://127.0.0.1:9', now() - interval '1 minute' FROM jobs WHERE number = :job",
      { replacements: { job } },
    );
    expect((await ina.get(`/api/jobs/${job}/live`)).body).toBeNull();
    expect((await ina.post(`/api/jobs/${job}/live`, demo)).status).toBe(201);
    await ina.call('DELETE', `/api/jobs/${job}/live`);
    await second.close();
  });

  it('whose server ended, or whose database was away when it was to be kept, is found again with every reading', async () => {
    const job = await newJob();
    const way = await StoppableDatabase.before(bench.url);
    const second = await bench.another(way.url, { connectMs: 1500, lockMs: 1500, queryMs: 2000 });
    const there = new Client(`http://127.0.0.1:${second.port}`);
    there.cookie = ina.cookie;
    const demo = { source: { kind: 'demo' }, role: 'before' };
    expect((await there.post(`/api/jobs/${job}/live`, demo)).status).toBe(201);
    await new Promise((r) => setTimeout(r, 2500));
    way.hang();
    const away = await there.post(`/api/jobs/${job}/live/keep`);
    expect(away.status).toBe(503);
    way.goOn();
    const before = (await there.get<LiveState>(`/api/jobs/${job}/live`)).body;
    expect(before.readings).toBeGreaterThan(50);
    await second.close();
    await way.end();

    // Another server on the same machine: it is there, says that it was cut off, and lets nothing be read over it.
    await bench.running.store.sequelize.query(
      "UPDATE live_sessions SET beat_at = now() - interval '1 minute' WHERE job_id = (SELECT id FROM jobs WHERE number = :job)",
      { replacements: { job } },
    );
    const found = (await ina.get<LiveState>(`/api/jobs/${job}/live`)).body;
    expect(found).toMatchObject({ state: 'failed', role: 'before' });
    // What came in between the two looks is there too: then the newest volts are those.
    expect(found.readings).toBeGreaterThanOrEqual(before.readings);
    expect(found.voltageV).toHaveLength(before.voltageV.length);
    if (found.readings === before.readings) expect(found.voltageV).toEqual(before.voltageV);
    expect(found.voltageV.every((v) => Number.isFinite(v))).toBe(true);
    expect(found.message).toMatch(/interrupted; what was read until then is here/);
    expect((await ina.post<Problem>(`/api/jobs/${job}/live`, demo)).body.detail).toMatch(
      /neither kept nor given up/,
    );
    const kept = await ina.post<ScanSummary>(`/api/jobs/${job}/live/keep`);
    expect(kept.status).toBe(201);
    expect(kept.body.rows).toBeGreaterThan(1);
    expect((await ina.get(`/api/jobs/${job}/live`)).body).toBeNull();
    expect((await ina.post(`/api/jobs/${job}/live`, demo)).status).toBe(201);
    await ina.call('DELETE', `/api/jobs/${job}/live`);
    expect((await ina.get(`/api/jobs/${job}/live`)).body).toBeNull();
  });

  it('that is lost in the middle keeps what was read', async () => {
    const job = await newJob();
    const sim = demoVehiclePack(pilotCar());
    const { vehicle, port } = await SimulatedVehicle.start(sim);
    const { body: definitions } = await ina.get<{ id: string; name: string }[]>('/api/definitions');
    const definitionId = definitions.find((d) => d.name === 'Pilot car')!.id;
    await ina.post(`/api/jobs/${job}/live`, {
      source: { kind: 'socketcand', host: '127.0.0.1', port, bus: 'can0', definitionId },
      role: 'before',
    });
    await new Promise((r) => setTimeout(r, 1500));
    await vehicle.stop();
    await new Promise((r) => setTimeout(r, 300));
    const state = (await ina.get<LiveState>(`/api/jobs/${job}/live`)).body;
    expect(state.state).toBe('failed');
    expect(state.message).toMatch(/lost/);
    expect((await ina.post(`/api/jobs/${job}/live/keep`)).status).toBe(201);
  });
});
