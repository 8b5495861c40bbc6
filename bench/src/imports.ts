import { normalisePack } from '@cellmend/core/pack';
import { CsvScanReader, writeScanCsv, type ScanRecord } from '@cellmend/core/scan';
import { driveLegs, healthyPack, Random, simulateRecord } from '@cellmend/core/simpack';
import Papa from 'papaparse';
import { randomUUID } from 'node:crypto';
import { writeFileSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { yardTug } from '../../cli/src/demoPacks';
import { openBrowser, openTablet, signInAs } from '../../e2e/src/browser';
import { chunksOf, Spill } from '../../server/src/scans/spill';
import { storeReadings } from '../../server/src/scans/store';
import { startBench } from '../../server/test/harness';
import { medianMs, ms, printTable, type Line } from './table';

/** A log of 100 channels at 1 Hz, some hours long. */
function longLog(hours: number): string {
  const pack = normalisePack(yardTug());
  const random = new Random(9);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.95;
  const legs = driveLegs(random, 8, 4.5 * hours, 1);
  const seconds = legs.reduce((s, l) => s + l.durationS, 0);
  if (seconds < hours * 3600) legs.push({ durationS: hours * 3600 - seconds, currentA: 0, sampleS: 1 });
  return writeScanCsv(simulateRecord(sim, legs, random), 3);
}

const folder = mkdtempSync(join(tmpdir(), 'cellmend-bench-'));
const spillPath = join(folder, 'readings');

/** Reads a file as the server does: every reading waits in a spill file. */
function read(text: string): { record: ScanRecord; rows: number; spill: Spill } {
  const spill = new Spill(spillPath);
  const reader = new CsvScanReader(normalisePack(yardTug()), [], spill.take);
  for (let i = 0; i < text.length; i += 1 << 18) reader.push(text.slice(i, i + (1 << 18)));
  return { record: reader.finish(), rows: reader.builder!.rows, spill };
}

/**
 * Most memory held, heap and typed arrays, while a file is read whose text is never there as a whole, and while its
 * readings go on towards the database, MB.
 */
async function memoryWhileReading(hours: number): Promise<number> {
  const pack = normalisePack(yardTug());
  const spill = new Spill(spillPath);
  const reader = new CsvScanReader(pack, [], spill.take);
  reader.push(`time_s,current_A,temp_C,soc_pct,${pack.channels.map((c) => `${c.id}_V`).join(',')}\n`);
  const held = async (): Promise<number> => {
    // Twice with a pause: array buffers are given back a little after their owners.
    global.gc!();
    await new Promise((done) => setTimeout(done, 50));
    global.gc!();
    const { heapUsed, arrayBuffers } = process.memoryUsage();
    return heapUsed + arrayBuffers;
  };
  const before = await held();
  let most = 0;
  for (let s = 0; s < hours * 3600; s += 600) {
    const rows: string[] = [];
    for (let t = s; t < s + 600; t++)
      rows.push(
        `${t},12.5,21.0,80.0,${pack.channels.map((_, c) => (3.7 + ((t * 7 + c) % 100) / 1000).toFixed(3)).join(',')}`,
      );
    reader.push(`${rows.join('\n')}\n`);
    if (s % 3600 === 0) {
      rows.length = 0;
      most = Math.max(most, (await held()) - before);
    }
  }
  reader.finish();
  let values = 0;
  for await (const chunk of chunksOf(spill.done(), 65536)) {
    values += chunk.values.length;
    if (chunk.part === 0 && chunk.signal === 'channel:50') most = Math.max(most, (await held()) - before);
  }
  if (values !== hours * 3600 * (pack.channels.length + 4)) throw new Error('Readings were lost on the way.');
  return most / 1e6;
}

async function memoryLine(): Promise<Line> {
  await memoryWhileReading(1);
  const short = await memoryWhileReading(6);
  const long = await memoryWhileReading(60);
  const mb = (v: number): string => `${v.toFixed(1)} MB`;
  return {
    what: 'memory while reading 100 channels at 1 Hz, 60 h against 6 h',
    ours: mb(long),
    against: mb(short),
    ratio: `${(long / short).toFixed(2)} ×`,
    aim: 'flat: ≤ 1.1 ×',
    met: long <= 1.1 * short,
  };
}

export async function benchImports(): Promise<void> {
  const text = longLog(10);
  const bench = await startBench();
  const lines: Line[] = [];
  try {
    const alone = await medianMs(
      3,
      () => Papa.parse<string[]>(text, { delimiter: ',', fastMode: true }).data.length,
    );
    const { store } = bench.running;
    const person = (await store.models.Person.findOne())!;
    const job = (await store.models.Job.findOne())!;
    const stored = await medianMs(2, async () => {
      const { record, rows, spill } = read(text);
      await store.sequelize.transaction(async (tx) => {
        const id = randomUUID();
        await store.models.Scan.create(
          {
            id,
            jobId: job.id,
            name: 'bench',
            role: 'before',
            channelIds: record.channelIds,
            simultaneous: true,
            rowCount: rows,
            durationS: 36000,
            notices: [],
            sourceSha256: '',
            startedAt: null,
            personId: person.id,
          },
          { transaction: tx },
        );
        await storeReadings(store, tx, id, spill.done());
      });
    });
    lines.push({
      what: 'reading, mapping and storing it in PostgreSQL',
      ours: ms(stored),
      against: `${ms(alone)} the CSV parser alone`,
      ratio: `${(stored / alone).toFixed(2)} ×`,
      aim: '≤ 3 ×',
      met: stored <= 3 * alone,
    });
    lines.push(await longTasks(bench.address, text));
    lines.push(await memoryLine());
  } finally {
    await bench.end();
    rmSync(folder, { recursive: true });
  }
  printTable('Imports', lines);
}

/** The longest task on the page's main thread while it takes the file in, by the browser's own entries. */
async function longTasks(address: string, text: string): Promise<Line> {
  const path = join(folder, 'ten-hours.csv');
  writeFileSync(path, text);
  const browser = await openBrowser();
  try {
    const { page } = await openTablet(browser, address);
    await signInAs(page, 'Ina Holm');
    await page.goto('/jobs/143/scan');
    await page.getByText('Drop the scan file here').waitFor();
    await page.waitForTimeout(1500);
    await page.evaluate(() => {
      const seen: number[] = [];
      (window as unknown as { longTasks: number[] }).longTasks = seen;
      new PerformanceObserver((list) => {
        for (const e of list.getEntries()) seen.push(e.duration);
      }).observe({ entryTypes: ['longtask'] });
    });
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      page.getByRole('button', { name: 'Choose file' }).click(),
    ]);
    // Waited for outside the page: a locator that polls would be work on the thread that is watched.
    const taken = page.waitForResponse((r) => /\/scans\?/.test(r.url()), { timeout: 120_000 });
    await chooser.setFiles(path);
    if ((await taken).status() !== 201) throw new Error('The file was not taken.');
    await page.waitForTimeout(3000);
    const seen = await page.evaluate(() => (window as unknown as { longTasks: number[] }).longTasks);
    const worst = Math.max(0, ...seen);
    return {
      what: `tasks over 50 ms on the page while it takes ${(text.length / 1e6).toFixed(0)} MB in`,
      ours: String(seen.length),
      against: seen.length ? `longest ${ms(worst)}` : 'none seen',
      ratio: '',
      aim: '0',
      met: seen.length === 0,
    };
  } finally {
    await browser.close();
  }
}
