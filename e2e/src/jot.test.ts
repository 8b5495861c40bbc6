import type { Page } from 'playwright-core';
import jsQR from 'jsqr';
import sharp from 'sharp';
import { beforeAll, describe, expect, it } from 'vitest';
import { demoDepot } from './depot';
import { signInAs } from './browser';
import { newJob, proveDead } from '../../server/test/depot';
import type { Client } from '../../server/test/harness';
import type { Reading } from '@cellmend/contract/records';

// A scanner's burst, a fast number pad and a pasted list all store what they meant, in their order.

const depot = demoDepot();
let ina: Client;
beforeAll(async () => {
  ina = await depot.bench().as('Ina Holm');
});

const readings = async (n: number): Promise<Reading[]> =>
  (await ina.get<Reading[]>(`/api/jobs/${n}/readings`)).body;
/** What is on record, oldest first, as place and value. */
const stored = async (n: number): Promise<[string, number | null][]> =>
  (await readings(n)).reverse().map((r) => [r.place, r.value]);

async function openJob(stage = 'findings'): Promise<{ page: Page; n: number }> {
  const n = await newJob(ina, 'Corrie', `hands ${Math.random()}`);
  const { page } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/${stage}`);
  await page.getByLabel('Jot line').waitFor();
  return { page, n };
}
/** The page's one thread is taken for most of the time, as while a large chart is drawn. */
async function whileBusy(page: Page, work: () => Promise<void>): Promise<void> {
  await page.evaluate(() => {
    const hog = (): void => {
      const end = performance.now() + 80;
      while (performance.now() < end);
      if (!('atEase' in window)) setTimeout(hog, 20);
    };
    hog();
  });
  await work();
  await page.evaluate(() => void Object.assign(window, { atEase: true }));
}
/** Keys as a keyboard wedge sends them, whether the page keeps up or not. */
async function wedge(page: Page, text: string, gapMs: number): Promise<void> {
  const keys = await page.context().newCDPSession(page);
  const sent: Promise<unknown>[] = [];
  for (const key of text) {
    const enter = key === '\n';
    const common = enter
      ? { key: 'Enter', code: 'Enter', windowsVirtualKeyCode: 13, text: '\r' }
      : { key, text: key };
    sent.push(keys.send('Input.dispatchKeyEvent', { type: 'keyDown', ...common }));
    sent.push(keys.send('Input.dispatchKeyEvent', { type: 'keyUp', ...common }));
    if (gapMs > 0) await new Promise((r) => setTimeout(r, gapMs));
  }
  await Promise.all(sent);
}

describe('a burst of a scanner', () => {
  const lines = Array.from({ length: 30 }, (_, i): [string, number] => [
    `M${String((i % 12) + 1).padStart(2, '0')}`,
    Number((7.2 + i / 1000).toFixed(3)),
  ]);
  it.each([0, 10, 40])(
    'thirty lines with %i ms between keys, on a busy page: all thirty, in order',
    async (gap) => {
      const { page, n } = await openJob();
      await page.getByLabel('Jot line').focus();
      const some = gap === 40 ? lines.slice(0, 12) : lines;
      const keys = some.map(([at, v]) => `${at.toLowerCase()} ${v} V\n`).join('');
      await whileBusy(page, () => wedge(page, keys, gap));
      await expect.poll(async () => (await stored(n)).length, { timeout: 90_000 }).toBe(some.length);
      expect(await stored(n)).toEqual(some);
      await page.close();
    },
  );

  it('one that comes while nothing is in focus goes to the jot line, and none of its letters is a key', async () => {
    const { page, n } = await openJob();
    await page.locator('h1').first().click();
    await wedge(page, 's', 0);
    await page.getByRole('dialog').waitFor();
    await page.keyboard.press('Escape');
    await page.locator('h1').first().click();
    await wedge(page, 's02\n7.31 V\n', 5);
    await expect.poll(() => stored(n), { timeout: 30_000 }).toEqual([['M02', 7.31]]);
    expect(await page.getByRole('dialog').count()).toBe(0);
    await page.close();
  });

  it('a burst of “done” ticks as many steps as it has lines, in the order of the plan', async () => {
    const { page, n } = await openJob('strip-down');
    await proveDead(ina, depot.bench(), n);
    await page.reload();
    await page.getByRole('option', { name: /M03/ }).click();
    await page.getByLabel('Parts to be reached').getByText('M03').click();
    await page.getByRole('button', { name: 'Done', exact: true }).waitFor();
    const steps = page.getByRole('list', { name: 'Steps' }).getByRole('listitem');
    const planned = (await steps.allInnerTexts()).slice(0, 3);
    for (const [i, name] of ['Service disconnect', 'Lid', 'Management plug'].entries())
      expect(planned[i]).toContain(name);
    await page.getByLabel('Jot line').focus();
    await whileBusy(page, () => wedge(page, 'done\ndone\ndone\n', 0));
    await expect.poll(() => steps.getByLabel('done').count(), { timeout: 30_000 }).toBe(3);
    const ticks = async (): Promise<{ part: string; off: boolean; at: string }[]> =>
      (await ina.get<{ ticks: { part: string; off: boolean; at: string }[] }>(`/api/jobs/${n}/strip-down`))
        .body.ticks;
    await expect.poll(async () => (await ticks()).length, { timeout: 30_000 }).toBe(3);
    const told = await ticks();
    expect(told.every((t) => t.off)).toBe(true);
    expect(new Set(told.map((t) => t.at)).size).toBe(3);
    // The head of the plan, in its order, also after a reload.
    expect(told.map((t) => t.part)).toEqual(['L6', 'lid', 'sense-plug']);
    await page.reload();
    await expect.poll(() => steps.getByLabel('done').count(), { timeout: 30_000 }).toBe(3);
    await page.close();
  });
});

describe('the jot line', () => {
  it('a label arms its place until a figure comes; the last entry is taken back and stays in the record', async () => {
    const { page, n } = await openJob();
    const line = page.getByLabel('Jot line');
    await line.fill('m04');
    await page.keyboard.press('Enter');
    await page.getByText('The next figure is of M04').waitFor();
    await page.keyboard.press('Escape');
    await page.getByText('The next figure is of M04').waitFor({ state: 'detached' });
    for (const text of ['m05', '7.31 V', 'm06 ins >4G']) {
      await line.fill(text);
      await page.keyboard.press('Enter');
    }
    await page.getByText('2 kept').waitFor();
    await page.getByText('M06, insulation >4 GΩ').waitFor();
    await page.getByRole('button', { name: 'Undo the last' }).click();
    await expect.poll(async () => (await readings(n)).length, { timeout: 30_000 }).toBe(3);
    const [undone, bound, volts] = await readings(n);
    expect(volts).toMatchObject({ place: 'M05', value: 7.31, supersededBy: null });
    expect(bound).toMatchObject({ place: 'M06', bound: 'at-least', supersededBy: undone!.id });
    expect(undone).toMatchObject({ kind: 'withdrawn', supersedes: bound!.id, recordedBy: 'Ina Holm' });
    await page.close();
  });

  it('what is not understood is kept as it was typed, over a reload, and asked about', async () => {
    const { page, n } = await openJob();
    await page.getByLabel('Jot line').fill('m05 7.3 bananas');
    await page.keyboard.press('Enter');
    await page.getByText('“bananas” is no unit').waitFor();
    expect(await page.getByLabel('Jot line').inputValue()).toBe('');
    await page.reload();
    await page.getByText('1 line asks').click();
    await page.getByRole('button', { name: 'Type it again' }).click();
    await page.keyboard.press('Escape');
    await page.getByLabel('Jot line').fill('m05 7.3 V');
    await page.keyboard.press('Enter');
    await expect.poll(() => stored(n), { timeout: 30_000 }).toEqual([['M05', 7.3]]);
    expect(await page.getByText('line asks').count()).toBe(0);
    await page.close();
  });

  it('a line that asks is its maker’s: the next person on the tablet neither sees nor stores it, and its time is that of typing', async () => {
    const n = await newJob(ina, 'Corrie', 'two people');
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Tomas Rook');
    await page.goto(`/jobs/${n}/findings`);
    await page.getByLabel('Jot line').fill('ch18 41');
    await page.keyboard.press('Enter');
    await page.getByText('1 line asks').waitFor();
    const typedMs = Date.now();
    const change = async (name: string): Promise<void> => {
      await context.clearCookies();
      await signInAs(page, name);
      await page.goto(`/jobs/${n}/findings`);
      await page.getByLabel('Jot line').waitFor();
    };
    await change('Ina Holm');
    await page.waitForTimeout(1500);
    expect(await page.getByText('line asks').count()).toBe(0);
    await change('Tomas Rook');
    await page.getByText('1 line asks').click();
    await page.getByRole('button', { name: '41 A·h, a capacity' }).click();
    await expect.poll(() => stored(n), { timeout: 30_000 }).toEqual([['ch18', 41]]);
    const [reading] = await readings(n);
    expect(reading).toMatchObject({ kind: 'capacity', recordedBy: 'Tomas Rook' });
    expect(Math.abs(Date.parse(reading!.observedAt) - typedMs)).toBeLessThan(1500);
    await context.close();
  });

  it('a pasted list is as many entries', async () => {
    const { page, n } = await openJob();
    await page.getByLabel('Jot line').focus();
    await page.evaluate(() => {
      const clipboardData = new DataTransfer();
      clipboardData.setData('text', 'm01,7.21 V\r\nm02;7,22 V\nm03 7.23 V\n\n');
      document.activeElement!.dispatchEvent(
        new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }),
      );
    });
    await expect
      .poll(() => stored(n), { timeout: 30_000 })
      .toEqual([
        ['M01', 7.21],
        ['M02', 7.22],
        ['M03', 7.23],
      ]);
    await page.close();
  });
});

describe('a walk', () => {
  it.each([0, 10])(
    'takes figures with %i ms between keys on a busy page, each at its own place',
    async (gap) => {
      const { page, n } = await openJob();
      await page.keyboard.press('w');
      await page.getByRole('dialog', { name: 'Walk' }).getByRole('heading', { name: 'M01' }).waitFor();
      const volts = Array.from({ length: 12 }, (_, i) => Number((7.2 + i / 1000).toFixed(3)));
      await whileBusy(page, () => wedge(page, volts.map((v) => `${v}\n`).join(''), gap));
      await expect.poll(async () => (await stored(n)).length, { timeout: 30_000 }).toBe(12);
      expect((await stored(n)).map(([, v]) => v)).toEqual(volts);
      expect(new Set((await stored(n)).map(([at]) => at)).size).toBe(12);
      await page.close();
    },
  );

  it('goes back, is resumed where it stopped, and shifts nothing after what it could not read', async () => {
    const { page, n } = await openJob();
    await page.keyboard.press('w');
    const dialog = page.getByRole('dialog', { name: 'Walk' });
    await dialog.getByRole('heading', { name: 'M01' }).waitFor();
    await wedge(page, '7.2\nxx\n7.22\n', 0);
    await dialog.getByText('One figure was not understood').waitFor();
    await dialog.getByRole('button', { name: 'Stop here, go on later' }).click();
    await page.reload();
    await page.getByLabel('Jot line').waitFor();
    await page.keyboard.press('w');
    await expect.poll(async () => (await stored(n)).length).toBe(2);
    await dialog.getByRole('button', { name: /“xx”\?/ }).click();
    await wedge(page, '7.21\n', 0);
    await expect.poll(async () => (await stored(n)).map(([, v]) => v)).toEqual([7.2, 7.22, 7.21]);
    // Back at the first: a new figure there corrects it.
    await dialog.getByRole('button', { name: 'Back' }).click();
    await dialog.getByRole('button', { name: 'Back' }).click();
    await wedge(page, '7.205\n', 0);
    await expect
      .poll(async () => (await readings(n))[0])
      .toMatchObject({ value: 7.205, reason: 'taken again on the walk' });
    await page.close();
  });

  it('of joints is closed by the gate, and says so before the first figure', async () => {
    const { page } = await openJob();
    await page.keyboard.press('w');
    const dialog = page.getByRole('dialog', { name: 'Walk' });
    await dialog.getByRole('radio', { name: 'Joints' }).click();
    await dialog.getByText('no reading is taken there before it is proven dead').waitFor();
    expect(await dialog.getByRole('textbox').count()).toBe(0);
    await page.close();
  });
});

it('a scanned label of a part opens it; its printed code says the label and nothing else', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/144/intake');
  await page.getByLabel('Jot line').fill('s-014');
  await page.keyboard.press('Enter');
  await page.getByRole('heading', { name: 'S-014' }).waitFor();
  await page.getByRole('link', { name: 'Label' }).click();
  const code = page.getByAltText('Code of S-014');
  await code.waitFor();
  const { data, info } = await sharp(await code.screenshot({ scale: 'css' }))
    .extend({ top: 20, bottom: 20, left: 20, right: 20, background: '#fff' })
    .resize({ width: 480, kernel: 'nearest' })
    .ensureAlpha()
    .raw()
    .toBuffer({ resolveWithObject: true });
  expect(jsQR(new Uint8ClampedArray(data), info.width, info.height)?.data).toBe('S-014');
  const pdf = await page.pdf({ preferCSSPageSize: true });
  // One label of 62 mm: 175.7 points.
  const box = /\/MediaBox\s*\[\s*0 0 ([\d.]+) ([\d.]+)/.exec(pdf.toString('latin1'))!;
  expect(Number(box[1])).toBeCloseTo(175.7, 0);
  expect((pdf.toString('latin1').match(/\/Type\s*\/Page[^s]/g) ?? []).length).toBe(1);
  // However much is known of it, it stays one label.
  await page.getByRole('article', { name: 'Label of S-014' }).evaluate((el) => {
    el.querySelector('b')!.textContent = 'A longer label than anybody gives, over three lines at least';
  });
  await page.waitForTimeout(200);
  const longer = await page.pdf({ preferCSSPageSize: true });
  expect((longer.toString('latin1').match(/\/Type\s*\/Page[^s]/g) ?? []).length).toBe(1);
  // Back in the job nothing asks any more.
  await page.goto('/jobs/144/intake');
  await page.getByLabel('Jot line').waitFor();
  expect(await page.getByText(/asks$/).count()).toBe(0);
  expect(errors).toEqual([]);
});
