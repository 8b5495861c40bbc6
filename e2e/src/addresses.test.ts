import { describe, expect, it } from 'vitest';
import { newJob, proveDead } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

// Where one is stands in the address, what is half typed stays, and the keyboard lands where work goes on.

const depot = demoDepot();

describe('views, focus and drafts', () => {
  it('a view within a stage has an address; back goes back; the heading of the next stage has the focus', async () => {
    const ina = await depot.bench().as('Ina Holm');
    const n = await newJob(ina, 'Corrie', 'half a test');
    await proveDead(ina, depot.bench(), n);
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    await page.goto(`/jobs/${n}/insulation`);
    await page.getByRole('radio', { name: 'Tests' }).click();
    await expect.poll(() => page.url()).toMatch(/insulation\?view=tester$/);
    await page.reload();
    await page.getByLabel('Voltage reached, V').waitFor();
    // Half a test, at one part: it is there after a look elsewhere.
    await page.getByLabel('Voltage reached, V').fill('497');
    await page.getByRole('radio', { name: 'What is seen' }).click();
    await page.getByRole('heading', { name: 'What is seen, and where?' }).waitFor();
    // Nothing is seen until somebody says what.
    expect(await page.getByRole('button', { name: 'Choose what is seen' }).isDisabled()).toBe(true);
    await page.goBack();
    expect(await page.getByLabel('Voltage reached, V').inputValue()).toBe('497');
    await page.getByRole('navigation', { name: 'Route' }).getByRole('link', { name: 'Intake' }).click();
    await expect
      .poll(() => page.evaluate(() => document.activeElement?.textContent))
      .toBe('What does the owner see, and what happened before?');
    await context.close();
  });

  it('the first Tab offers the way past head and route', async () => {
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    await page.goto('/jobs/144/intake');
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.keyboard.press('Tab');
    expect(await page.evaluate(() => document.activeElement?.textContent)).toBe('Skip to the stage');
    await page.keyboard.press('Enter');
    await expect.poll(() => page.evaluate(() => document.activeElement?.id)).toBe('stage');
    await context.close();
  });

  it('a new job asks which pack it is, and opens at Intake; miles are shown once the workshop reads them', async () => {
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    await page.getByRole('button', { name: 'New job' }).click();
    await page.getByLabel('Vehicle').fill('Depot tractor');
    expect(await page.getByLabel('Pack').inputValue()).toBe('');
    await page.getByRole('button', { name: 'Open job' }).click();
    // The browser's own word: nothing was opened.
    expect(page.url()).not.toMatch(/jobs/);
    await page.getByLabel('Pack').selectOption({ index: 1 });
    await page.getByRole('button', { name: 'Open job' }).click();
    await expect.poll(() => page.url()).toMatch(/\/intake$/);
    await page.getByLabel('Odometer, km').waitFor();
    const ina = await depot.bench().as('Ina Holm');
    const units = { distance: 'mi', temperature: 'F', currency: 'GBP', dateOrder: 'mdy' };
    expect((await ina.call('PUT', '/api/units', units)).status).toBe(200);
    await page.reload();
    await page.getByLabel('Odometer, miles').fill('50000');
    await page.getByRole('button', { name: /^Sign/ }).first().click();
    const n = Number(/jobs\/(\d+)/.exec(page.url())![1]);
    await expect
      .poll(async () => {
        const { body } = await ina.get<{ decisions: { body: { odometerKm?: number } }[] }>(`/api/jobs/${n}`);
        return body.decisions[0]?.body.odometerKm;
      })
      .toBeCloseTo(80_467.2, 1);
    await context.close();
  });

  it('voltages pasted into the pack as it lies are kept as a record, from the page', async () => {
    const ina = await depot.bench().as('Ina Holm');
    const n = await newJob(ina, 'Corrie', 'typed on the page');
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    await page.goto(`/jobs/${n}/scan?view=by-hand`);
    await page.getByLabel('ch01, volts').focus();
    await page.evaluate(() => {
      const clipboardData = new DataTransfer();
      const text = Array.from({ length: 84 }, (_, i) => (i === 33 ? '1,62' : `3,98${i % 10}`)).join('\n');
      clipboardData.setData('text', text);
      document.activeElement!.dispatchEvent(
        new ClipboardEvent('paste', { clipboardData, bubbles: true, cancelable: true }),
      );
    });
    await page.getByText('84 of 84 channels typed.').waitFor();
    await page.getByText('over-discharged, below the floor').waitFor();
    // Kept over a reload, until it is a record.
    await page.reload();
    await page.getByText('84 of 84 channels typed.').waitFor();
    await page
      .getByRole('radiogroup', { name: 'How full is the pack' })
      .getByRole('radio', { name: 'Near full' })
      .click();
    await page.getByRole('button', { name: 'Keep as a record' }).click();
    await page.getByText(/^Typed, near full/).waitFor();
    await page.getByRole('link', { name: 'See findings' }).click();
    await page.getByRole('heading', { name: /M05/ }).first().waitFor();
    await context.close();
  });

  it('what changes before a page hears of changes is looked at once it does', async () => {
    const ina = await depot.bench().as('Ina Holm');
    const n = await newJob(ina, 'Corrie', 'heard late');
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    let hears = (): void => undefined;
    const heard = new Promise<void>((resolve) => (hears = resolve));
    await page.route('**/api/events', async (route) => {
      await heard;
      await route.continue();
    });
    await page.goto(`/jobs/${n}/timeline`);
    await page.getByRole('heading', { level: 1 }).first().waitFor();
    await page.waitForTimeout(1500);
    const at = new Date().toISOString();
    const note = { kind: 'note', place: '', text: 'seen by somebody else', stage: 'intake', observedAt: at };
    expect((await ina.post(`/api/jobs/${n}/readings`, note)).status).toBe(201);
    await page.waitForTimeout(1000);
    expect(await page.getByText('seen by somebody else').count()).toBe(0);
    hears();
    await page.getByText('seen by somebody else').first().waitFor();
    await context.close();
  });
});

it('a page whose script could not be fetched is there again once it is looked for', async () => {
  const { page } = await depot.tablet();
  let away = true;
  await page.route(/SignIn-.*\.js/, (r) => (away ? r.abort() : r.continue()));
  await page.goto('/');
  await page.getByText('This page cannot be shown').waitFor();
  away = false;
  await page.getByRole('button', { name: 'Look again' }).click();
  await page.getByRole('button', { name: 'Tomas Rook' }).waitFor();
});
