import type { Finding, FindingOf, Tried } from '@cellmend/contract/findings';
import type { InsulationEntry } from '@cellmend/contract/insulation';
import type { BoardRow, Job, ScanSummary } from '@cellmend/contract/jobs';
import type { StoredProfile } from '@cellmend/contract/pack';
import type { Problem } from '@cellmend/contract/problem';
import type { MapChecked, ScanPicture, ScanPreview } from '@cellmend/contract/scans';
import type { SpreadReport } from '@cellmend/core/diagnosis';
import ExcelJS from 'exceljs';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { newJob, packsOf } from './depot';
import { Client, startBench, type Answer, type Bench } from './harness';

// What most workshops hold: numbers from a meter, a screen, a spreadsheet somebody laid out, an archive of exports.

let bench: Bench;
let ina: Client;
let ids: string[];
const folder = mkdtempSync(join(tmpdir(), 'cellmend-hand-'));
beforeAll(async () => {
  bench = await startBench();
  ina = await bench.as('Ina Holm');
  ids = (await packsOf(ina)).find((p) => p.name.startsWith('Corrie'))!.profile.channels.map((c) => c.id);
});
afterAll(() => bench.end());

interface Told {
  detail: string;
  type: string;
  accepted?: string;
}
const typed = (n: number, volts: (number | null)[], more: object = {}): Promise<Answer<ScanSummary & Told>> =>
  ina.post(`/api/jobs/${n}/scans/typed`, {
    role: 'before',
    end: 'unknown',
    how: 'typed',
    volts,
    currentA: 0,
    temperatureC: 21,
    observedAt: new Date().toISOString(),
    ...more,
  });
const file = (n: number, name: string, bytes: Uint8Array, query = ''): Promise<Answer<ScanSummary & Told>> =>
  ina.post(`/api/jobs/${n}/scans?name=${name}&role=before${query}`, bytes);
const preview = (n: number, name: string, bytes: Uint8Array, query = ''): Promise<Answer<ScanPreview>> =>
  ina.post(`/api/jobs/${n}/scans/preview?name=${name}${query}`, bytes);
const text = (s: string): Uint8Array => new TextEncoder().encode(s);
const spreadOf = async (n: number): Promise<SpreadReport> =>
  (await ina.get<Finding[]>(`/api/jobs/${n}/findings`)).body.find((f) => f.topic === 'spread')!
    .result as SpreadReport;
/** Eighty-four voltages of a screen: alike, but for one. */
const screen = (v: number, odd = 0): number[] =>
  ids.map((_, i) => Number((v + (i % 8) * 0.001 + (i === 33 ? odd : 0)).toFixed(3)));
/** The demo depot's archive tool is Debian's python3. */
function zipped(name: string, entries: Record<string, string>): Uint8Array {
  const path = join(folder, name);
  writeFileSync(`${path}.json`, JSON.stringify(entries));
  execFileSync('python3', [
    '-c',
    'import json,sys,zipfile\nz=zipfile.ZipFile(sys.argv[1],"w",zipfile.ZIP_DEFLATED)\nfor n,t in json.load(open(sys.argv[1]+".json")).items(): z.writestr(n,t)\nz.close()',
    path,
  ]);
  return readFileSync(path);
}

describe('voltages typed by hand', () => {
  it('two screens, full and empty, make a tilt; nothing is said of what they do not measure', async () => {
    const n = await newJob(ina, 'Corrie', 'two screens');
    const full = await typed(n, screen(4.021), { end: 'near-full' });
    expect(full.status).toBe(201);
    expect(full.body).toMatchObject({
      rows: 1,
      format: 'typed',
      name: expect.stringMatching(/^Typed, near full, 8\d %$/) as string,
    });
    const report = await spreadOf(n);
    expect(report.nearEmpty).toBeNull();
    const empty = await typed(n, screen(3.402, -0.31), {
      end: 'near-empty',
      observedAt: new Date(Date.now() + 3_600_000).toISOString(),
    });
    expect(empty.status).toBe(201);
    const both = await spreadOf(n);
    expect(both.tilt).not.toBeNull();
    expect(both.findings.map((f) => f.channelIndex)).toEqual([33]);
    expect(both).toMatchObject({ capacityAh: { measured: false }, usableKm: { measured: false } });
  });

  it('a dead group is named from one screen; what was not read is left out and said', async () => {
    const n = await newJob(ina, 'Corrie', 'one screen');
    const volts: (number | null)[] = screen(3.98, -2.36);
    volts[5] = null;
    const { body } = await typed(n, volts);
    expect(body.notices).toContain('1 channel was not read.');
    const report = await spreadOf(n);
    expect(report.settledV[5]).toBeNull();
    expect(report.findings.map((f) => [f.channelIndex, f.verdict])).toContainEqual([33, 'dead']);
    expect(report.findings.some((f) => f.channelIndex === 5)).toBe(false);
  });

  it('what was said of the charge and what the curve says may not go together: it is said', async () => {
    const n = await newJob(ina, 'Corrie', 'said full');
    const { body } = await typed(n, screen(3.5), { end: 'near-full', currentA: null });
    expect(body.notices.join(' ')).toMatch(
      /Said to be near full; by the rest curve the pack stands at \d+ %/,
    );
    expect(body.notices.join(' ')).toMatch(/Nobody said whether current flowed/);
  });

  it('another count of channels, or none, is refused, and nothing is stored', async () => {
    const n = await newJob(ina, 'Corrie', 'too few');
    for (const volts of [screen(3.9).slice(1), ids.map(() => null), [] as number[]])
      expect((await typed(n, volts)).status).toBe(400);
    expect((await typed(n, [...screen(3.9).slice(1), 93])).body.detail).toMatch(/more than a cell can give/);
    expect((await ina.get<Job>(`/api/jobs/${n}`)).body.scans).toEqual([]);
  });

  it('read with a scan of the same rest they bear the map out, or say how it is wrong', async () => {
    const n = await newJob(ina, 'Corrie', 'map');
    const scanned = ids.map((_, i) => Number((3.9 + ((i * 37) % 29) / 500).toFixed(3)));
    const csv = `${['time_s', 'current_A', ...ids.map((i) => `${i}_V`)].join(',')}\n${[0, 60].map((t) => [t, 0, ...scanned].join(',')).join('\n')}\n`;
    const check = async (): Promise<MapChecked | null> =>
      (await ina.get<MapChecked | null>(`/api/jobs/${n}/map-check`)).body;
    expect(await check()).toBeNull();
    await file(n, 'scan.csv', text(csv));
    expect(await check()).toBeNull();
    const metered = scanned.map((v) => v - 0.002);
    await typed(n, metered);
    expect(await check()).toMatchObject({ verdict: 'proven', compared: 84, scan: 'scan.csv' });
    const [a, b] = [scanned.indexOf(Math.min(...scanned)), scanned.indexOf(Math.max(...scanned))];
    await typed(
      n,
      metered.map((v, i) => (i === a ? metered[b]! : i === b ? metered[a]! : v)),
    );
    const offered = await check();
    expect(offered).toMatchObject({ verdict: 'disproven', instead: [{}, {}] });
    await bench.settled();
    // While two maps fit the board names no module.
    const row = (await ina.get<{ rows: BoardRow[] }>('/api/jobs')).body.rows.find((r) => r.number === n);
    expect(row).toMatchObject({
      detail: 'Two maps fit what was metered: sign one first. What is to be done?',
      marks: [],
    });

    // Somebody who may not sign, and a signature under what is no longer so, change nothing.
    const packs = async (): Promise<StoredProfile> => (await packsOf(ina)).find((p) => p.id === before.id)!;
    const before = (await packsOf(ina)).find((p) => p.name.startsWith('Corrie'))!;
    const unsigned = await bench.as('Bettine Vale');
    expect((await unsigned.post(`/api/jobs/${n}/map-check`, { instead: offered!.instead })).status).toBe(403);
    const stale = await ina.post<Problem>(`/api/jobs/${n}/map-check`, {
      instead: [...offered!.instead].reverse(),
    });
    expect([stale.status, stale.body.detail]).toEqual([
      409,
      expect.stringMatching(/no longer say what was signed/),
    ]);
    expect((await packs()).version).toBe(before.version);

    // Signed: the scan is at its places, what was metered stays where it was metered, and the meter bears it out.
    const scan = (await ina.get<Job>(`/api/jobs/${n}`)).body.scans.find((s) => s.name === 'scan.csv')!;
    const spreads = async (): Promise<FindingOf<'spread'>[]> =>
      (await ina.get<Finding[]>(`/api/jobs/${n}/findings`)).body.filter((f) => f.topic === 'spread');
    const alone = async (): Promise<(number | null)[]> => {
      const { status, body } = await ina.post<Tried<'spread'>>(`/api/jobs/${n}/findings/try`, {
        topic: 'spread',
        role: 'before',
        scanIds: [scan.id],
      });
      expect(status).toBe(200);
      return body.result.settledV;
    };
    const picture = async (): Promise<(number | null)[]> =>
      (await ina.get<ScanPicture>(`/api/jobs/${n}/scans/${scan.id}/picture`)).body.deviationMv.map(
        (x) => x[0]!,
      );
    const trace = async (): Promise<number> =>
      (
        await ina.get<{ channels: { voltageV: number[] }[] }>(
          `/api/jobs/${n}/scans/${scan.id}/traces?channels=${a}`,
        )
      ).body.channels[0]!.voltageV[0]!;
    const old = (await spreads())[0]!;
    const was = { settled: await alone(), picture: await picture(), trace: await trace() };
    expect((await ina.post(`/api/jobs/${n}/map-check`, { instead: offered!.instead })).status).toBe(201);
    await bench.settled();
    const now = await packs();
    expect(now.version).toBe(before.version + 1);
    expect(now.profile.channels[a]).toMatchObject({ id: ids[a], reportedAs: ids[b] });
    expect(now.profile.modules).toEqual(before.profile.modules);
    const exchanged = <T>(x: T[]): T[] => x.map((v, i) => (i === a ? x[b]! : i === b ? x[a]! : v));
    expect(await alone()).toEqual(exchanged(was.settled));
    expect(await picture()).toEqual(exchanged(was.picture));
    expect(await trace()).toBeCloseTo(scanned[b]!, 6);
    expect(was.trace).toBeCloseTo(scanned[a]!, 6);
    expect(await check()).toMatchObject({ verdict: 'proven', off: [], instead: [] });
    // The finding of before can be computed again as it was, by the wires as they were drawn then.
    expect((await ina.post<{ same: boolean }>(`/api/jobs/${n}/findings/${old.id}/recompute`)).body.same).toBe(
      true,
    );
    expect((await spreads())[0]!.id).not.toBe(old.id);
    expect((await spreads())[0]!.profileVersion).toBe(now.version);
  });
});

describe('what the vehicle says of the whole pack', () => {
  const table = (clock: string[], rows: (n: number) => string[]): Uint8Array => {
    const heading = [
      'time',
      'current_A',
      'Pack voltage (V)',
      'Isolation resistance (kOhm)',
      ...ids.map((id) => `${id}_V`),
    ];
    const lines = clock.map((t, n) => [t, '0', ...rows(n), ...screen(3.31)].join(','));
    return text([heading.join(','), ...lines].join('\n'));
  };
  const packV = (): number => screen(3.31).reduce((a, b) => a + b, 0);
  const figures = async (n: number): Promise<InsulationEntry[]> =>
    (await ina.get<InsulationEntry[]>(`/api/jobs/${n}/insulation`)).body.filter(
      (e) => e.supersededBy === null,
    );

  it('its insulation figure is taken from the column of a scan, at the moment it was read', async () => {
    const n = await newJob(ina, 'Corrie', 'insulation in a scan');
    const clock = ['2026-10-01T08:00:00Z', '2026-10-01T08:10:00Z', '2026-10-01T08:20:00Z'];
    const kept = await file(
      n,
      'drive.csv',
      table(clock, (k) => [packV().toFixed(1), ['0', '612', '610'][k]!]),
    );
    expect(kept.status).toBe(201);
    const [entry] = await figures(n);
    expect(entry!.observation).toMatchObject({
      kind: 'vehicle',
      ohm: 612e3,
      readAt: '2026-10-01T08:20:00.000Z',
    });
    expect((await spreadOf(n)).total!.missesV).toBeCloseTo(0, 1);
    const forged = await ina.post(`/api/jobs/${n}/insulation`, {
      observation: {
        kind: 'vehicle',
        ohm: 9e6,
        signalV: null,
        fromScan: { id: kept.body.id, name: 'drive.csv' },
      },
    });
    expect(forged.status).toBe(422);
  });

  it('a file whose clock is ahead is not the newest for ever: it was read when it came in at the latest', async () => {
    const n = await newJob(ina, 'Corrie', 'a clock that is ahead');
    const clock = ['2031-01-01T08:00:00Z', '2031-01-01T08:10:00Z'];
    await file(
      n,
      'ahead.csv',
      table(clock, () => [packV().toFixed(1), '900']),
    );
    const { observation } = (await figures(n))[0]! as { observation: { readAt: string } };
    expect(Date.parse(observation.readAt)).toBeLessThanOrEqual(Date.now() + 1000);
  });

  it('of a file without a clock it counts once somebody has said when, and moves when that is corrected', async () => {
    const n = await newJob(ina, 'Corrie', 'insulation without a clock');
    const kept = await file(
      n,
      'drive.csv',
      table(['0', '60', '120'], () => [packV().toFixed(1), '540']),
    );
    expect(kept.body.notices.join(' ')).toContain(
      'insulation figure, which counts once somebody has said when',
    );
    expect(await figures(n)).toEqual([]);
    const say = (at: string, reason = '') =>
      ina.post(`/api/jobs/${n}/scans/${kept.body.id}/moment`, { at, reason });
    await say('2026-09-03T10:00:00Z');
    expect((await figures(n))[0]!.observation).toMatchObject({
      ohm: 540e3,
      readAt: '2026-09-03T10:02:00.000Z',
    });
    await say('2026-09-04T10:00:00Z', 'it was the day after');
    const now = await figures(n);
    expect(now).toHaveLength(1);
    expect(now[0]!.observation).toMatchObject({ readAt: '2026-09-04T10:02:00.000Z' });
  });

  it('a typed screen with the pack’s own voltage weighs a channel’s reading, and the charge it shows', async () => {
    const n = await newJob(ina, 'Corrie', 'a screen with its total');
    const low = screen(3.31, -1.8);
    expect((await typed(n, low, { packV: packV(), shownSocFraction: 0.9 })).status).toBe(201);
    const report = await spreadOf(n);
    expect(report.total!.missesV).toBeCloseTo(1.8, 1);
    const [f] = report.findings;
    const wrong =
      f!.verdict === 'sense-fault'
        ? f!.confidence
        : f!.alternatives.find((a) => a.verdict === 'sense-fault')!.confidence;
    expect(wrong).toBeGreaterThan(0.5);
  });
});

describe('tables that somebody laid out', () => {
  it('channels in rows; a second sheet of a workbook; units in the cells', async () => {
    const n = await newJob(ina, 'Corrie', 'tables');
    const rows = await file(
      n,
      'rows.csv',
      text(
        `Cell;U\n${screen(3.9)
          .map((v, i) => `${ids[i]};${v} V`)
          .join('\n')}\n`,
      ),
    );
    expect(rows.body).toMatchObject({
      rows: 1,
      notices: expect.arrayContaining(['The channels stand in rows: the table was turned.']) as string[],
    });
    const book = new ExcelJS.Workbook();
    book.addWorksheet('Notes').addRows([
      ['Vehicle', 'T-9'],
      ['Seen', 'green residue'],
    ]);
    book.addWorksheet('Empty');
    book.addWorksheet('Cells').addRows([['Cell', 'mV'], ...screen(3.8).map((v, i) => [ids[i], v * 1000])]);
    const bytes = new Uint8Array(await book.xlsx.writeBuffer());
    expect((await preview(n, 'book.xlsx', bytes)).body).toMatchObject({ clear: true, missingChannels: [] });
    expect((await file(n, 'book.xlsx', bytes)).body).toMatchObject({ rows: 1, format: 'spreadsheet' });
    expect((await spreadOf(n)).settledV[0]).toBeCloseTo(3.8, 2);
  });

  it('several rows without a time ask how far they are apart, once', async () => {
    const n = await newJob(ina, 'Corrie', 'no time');
    const csv = text(
      `${ids.map((i) => `${i}_V`).join(',')}\n${[3.9, 3.91].map((v) => screen(v).join(',')).join('\n')}\n`,
    );
    const seen = (await preview(n, 'untimed.csv', csv)).body;
    expect(seen).toMatchObject({ clear: false, untimed: true });
    expect((await file(n, 'untimed.csv', csv)).body).toMatchObject({ type: 'urn:cellmend:no-interval' });
    await ina.post('/api/headings', { names: seen.names, mapping: { ...seen.mapping, intervalS: 10 } });
    expect((await preview(n, 'untimed.csv', csv)).body.clear).toBe(true);
    expect((await file(n, 'untimed.csv', csv)).body).toMatchObject({ rows: 2, durationS: 10 });
  });

  it('an archive of one table is that table; of several each is taken by its name; of none it says so', async () => {
    const n = await newJob(ina, 'Corrie', 'archives');
    const table = (v: number): string =>
      `${['time_s', ...ids.map((i) => `${i}_V`)].join(',')}\n${[0, ...screen(v)].join(',')}\n`;
    const one = zipped('one.zip', { 'export/full.csv': table(4.0), 'readme.md': 'hello' });
    expect((await file(n, 'one.zip', one)).body).toMatchObject({ rows: 1 });
    const two = zipped('two.zip', { 'full.csv': table(4.01), 'empty.csv': table(3.41) });
    expect((await preview(n, 'two.zip', two)).body.entries).toEqual(['empty.csv', 'full.csv']);
    expect((await file(n, 'two.zip', two)).body.accepted).toMatch(/empty\.csv, full\.csv/);
    expect((await file(n, 'two.zip', two, '&entry=full.csv')).status).toBe(201);
    expect((await file(n, 'two.zip', two, '&entry=../../etc/passwd')).status).toBe(422);
    expect((await file(n, 'none.zip', zipped('none.zip', { 'a.md': 'x' }))).body.detail).toMatch(
      /holds no table/,
    );
    const broken = one.slice(0, one.length - 30);
    expect((await file(n, 'broken.zip', broken)).body.detail).toMatch(/cannot be opened|damaged/);
    expect((await ina.get<Job>(`/api/jobs/${n}`)).body.scans).toHaveLength(2);
  });
});

it('the demo’s jobs are half-way through a piece of work: what was typed makes its findings', async () => {
  const demo = await startBench(true, 1000, true);
  try {
    await demo.running.filled;
    const bettine = await demo.as('Bettine Vale');
    const jobs = [138, 141, 142, 143, 146];
    const told = await Promise.all(jobs.map(async (n) => (await bettine.get<Job>(`/api/jobs/${n}`)).body));
    expect(told.map((j) => j.scans.length)).toEqual([2, 2, 1, 2, 1]);
    expect(told.every((j) => j.decisions.some((d) => d.topic === 'intake'))).toBe(true);
    const standing = (await bettine.get<Finding[]>('/api/jobs/143/findings')).body.find(
      (f) => f.topic === 'spread',
    )!.result as SpreadReport;
    expect(standing.findings.map((f) => f.channelIndex)).toEqual([52]);
    // The middle of the lower tier, and a flooded corner: four wet modules and a board.
    const lines = told.map((j) =>
      j.decisions.flatMap((d) =>
        d.body.topic === 'measures' ? d.body.measures.map((m) => `${m.kind} ${m.place}`) : [],
      ),
    );
    expect(lines[1]).toEqual(['replace-module M02']);
    expect(lines[2]).toEqual([
      'replace-board SB2',
      'replace-module M04',
      'dry M03',
      'dry M05',
      'dry M10',
      'seal V2, rear right',
    ]);
    const worst = (await bettine.get<Finding[]>('/api/jobs/141/findings')).body.find(
      (f) => f.topic === 'spread',
    )!.result as SpreadReport;
    expect(worst.findings[0]).toMatchObject({ module: 'M02', channel: 'ch09' });
  } finally {
    await demo.end();
  }
});
