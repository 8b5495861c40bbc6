import type { Page } from 'playwright-core';
import { describe, expect, it } from 'vitest';
import type { Reading } from '@cellmend/contract/records';
import { StoppableDatabase } from '../../server/test/stoppable';
import { newJob, proveDead } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

// A tablet in a corner where nothing reaches it: the page is reloaded, and work goes on.

const depot = demoDepot();

/** Waits for what keeps the page, and until it keeps the session, the job and whatever else this page asked for. */
async function keptWith(page: Page, job: number): Promise<void> {
  await page.evaluate(() => navigator.serviceWorker.ready.then(() => undefined));
  const paths = (): Promise<string[]> =>
    page.evaluate(async () =>
      (await (await caches.open('cellmend-record')).keys()).map((r) => new URL(r.url).pathname),
    );
  await expect.poll(paths).toEqual(expect.arrayContaining(['/api/session', `/api/jobs/${job}`]));
  for (let before = -1, now = 0; now !== before;) {
    before = now;
    await page.waitForTimeout(2500);
    now = (await paths()).length;
  }
}

describe('in a dead spot', () => {
  it('a reload opens the job as it was known, takes readings, and opens no gate; all of it arrives later', async () => {
    const ina = await depot.bench().as('Ina Holm');
    const n = await newJob(ina, 'Corrie', 'in the far corner');
    await proveDead(ina, depot.bench(), n);
    const { page, context } = await depot.tablet(true);
    await signInAs(page, 'Ina Holm');
    await page.goto(`/jobs/${n}/strip-down`);
    await page
      .getByRole('heading', { name: 'What comes off, in which order, and what does it show?', level: 1 })
      .waitFor();
    await page.getByText(/Proven dead/).waitFor();
    // What keeps the page is there, and what was looked at is kept.
    await keptWith(page, n);

    await context.setOffline(true);
    await page.reload();
    await page.getByText('The server is away.').first().waitFor();
    await page.getByText(`Job ${n}`).first().waitFor();
    // What was proven then is no proof now.
    expect(await page.getByText(/Proven dead/).count()).toBe(0);
    await page.getByText('Not proven dead').waitFor();
    await page
      .getByText(/no proof now/)
      .first()
      .waitFor();
    await page.getByLabel('Jot line').fill('m03 7.31 V');
    await page.keyboard.press('Enter');
    await page.getByText('1 waiting').waitFor();
    // Another stage, never opened on this tablet before.
    await page.getByRole('link', { name: 'Findings' }).click();
    await page.getByRole('heading', { name: 'Which group holds the pack back, and why?' }).waitFor();
    await page.reload();
    await page.getByText('1 waiting').waitFor();

    await context.setOffline(false);
    await expect
      .poll(
        async () => (await ina.get<Reading[]>(`/api/jobs/${n}/readings`)).body.map((r) => [r.place, r.value]),
        {
          timeout: 20_000,
        },
      )
      .toEqual([['M03', 7.31]]);
    await page.reload();
    await page.getByText(/Proven dead/).waitFor();
    expect(await page.getByText('The server is away.').count()).toBe(0);
    await context.close();
  });

  it('a database that hangs for a while is no lost server for ever: what is shown is fresh again by itself', async () => {
    const way = await StoppableDatabase.before(depot.bench().url);
    const other = await depot.bench().another(way.url, { connectMs: 800, lockMs: 700, queryMs: 900 });
    const { page, context } = await depot.tablet(true);
    await page.goto(`http://127.0.0.1:${other.port}/`);
    await page.getByRole('button', { name: 'Ina Holm' }).click();
    await page.getByRole('heading', { level: 1, name: /need|Nothing/ }).waitFor();
    await page.goto(`http://127.0.0.1:${other.port}/jobs/144/findings`);
    await page.getByLabel('Jot line').waitFor();
    await keptWith(page, 144);
    way.hang();
    await page.reload();
    await page.getByText('The server is away.').first().waitFor();
    way.goOn();
    await page.getByText('The server is away.').first().waitFor({ state: 'detached', timeout: 40_000 });
    await context.close();
    await way.end();
  });

  it('what one person looked at is not there for the next, and the app can be installed', async () => {
    const { page, context } = await depot.tablet(true);
    await signInAs(page, 'Ina Holm');
    await page.evaluate(() => navigator.serviceWorker.ready.then(() => undefined));
    await page.reload();
    await page.getByRole('heading', { level: 1, name: /need|Nothing/ }).waitFor();
    const kept = (): Promise<number> =>
      page.evaluate(async () => (await (await caches.open('cellmend-record')).keys()).length);
    await expect.poll(kept).toBeGreaterThan(0);
    await page.getByRole('button', { name: /^Ina Holm/ }).click();
    await page.getByRole('menuitem', { name: 'Sign out' }).click();
    await page.getByRole('button', { name: 'Ina Holm' }).waitFor();
    const paths = await page.evaluate(async () =>
      (await (await caches.open('cellmend-record')).keys()).map((r) => new URL(r.url).pathname),
    );
    expect(paths.filter((p) => p !== '/api/session')).toEqual([]);
    const manifest = await (await page.request.get('/manifest.webmanifest')).json();
    expect(manifest).toMatchObject({ name: 'Bold Cellmend', display: 'standalone', start_url: '/' });
    await context.close();
  });
});
