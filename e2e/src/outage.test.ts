import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { openBrowser, openTablet, signInAs } from './browser';
import { Workshop } from './processes';

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

const jot = async (page: Page, line: string): Promise<void> => {
  await page.getByLabel('Jot line').fill(line);
  await page.keyboard.press('Enter');
};
const stored = (text: string): number => workshop.count(`observations WHERE data->>'text' = '${text}'`);
const arrives = (text: string): Promise<void> => expect.poll(() => stored(text), { timeout: 45_000 }).toBe(1);
/** What is stored waits on until its answer has come: whatever goes away before that leaves it waiting as well. */
const answered = (page: Page): Promise<void> => page.getByText(/\d waiting/).waitFor({ state: 'detached' });

it('loses and doubles nothing when tab, server, database or answer go away', async () => {
  const { context, page } = await openTablet(browser, `http://127.0.0.1:${port}`);
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/144/bench');
  await jot(page, 'note m01 before');
  await arrives('before');
  await answered(page);

  // The server is killed; an entry is typed; the tab is closed.
  await workshop.kill(port);
  await jot(page, 'note m01 server killed');
  await page.getByText('1 waiting').waitFor();
  await page.close();
  await workshop.serve(port);
  const second = await context.newPage();
  await second.goto('/jobs/144/bench');
  await arrives('server killed');
  await second.getByText('server killed').waitFor();
  await answered(second);

  // The database is killed in the middle; the page is reloaded while it is away.
  workshop.cluster.crash();
  await jot(second, 'note m02 database killed');
  await second.getByText('1 waiting').waitFor();
  await second.reload();
  await second.getByText('The server is away').waitFor();
  workshop.cluster.revive();
  await arrives('database killed');
  await second.getByText('database killed').waitFor();
  await answered(second);

  // The server stores an entry, but its answer is lost on the way: the repeat is not stored again.
  let lost = 0;
  await second.route('**/readings', async (route) => {
    if (route.request().method() === 'POST' && lost === 0) {
      lost++;
      await route.fetch();
      await route.abort();
    } else await route.continue();
  });
  await jot(second, 'note m03 answer lost');
  await arrives('answer lost');
  await second.getByText('1 waiting').waitFor({ state: 'detached', timeout: 45_000 });
  expect(lost).toBe(1);
  expect(stored('answer lost')).toBe(1);
  expect(workshop.count("observations WHERE topic = 'reading' AND job_id IS NOT NULL")).toBe(4);

  // What is typed into a form is there again after a reload.
  await second.goto('/');
  await second.getByRole('button', { name: 'New job' }).click();
  await second.getByLabel('Complaint').fill('half a sentence');
  await second.reload();
  await second.getByRole('button', { name: 'New job' }).click();
  expect(await second.getByLabel('Complaint').inputValue()).toBe('half a sentence');
  await context.close();
});

it('shows two tablets on two servers the same job, and both versions when two decide at once', async () => {
  const otherPort = await workshop.serve();
  const ina = await openTablet(browser, `http://127.0.0.1:${port}`);
  const tomas = await openTablet(browser, `http://127.0.0.1:${otherPort}`);
  await signInAs(ina.page, 'Ina Holm');
  await signInAs(tomas.page, 'Tomas Rook');
  await tomas.page.goto('/jobs/144/bench');
  await tomas.page.getByText('answer lost').waitFor();
  await ina.page.goto('/jobs/144/bench');
  await jot(ina.page, 'm04 29.31');
  await tomas.page.getByText('29.31 V').waitFor({ timeout: 45_000 });

  await ina.page.goto('/jobs/147/scan');
  await ina.page.getByRole('button', { name: 'marram-3-before.csv' }).click();
  await ina.page.getByRole('link', { name: 'See findings' }).waitFor();
  for (const { page } of [ina, tomas]) {
    await page.goto('/jobs/147/findings');
    await page.getByRole('button', { name: 'Decide on M07' }).click();
  }
  await tomas.page.getByLabel('Note').fill('M16 comes out too');
  await tomas.page.getByRole('button', { name: 'M16', exact: true }).click();
  await tomas.page.getByRole('button', { name: 'Sign decision' }).click();
  await tomas.page.getByText('nearest twin').waitFor();
  await ina.page.getByRole('button', { name: 'Sign decision' }).click();
  const alert = ina.page.getByRole('alert');
  await alert.waitFor();
  expect(await alert.textContent()).toMatch(
    /Tomas Rook signed version 1.*replace module M07, M16.*M16 comes out too/,
  );
  expect(await ina.page.getByRole('button', { name: 'M07', exact: true }).getAttribute('aria-pressed')).toBe(
    'true',
  );
  expect(workshop.count("decisions WHERE topic = 'measures'")).toBe(1);
  await ina.page.getByRole('button', { name: 'I have read it' }).click();
  await ina.page.getByRole('button', { name: 'Sign decision' }).click();
  await expect.poll(() => workshop.count("decisions WHERE topic = 'measures'")).toBe(2);
  await ina.context.close();
  await tomas.context.close();
});
