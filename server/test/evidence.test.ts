import type { Photo } from '@cellmend/contract/photos';
import type { Quote } from '@cellmend/contract/quotes';
import type { OpenPoint } from '@cellmend/contract/stripdown';
import type { Check } from '@cellmend/contract/records';
import type { Job } from '@cellmend/contract/jobs';
import type { PartHistory } from '@cellmend/contract/stock';
import type { Problem } from '@cellmend/contract/problem';
import { randomUUID } from 'node:crypto';
import sharp from 'sharp';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { runSql } from '../../scripts/lib/postgres.mjs';
import { verifyRecord } from '../../scripts/lib/verify.mjs';
import { measures, newJob, proveDead, wakeOf } from './depot';
import { startBench, type Bench, type Client } from './harness';

let bench: Bench;
let ina: Client;
let n: number;
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
  n = await newJob(ina, 'Corrie', 'evidence');
});
afterAll(() => bench.end());

/** A photograph as a phone makes it: turned by its EXIF, with the place it was taken at. */
const phone = (width: number, height: number): Promise<Buffer> =>
  sharp({ create: { width, height, channels: 3, background: '#7a8f6a' } })
    .jpeg()
    .withMetadata({ orientation: 6 })
    .withExifMerge({
      IFD0: { Model: 'Invented 3' },
      IFD3: { GPSLatitudeRef: 'N', GPSLatitude: '54/1 10/1 0/1' },
    })
    .toBuffer();
const take = (file: Buffer, more: object = {}, key: string = randomUUID()) =>
  ina.post<Photo & Problem>(
    `/api/jobs/${n}/photos`,
    { image: file.toString('base64'), stage: 'strip-down', observedAt: bench.clock.iso(), ...more },
    { 'idempotency-key': key },
  );
const bytesOf = async (path: string, cookie = ina.cookie): Promise<Buffer> => {
  const answer = await fetch(`${bench.address}${path}`, { headers: { cookie, 'x-cellmend': '1' } });
  expect(answer.status).toBe(200);
  expect(answer.headers.get('content-type')).toBe('image/jpeg');
  return Buffer.from(await answer.arrayBuffer());
};
/** Markers of a JPEG up to its scan, by ITU-T T.81, B.1: two bytes of marker, two of length. */
function markers(jpeg: Buffer): string[] {
  const found: string[] = [];
  for (let at = 2; jpeg[at] === 0xff && jpeg[at + 1] !== 0xda; at += 2 + jpeg.readUInt16BE(at + 2))
    found.push(jpeg[at + 1]!.toString(16));
  return found;
}

describe('a photograph', () => {
  it('is drawn anew: upright, no larger than it need be, with nothing that came with the file', async () => {
    const file = await phone(3000, 1800);
    // APP1 (e1) is where EXIF stands.
    expect(markers(file)).toContain('e1');
    const { status, body } = await take(file, { place: 'M02', note: 'white crust on tap 3' });
    expect(status).toBe(201);
    expect(body).toMatchObject({ place: 'M02', note: 'white crust on tap 3', widthPx: 960, heightPx: 1600 });
    const kept = await bytesOf(`/api/photos/${body.id}`);
    expect(markers(kept)).not.toContain('e1');
    expect(kept.includes('Invented 3')).toBe(false);
    const small = await bytesOf(`/api/photos/${body.id}/small`);
    expect(await sharp(small).metadata()).toMatchObject({ width: 192, height: 320 });
    const nobody = await fetch(`${bench.address}/api/photos/${body.id}`, { headers: { 'x-cellmend': '1' } });
    expect(nobody.status).toBe(401);
  });

  it('is there once however often it is sent, and is shown no more once withdrawn, while the record keeps it', async () => {
    const key = randomUUID();
    const file = await phone(400, 300);
    const at = { place: 'lid', observedAt: bench.clock.iso() };
    const twice = await Promise.all([take(file, at, key), take(file, at, key)]);
    expect(twice.map((t) => t.status)).toEqual([201, 201]);
    const list = async (): Promise<Photo[]> => (await ina.get<Photo[]>(`/api/jobs/${n}/photos`)).body;
    const [lid] = (await list()).filter((p) => p.place === 'lid');
    expect((await list()).filter((p) => p.place === 'lid')).toHaveLength(1);
    const away = await ina.post(`/api/jobs/${n}/photos/${lid!.id}/withdraw`, { reason: 'the wrong lid' });
    expect(away.status).toBe(201);
    expect((await ina.post(`/api/jobs/${n}/photos/${lid!.id}/withdraw`, { reason: 'again' })).status).toBe(
      409,
    );
    expect((await list()).some((p) => p.id === lid!.id)).toBe(false);
    expect((await bytesOf(`/api/photos/${lid!.id}`)).length).toBeGreaterThan(100);
  });

  it('is told by its content: what is none, is cut off, has too many pixels or no place is refused, and nothing is kept', async () => {
    const whole = await phone(800, 600);
    const svg = Buffer.from(
      '<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///etc/passwd"/></svg>',
    );
    // A PNG of a few kilobytes that says it is 30,000 by 30,000: 900 million pixels.
    const bomb = await sharp({ create: { width: 64, height: 64, channels: 3, background: '#fff' } })
      .png()
      .toBuffer();
    bomb.writeUInt32BE(30_000, 16);
    bomb.writeUInt32BE(30_000, 20);
    const count = (): string => runSql(bench.url, 'SELECT count(*) FROM photo_files').trim();
    const before = count();
    for (const [name, file, status] of [
      ['an SVG', svg, 422],
      ['a PDF', Buffer.from('%PDF-1.7 nothing'), 422],
      ['a JPEG that is cut off', whole.subarray(0, Math.floor(whole.length / 2)), 422],
      ['noise after the mark of a JPEG', Buffer.concat([whole.subarray(0, 3), Buffer.alloc(4000, 7)]), 422],
      ['too many pixels', bomb, 422],
      ['empty', Buffer.alloc(0), 422],
      ['over 8 MB', Buffer.concat([whole, Buffer.alloc(8.2 * 1024 * 1024)]), 413],
      ['over any body', Buffer.concat([whole, Buffer.alloc(14 * 1024 * 1024)]), 413],
    ] as const)
      expect((await take(file)).status, name).toBe(status);
    expect((await take(whole, { place: 'M99' })).body.detail).toMatch(/no M99/);
    expect((await take(whole, { image: 'not base64!' })).status).toBe(400);
    const viewer = await bench.as('Bettine Vale');
    expect((await viewer.post(`/api/jobs/${n}/photos`, { image: whole.toString('base64') })).status).toBe(
      403,
    );
    expect(count()).toBe(before);
  });

  it('of a place belongs to the part that stood there, and a label finds its part in whatever case', async () => {
    const taken = await ina.post(`/api/jobs/${n}/salvage`, {
      places: ['M02'],
      to: 'quarantine',
      reason: 'crust',
    });
    expect(taken.status).toBe(423);
    await proveDead(ina, bench, n);
    expect(
      (await ina.post(`/api/jobs/${n}/salvage`, { places: ['M02'], to: 'quarantine', reason: 'crust' }))
        .status,
    ).toBe(201);
    const { removed } = (await ina.get<Job>(`/api/jobs/${n}`)).body;
    const label = removed[0]!.label;
    const found = await ina.get<{ id: string }>(`/api/parts?label=${label.toLowerCase()}`);
    expect(found.status).toBe(200);
    await take(await phone(300, 200), { place: 'M02', note: 'after it was out' });
    const { photos } = (await ina.get<PartHistory>(`/api/stock/${found.body.id}`)).body;
    // The one from while it stood there, not the one of the empty place.
    expect(photos).toHaveLength(1);
    expect((await ina.get(`/api/parts?label=S-999`)).status).toBe(404);
  });

  it('that is changed or taken away in the database is told by the record', () => {
    expect(verifyRecord(bench.url).breaks).toBe(0);
    const strike = (sql: string): void =>
      void runSql(bench.url, `SET session_replication_role = replica; ${sql}`);
    strike(
      `CREATE TABLE kept AS SELECT * FROM photo_files; UPDATE photo_files SET bytes = bytes || 'x'::bytea`,
    );
    expect(verifyRecord(bench.url).first).toMatchObject({ how: 'the photograph was changed' });
    strike('DELETE FROM photo_files');
    expect(verifyRecord(bench.url).first).toMatchObject({ how: 'the photograph is gone' });
    strike('INSERT INTO photo_files SELECT * FROM kept; DROP TABLE kept');
    expect(verifyRecord(bench.url).breaks).toBe(0);
  });
});

describe('an open point', () => {
  it('stands until somebody says how it was put right, and stays in the record then', async () => {
    const add = (body: object) =>
      ina.post<{ id: string }>(`/api/jobs/${n}/open-points`, {
        stage: 'rebuild',
        observedAt: bench.clock.iso(),
        ...body,
      });
    expect((await add({ what: 'other' })).status).toBe(400);
    expect((await add({ what: 'thread damaged', place: 'M77' })).status).toBe(400);
    const { body } = await add({ what: 'thread damaged', place: 'lid', text: 'front left, bolt 3' });
    const list = async (): Promise<OpenPoint[]> =>
      (await ina.get<OpenPoint[]>(`/api/jobs/${n}/open-points`)).body;
    expect(await list()).toMatchObject([
      { what: 'thread damaged', place: 'lid', mended: null, by: 'Ina Holm' },
    ]);
    const mend = (how: string) => ina.post(`/api/jobs/${n}/open-points/${body.id}/mended`, { how });
    expect((await mend('')).status).toBe(400);
    expect((await mend('thread insert M6, torqued')).status).toBe(201);
    expect((await mend('twice')).status).toBe(409);
    expect(await list()).toMatchObject([{ mended: { how: 'thread insert M6, torqued' } }]);
  });
});

describe('the closed pack that is woken', () => {
  it('passes by its figures, never by somebody saying so; coolant by its pressures where they are known', async () => {
    await proveDead(ina, bench, n);
    const { pack } = (await ina.get<Job>(`/api/jobs/${n}`)).body;
    const check = (body: object) =>
      ina.post<Check & Problem>(`/api/jobs/${n}/checks`, { passed: true, ...body });
    expect((await check({ check: 'wakes' })).body.detail).toMatch(
      /worked out from what its management unit shows/,
    );
    const good = wakeOf(pack);
    expect((await check({ check: 'wakes', passed: false, wake: good })).body).toMatchObject({
      passed: true,
      value: expect.closeTo(4, 6) as number,
      unit: 'mV',
    });
    const codes = await check({ check: 'wakes', wake: { ...good, codes: ['P0B3C'], warmestC: null } });
    expect(codes.body.passed).toBe(false);
    expect(codes.body.text).toBe('Temperatures are not known. Codes: P0B3C.');
    const leak = { startKpa: 100, endKpa: 92, startC: 25, endC: 15, minutes: 10, allowedKpa: 2 };
    expect((await check({ check: 'coolant-tight', leak })).body).toMatchObject({ passed: true, unit: 'kPa' });
    expect((await check({ check: 'coolant-tight', leak: { ...leak, endC: 25 } })).body.passed).toBe(false);
  });

  it('waits for joints that stand out to be made again', async () => {
    const j = await newJob(ina, 'Corrie', 'joints');
    await proveDead(ina, bench, j);
    const tick = (part: string, off: boolean, more: object = {}) =>
      ina.post(`/api/jobs/${j}/strip-down/ticks`, {
        part,
        off,
        note: 'as it came',
        observedAt: bench.clock.iso(),
        ...more,
      });
    for (const part of ['L2', 'L3', 'L4']) expect((await tick(part, true)).status).toBe(201);
    for (const [part, microohm] of [
      ['L4', 50],
      ['L3', 48],
      ['L2', 160],
    ] as const)
      await tick(part, false, { microohm });
    await ina.post(`/api/jobs/${j}/decisions`, { body: measures(['mend-joint', 'L3']), baseVersion: 0 });
    await ina.post(`/api/jobs/${j}/checks`, { check: 'joints', place: 'L3', passed: true });
    const met = async (): Promise<boolean | undefined> =>
      (await ina.get<Job>(`/api/jobs/${j}`)).body.steps.find((s) => s.evidence === 'joints')?.met;
    expect(await met()).toBe(false);
    await tick('L2', true);
    await tick('L2', false, { microohm: 52 });
    expect(await met()).toBe(true);
  });
});

describe('a quote', () => {
  it('stands as it was given, with costs worked out here; what was chosen is one of its options', async () => {
    const sure = (v: number) => ({ low: v, likely: v, high: v });
    const option = (name: string, cost: number, years: number) => ({
      name,
      cost: sure(cost),
      yearsLeft: sure(years),
      comebackProbability: 0,
      comebackCost: sure(cost),
    });
    const body = {
      horizonYears: 4,
      distanceKmPerYear: 12_000,
      options: [option('Leave it', 0, 1), option('Modules', 640, 2), option('Used pack', 1500, 8)],
      validUntil: '2030-01-31',
      observedAt: bench.clock.iso(),
    };
    const give = (more: object = {}) =>
      ina.post<Quote & Problem>(`/api/jobs/${n}/quotes`, { ...body, ...more });
    const { status, body: given } = await give();
    expect(status).toBe(201);
    // Certain figures: cost over the years it lasts, of which at most four count; leaving it is no answer.
    expect(given.options.map((o) => o.costPerYear.p50)).toEqual([0, 320, 375]);
    expect(given.options.map((o) => o.chanceCheapest)).toEqual([0, 1, 0]);
    for (const wrong of [
      { options: [body.options[0]] },
      { options: [body.options[1], body.options[1]] },
      { chosen: 'New pack' },
      { horizonYears: 0 },
      { options: [body.options[0], { ...body.options[1], cost: { low: 5, likely: 4, high: 6 } }] },
    ])
      expect((await give(wrong)).status, JSON.stringify(wrong)).toBe(400);
    expect((await give({ chosen: 'Modules' })).status).toBe(201);
    const list = (await ina.get<Quote[]>(`/api/jobs/${n}/quotes`)).body;
    expect(list.map((q) => q.chosen)).toEqual(['Modules', null]);
    expect(list[0]!.options).toEqual(given.options);
  });
});
