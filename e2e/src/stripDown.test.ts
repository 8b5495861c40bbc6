import type { Photo } from '@cellmend/contract/photos';
import sharp from 'sharp';
import { expect, it } from 'vitest';
import { newJob, proveDead } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('a module comes out by the plan and goes back: behind the gate, over a reload and a lost server, in its order', async () => {
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Corrie', 'strip down');
  const { page, context, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/strip-down`);
  // What is to come out is picked on the map; the plan can be read before the pack is proven dead.
  await page.getByRole('heading', { name: 'Strip down is closed by the gate' }).waitFor();
  await page.getByRole('option', { name: /M03/ }).click();
  await page.getByLabel('Parts to be reached').getByText('M03').click();
  const steps = page.getByRole('list', { name: 'Steps' }).getByRole('listitem');
  await steps.first().waitFor();
  expect(await page.getByRole('button', { name: 'Done', exact: true }).count()).toBe(0);
  await page.getByText(/^lid seal for Lid\s*: not on the shelf/).waitFor();

  await proveDead(ina, bench, n);
  await page.reload();
  const done = page.getByRole('button', { name: 'Done', exact: true });
  await done.waitFor();
  const count = await steps.count();
  const names = (await steps.allInnerTexts()).map((t) => t.split('\n')[1]!);
  expect(names[0]).toMatch(/Service disconnect/);
  expect(names.at(-1)).toMatch(/M03 out/);
  const ticked = (): Promise<number> => steps.getByLabel('done').count();
  // A glove that presses twice means once.
  await done.dblclick();
  await expect.poll(ticked, { timeout: 30_000 }).toBe(1);
  await page.waitForTimeout(700);
  expect(await ticked()).toBe(1);
  // In a dead spot it goes on; what was ticked arrives later.
  await context.setOffline(true);
  await done.click();
  await expect.poll(ticked, { timeout: 30_000 }).toBe(2);
  await context.setOffline(false);
  const stored = async (): Promise<{ part: string; off: boolean }[]> =>
    (await ina.get<{ ticks: { part: string; off: boolean }[] }>(`/api/jobs/${n}/strip-down`)).body.ticks;
  await expect.poll(async () => (await stored()).length, { timeout: 40_000 }).toBe(2);
  await page.reload();
  await expect.poll(ticked, { timeout: 30_000 }).toBe(2);
  // What it shows on the way: a photograph waits on the tablet while the server is away, and a line ticks as a press does.
  await context.setOffline(true);
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: /^Photo of sense-plug/ }).click(),
  ]);
  const picture = await sharp({ create: { width: 1800, height: 1200, channels: 3, background: '#8a5a3c' } })
    .jpeg()
    .toBuffer();
  await chooser.setFiles({ name: 'plug.jpg', mimeType: 'image/jpeg', buffer: picture });
  await page.getByRole('button', { name: /^Photograph of Management plug/ }).waitFor();
  await page.getByText('Management plug, waits').waitFor();
  await page.getByLabel('Jot line').fill('done');
  await page.keyboard.press('Enter');
  await page.getByText('Management plug off', { exact: true }).first().waitFor();
  await expect.poll(ticked, { timeout: 30_000 }).toBe(3);
  await context.setOffline(false);
  const photos = async (): Promise<Photo[]> => (await ina.get<Photo[]>(`/api/jobs/${n}/photos`)).body;
  await expect
    .poll(async () => (await photos()).map((p) => p.place), { timeout: 40_000 })
    .toEqual(['sense-plug']);
  expect((await photos())[0]).toMatchObject({ widthPx: 1600, heightPx: 1067 });
  await page.getByText('Management plug, waits').waitFor({ state: 'detached' });
  for (let i = 3; i < count; i++) {
    await page.waitForTimeout(600);
    await done.click();
    await expect.poll(ticked, { timeout: 30_000 }).toBe(i + 1);
  }
  await page.getByRole('heading', { name: 'M03 is out' }).waitFor();
  await expect.poll(async () => (await stored()).length, { timeout: 40_000 }).toBe(count);

  // The way back is the way that was really gone; a joint that stands out is made again.
  await page.goto(`/jobs/${n}/rebuild`);
  const on = page.getByRole('list', { name: 'What goes on again' }).locator(':scope > li');
  await on.first().getByText('M03').waitFor();
  // Beside the plug stands how it looked, and in which bag its fasteners lie.
  const plug = on.filter({ hasText: 'Management plug' });
  await plug.getByText('bag 3').waitFor();
  await plug.getByRole('button', { name: /^Photograph of/ }).waitFor();
  // Out of order is asked about.
  await on.last().getByRole('button', { name: 'On' }).click();
  await page.getByText(/^First: M03/).waitFor();
  await page.getByRole('button', { name: 'Leave it' }).click();
  for (let i = count; i > 0; i--) {
    const ohm = on.first().getByLabel('µΩ');
    if ((await ohm.count()) > 0) {
      await on.first().getByLabel('N·m').fill('9,5');
      // What cannot be read is not dropped: it stops the press.
      await ohm.fill('52x');
      await on.first().getByText('A figure such as 52.').waitFor();
      expect(await on.first().getByRole('button', { name: 'On' }).isDisabled()).toBe(true);
      await ohm.fill(i === 6 ? '160' : '52');
    }
    await on.first().getByRole('button', { name: 'On' }).click();
    await expect.poll(() => on.count(), { timeout: 30_000 }).toBe(i - 1);
  }
  await expect
    .poll(async () => (await stored()).filter((t) => !t.off).length, { timeout: 40_000 })
    .toBe(count);
  await page.getByRole('heading', { name: /make this joint again/ }).waitFor();
  await page.getByText('make it again').waitFor();
  // It is loosened and made again from here.
  await page.getByRole('button', { name: 'Loosened' }).click();
  await on.first().getByLabel('µΩ').fill('53');
  await on.first().getByRole('button', { name: 'On' }).click();
  await page.getByRole('heading', { name: 'Everything is on again' }).waitFor();
  expect(errors.filter((e) => !/ERR_INTERNET_DISCONNECTED|Failed to fetch|NetworkError/.test(e))).toEqual([]);
});
