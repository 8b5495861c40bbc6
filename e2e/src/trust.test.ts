import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { root } from '../../server/test/harness';
import { openBrowser, openTablet, signInAs, visit } from './browser';
import { demoDepot, STAGES } from './depot';
import { Workshop } from './processes';

const depot = demoDepot();

const idsOf = (pack: string): { id: string; cells: number }[] =>
  (
    JSON.parse(readFileSync(join(root, `demo/packs/${pack}.json`), 'utf8')) as {
      channels: { id: string; cells: number }[];
    }
  ).channels;

/** A scan of so many rows at rest; volts per cell by row and channel. */
function scan(pack: string, rows: number, volts: (row: number, channel: number) => number): Buffer {
  const ids = idsOf(pack);
  const head = ['time_s', 'current_A', ...ids.map((c) => `${c.id}_V`)].join(',');
  const lines = Array.from({ length: rows }, (_, k) =>
    [k * 20, 0, ...ids.map((c, i) => (volts(k, i) * c.cells).toFixed(3))].join(','),
  );
  return Buffer.from([head, ...lines].join('\n') + '\n');
}
async function takeIn(page: Page, job: number, buffer: Buffer, name = 'rest.csv'): Promise<void> {
  await page.goto(`/jobs/${job}/scan`);
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: 'Choose file' }).click(),
  ]);
  await chooser.setFiles({ name, mimeType: 'text/csv', buffer });
  await page.getByRole('cell', { name }).first().waitFor({ timeout: 60_000 });
}
const PAGES = [...STAGES, 'buyers-check'];
/** Every page of a job: shown, and without a figure that nothing measured. */
async function walkStages(page: Page, job: number): Promise<string> {
  let text = '';
  for (const stage of PAGES) {
    await visit(page, `/jobs/${job}/${stage}`);
    await page.getByRole('heading', { level: 1 }).first().waitFor();
    await page.waitForTimeout(150);
    const shown = (await page.locator('#stage').textContent()) ?? '';
    expect(shown, stage).not.toMatch(/cannot be shown|NaN|undefined|Infinity/);
    text += `${stage}: ${shown}\n`;
  }
  return text;
}

it('two modules at 0.02 V and one at 9 of 22: over-discharged cells are named before any comparison, and no capacity or range is printed', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  // Six groups a module: 0.02 V in two of them, 1.5 V in a third.
  const volts = (_row: number, i: number): number => (i < 12 ? 0.003 : i < 18 ? 1.5 : 3.71);
  await takeIn(page, 143, scan('yard-tug', 1, volts));
  await page.goto('/jobs/143/findings');
  await page.getByRole('heading', { name: /M01.*is dead/ }).waitFor();
  const text = await walkStages(page, 143);
  expect(text).not.toMatch(/All groups agree|capacity within 0\.0|costs \d|−0 km|\d+ A·h usable/);
  expect(text).toMatch(/not measured/);
  // The gate knows of it, and its hazard cannot be left out.
  await page.goto('/jobs/143/make-safe');
  await page.getByText('intake or the readings say so').waitFor();
  expect(
    await page
      .getByRole('button', { name: 'Asleep or locked for under-voltage' })
      .getAttribute('aria-pressed'),
  ).toBe('true');
  expect(errors).toEqual([]);
});

it('every channel at 0.01 V: a verdict on the pack, and every page still stands', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await takeIn(
    page,
    144,
    scan('corrie-pilot', 6, () => 0.01),
  );
  await page.goto('/jobs/144/findings');
  await page.getByRole('heading', { name: 'The whole pack is over-discharged' }).waitFor();
  await page.getByText('Nothing is compared').waitFor();
  expect(await page.getByText(/near empty as well/).count()).toBe(0);
  await walkStages(page, 144);
  expect(errors).toEqual([]);
});

it('a used-car check from two screens typed as rows: spread at both ends, capacity not measured, one page', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/147/intake');
  await page.getByRole('radio', { name: 'buy', exact: true }).click();
  await page.getByLabel('Odometer, km').fill('61000');
  await page.getByLabel('Age, years').fill('2');
  await page.getByRole('button', { name: 'Sign intake' }).click();
  await page.getByText('version 1').waitFor();
  await takeIn(
    page,
    147,
    scan('marram-3-van', 1, (_r, i) => 4.021 + 0.001 * (i % 9)),
    'full.csv',
  );
  await takeIn(
    page,
    147,
    scan('marram-3-van', 1, (_r, i) => 3.402 + 0.001 * (i % 30)),
    'empty.csv',
  );
  await page.goto('/jobs/147/buyers-check');
  await page.getByRole('heading', { name: 'Is this pack worth buying?' }).waitFor();
  // Both screens weighed together arrive by themselves.
  await page.getByText('8 mV at', { exact: false }).first().waitFor();
  const check = (await page.locator('#stage').textContent()) ?? '';
  expect(check).toMatch(/Delta near full8 mV/);
  expect(check).toMatch(/Delta near empty29 mV/);
  expect(check).toMatch(/Capacitynot measured/);
  expect(check).toMatch(/Trouble codesnot read/);
  expect(check).not.toMatch(/\d+ % of rated|years to 70 %/);
  expect(errors).toEqual([]);
});

it('what is half typed is kept when a page cannot be drawn, and Stop stays in reach', async () => {
  const { page } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/138/intake');
  await page.getByLabel('Complaint').fill('half a sentence');
  // A record that no server sends: the page meets it all the same.
  await page.route('**/api/jobs/138/findings', (route) =>
    route.fulfill({
      contentType: 'application/json',
      body: JSON.stringify([
        {
          id: '6f1f2ad4-7a3e-4c4c-9a58-2c3f7f2c9a11',
          topic: 'spread',
          subject: 'before',
          coreVersion: '0',
          profileVersion: null,
          inputIds: [],
          parameters: { role: 'before' },
          result: { findings: 'broken' },
          createdAt: new Date().toISOString(),
        },
      ]),
    }),
  );
  await page.goto('/jobs/138/findings');
  await page.getByRole('heading', { name: 'This page cannot be shown' }).first().waitFor();
  await page.getByRole('button', { name: 'Stop' }).waitFor();
  await page.unroute('**/api/jobs/138/findings');
  await page.goto('/jobs/138/intake');
  expect(await page.getByLabel('Complaint').inputValue()).toBe('half a sentence');
});

let workshop: Workshop;
let browser: Browser;
let port: number;
beforeAll(async () => {
  workshop = await Workshop.open();
  port = await workshop.serve();
  browser = await openBrowser();
});
afterAll(async () => {
  await browser?.close();
  await workshop?.end();
});

it('Stop with the server away is kept, closes the gate on the page, and arrives first; entries of one person never go under another’s name', async () => {
  const { context, page } = await openTablet(browser, `http://127.0.0.1:${port}`);
  await signInAs(page, 'Tomas Rook');
  await page.goto('/jobs/144/bench');
  await page.getByLabel('Jot line').waitFor();
  await workshop.kill(port);
  await page.getByLabel('Jot line').fill('note m01 by tomas');
  await page.keyboard.press('Enter');
  await page.getByText('1 waiting').waitFor();
  await page.locator('#stage').click({ position: { x: 4, y: 4 } });
  await page.keyboard.press('s');
  await page.getByRole('button', { name: 'Stop the work, close the gate' }).click();
  await page.getByText('2 waiting').waitFor();
  await page.getByText('Stopped on this tablet').first().waitFor();

  // The server comes back while somebody else signs in on the same tablet: nothing of Tomas goes under her name.
  await workshop.serve(port);
  await expect.poll(() => workshop.count('stops'), { timeout: 20_000 }).toBe(1);
  await expect
    .poll(() => workshop.count("observations WHERE data->>'text' = 'by tomas'"), { timeout: 20_000 })
    .toBe(1);
  await page.getByText('Stopped: hot').first().waitFor();
  expect(workshop.count("stops s JOIN people p ON p.id = s.person_id WHERE p.name = 'Tomas Rook'")).toBe(1);

  await workshop.kill(port);
  await page.goto('about:blank').catch(() => undefined);
  await workshop.serve(port);
  await page.goto('/jobs/144/bench');
  await page.getByLabel('Jot line').waitFor();
  await workshop.kill(port);
  await page.getByLabel('Jot line').fill('note m02 tomas again');
  await page.keyboard.press('Enter');
  await page.getByText('1 waiting').waitFor();
  const other = await context.newPage();
  await context.clearCookies();
  await page.close();
  await workshop.serve(port);
  await signInAs(other, 'Ina Holm');
  await other.goto('/jobs/144/bench');
  await other.getByRole('button', { name: '1 waiting' }).click();
  await other.getByText('Made by Tomas Rook').waitFor();
  await other.waitForTimeout(4000);
  expect(workshop.count("observations WHERE data->>'text' = 'tomas again'")).toBe(0);
  // He signs in again, and it goes.
  await context.clearCookies();
  await signInAs(other, 'Tomas Rook');
  await other.goto('/jobs/144/bench');
  await expect
    .poll(() => workshop.count("observations WHERE data->>'text' = 'tomas again'"), { timeout: 20_000 })
    .toBe(1);
  expect(
    workshop.count(
      "observations r JOIN people p ON p.id = r.person_id WHERE r.data->>'text' = 'tomas again' AND p.name = 'Tomas Rook'",
    ),
  ).toBe(1);
  await context.close();
}, 180_000);
