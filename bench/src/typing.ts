import { defaultOcvTable, normalisePack, type PackProfile } from '@cellmend/core/pack';
import { PHASES } from '@cellmend/core/route';
import { writeScanCsv } from '@cellmend/core/scan';
import { driveLegs, healthyPack, Random, simulateRecord } from '@cellmend/core/simpack';
import type { Page } from 'playwright-core';
import { openBrowser, openTablet, signInAs } from '../../e2e/src/browser';
import { startBench } from '../../server/test/harness';
import { printTable, type Line } from './table';

const two = (n: number): string => String(n).padStart(2, '0');
const three = (n: number): string => String(n).padStart(3, '0');

/** 200 channels in 25 modules of eight. */
function wide(): PackProfile {
  const channels = Array.from({ length: 200 }, (_, i) => ({ id: `ch${three(i + 1)}`, cells: 1 }));
  const modules = Array.from({ length: 25 }, (_, m) => ({
    id: `M${two(m + 1)}`,
    channels: channels.slice(8 * m, 8 * m + 8).map((c) => c.id),
    place: { tier: 0, row: m % 5, column: Math.floor(m / 5) },
    massKg: 18,
  }));
  return {
    name: 'Two hundred channels',
    chemistry: 'nmc',
    ratedCapacityAh: 117,
    channels,
    modules,
    nominalGroupResistanceMilliohm: 0.62,
    ocv: defaultOcvTable('nmc'),
    links: modules.slice(1).map((m, i) => ({
      id: `L${i + 1}`,
      between: [modules[i]!.id, m.id] as [string, string],
      kind: i === 12 ? ('service-disconnect' as const) : ('busbar' as const),
      accessMin: 5,
    })),
    ratedRangeKm: 300,
  };
}

interface Tasks {
  count: number;
  longestMs: number;
  totalMs: number;
}
/** Tasks over 50 ms that the page itself reported while something was done. */
async function tasksDuring(page: Page, work: () => Promise<void>): Promise<Tasks> {
  await page.evaluate(() => {
    const w = window as unknown as { longTasks: number[]; watching?: PerformanceObserver };
    w.longTasks = [];
    w.watching?.disconnect();
    w.watching = new PerformanceObserver((list) =>
      w.longTasks.push(...list.getEntries().map((e) => e.duration)),
    );
    w.watching.observe({ type: 'longtask' });
  });
  await work();
  await page.waitForTimeout(300);
  const all = await page.evaluate(() => (window as unknown as { longTasks: number[] }).longTasks);
  return { count: all.length, longestMs: Math.max(0, ...all), totalMs: all.reduce((a, b) => a + b, 0) };
}

/**
 * Whether the page holds up a hand: tasks over 50 ms (W3C Long Tasks) while typing at a scanner's speed and while going from
 * stage to stage, on a pack of 200 channels with a scan, against the same on a demo pack of 16 groups.
 */
export async function benchTyping(): Promise<void> {
  const bench = await startBench(true, 1000, true);
  const browser = await openBrowser();
  const ina = await bench.as('Ina Holm');
  const { id } = (await ina.post<{ id: string }>('/api/packs', { profile: wide(), baseVersion: 0 })).body;
  const { number } = (
    await ina.post<{ number: number }>('/api/jobs', { title: 'Two hundred channels', packProfileId: id })
  ).body;
  if (!number) throw new Error('The job was not opened.');
  const random = new Random(11);
  const sim = healthyPack(normalisePack(wide()), random, 0.9);
  sim.startSoc = 0.95;
  const csv = writeScanCsv(simulateRecord(sim, driveLegs(random, 2, 60, 2), random), 3);
  const scan = await ina.post<{ id: string }>(`/api/jobs/${number}/scans?name=wide.csv&role=before`, csv);
  if (scan.status !== 201) throw new Error(`the scan answered ${scan.status}: ${JSON.stringify(scan.body)}`);
  await ina.post(`/api/jobs/${number}/findings`, {
    topic: 'spread',
    role: 'before',
    scanIds: [scan.body.id],
  });
  await bench.settled();
  const stages = PHASES.flatMap((p) => p.stages.map((s) => s.id));
  const measure = async (job: number, places: string[]): Promise<{ typing: Tasks; going: Tasks }> => {
    const { page } = await openTablet(browser, bench.address);
    await signInAs(page, 'Ina Holm');
    // Everything is fetched once, as it is on a tablet that is used every day.
    for (const stage of stages) {
      await page.goto(`/jobs/${job}/${stage}`);
      await page.waitForTimeout(500);
    }
    await page.goto(`/jobs/${job}/findings`);
    const jot = page.getByLabel('Jot line');
    await jot.waitFor();
    await page.waitForTimeout(1500);
    await jot.click();
    const typing = await tasksDuring(page, async () => {
      for (const place of places) {
        await page.keyboard.type(`${place} 3.7${places.indexOf(place) % 10}`, { delay: 8 });
        await page.keyboard.press('Enter');
      }
    });
    const links = page.getByRole('navigation').getByRole('link');
    const going = await tasksDuring(page, async () => {
      for (const name of stages) {
        const link = links.and(page.locator(`[href="/jobs/${job}/${name}"]`));
        if ((await link.count()) > 0) await link.first().click();
        await page.waitForTimeout(400);
      }
    });
    await page.close();
    return { typing, going };
  };
  try {
    const large = await measure(
      number,
      Array.from({ length: 40 }, (_, i) => `ch${i + 1}`),
    );
    const small = await measure(
      144,
      Array.from({ length: 14 }, (_, i) => `ch${i + 1}`),
    );
    const line = (what: string, l: Tasks, s: Tasks): Line => ({
      what,
      ours: `${l.count} over 50 ms, longest ${l.longestMs.toFixed(0)} ms`,
      against: `${s.count}, longest ${s.longestMs.toFixed(0)} ms, on a small pack`,
      ratio: '',
      aim: '0',
      met: l.count === 0,
    });
    printTable('Typing and going about, 200 channels', [
      line('40 voltages at 8 ms a key', large.typing, small.typing),
      line(`from stage to stage, ${stages.length} of them`, large.going, small.going),
    ]);
  } finally {
    await browser.close();
    await bench.end();
  }
}
