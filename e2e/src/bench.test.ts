import { readFileSync } from 'node:fs';
import type { BenchView } from '@cellmend/contract/bench';
import { expect, it } from 'vitest';
import { newJob } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('a dumb charger and a tablet: cycles typed in a dead spot, a logged one, what they say, and how long the rest takes', async () => {
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Ferry', 'bench');
  const view = async (): Promise<BenchView> => (await ina.get<BenchView>(`/api/jobs/${n}/bench`)).body;
  const { page, context, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/bench`);
  await page.getByRole('heading', { name: 'Nothing has run yet' }).waitFor();

  // A capacity in few actions: the stick on the map, what it gave, Record. With the server away it waits.
  await page.getByRole('option', { name: /^S07/ }).click();
  const form = page.getByRole('region', { name: 'Run of S07' });
  await form.getByLabel('Gave, A·h').fill('2,1');
  await context.setOffline(true);
  await form.getByRole('button', { name: 'Record', exact: true }).click();
  await form.getByText('S07: kept.').waitFor();
  expect(await form.getByLabel('Gave, A·h').inputValue()).toBe('');
  await context.setOffline(false);
  await expect.poll(async () => (await view()).runs.length, { timeout: 40_000 }).toBe(1);
  for (const [k, ah] of ['2.2', '2.2'].entries()) {
    await form.getByLabel('Gave, A·h').fill(ah);
    // What cannot be read stops the press.
    if (k === 0) {
      await form.getByLabel('End, V').fill('5.x');
      expect(await form.getByRole('button', { name: 'Record', exact: true }).isDisabled()).toBe(true);
      await form.getByLabel('End, V').fill('5.4');
      await form.getByLabel('10 s resistance, mΩ').fill('14,5');
    }
    await form.getByRole('button', { name: 'Record', exact: true }).click();
    await expect.poll(async () => (await view()).runs.length, { timeout: 20_000 }).toBe(k + 2);
  }
  await expect.poll(async () => (await view()).runs.map((r) => r.r10sMilliohm)).toContain(14.5);
  const cycles = page.getByRole('region', { name: 'Cycles so far' });
  await cycles.getByText(/no gain in two cycles: worn, stop/).waitFor();
  await page.getByRole('heading', { name: 'S07 is worn' }).waitFor();

  // A logged run of another stick is drawn; one that is no run says what is missing.
  await page.getByRole('option', { name: /^S09/ }).click();
  const other = page.getByRole('region', { name: 'Run of S09' });
  const send = async (name: string, text: string): Promise<void> => {
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      other.getByRole('button', { name: 'From a file' }).click(),
    ]);
    await chooser.setFiles({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });
  };
  await send('letter.csv', 'Dear workshop\n');
  await other.getByText('No heading with time, voltage and current was found.').waitFor();
  const rows = Array.from(
    { length: 400 },
    (_, k) => `${10 * k},${k < 330 ? 7.8 - k / 500 : 7.1 - (k - 330) * 0.2},6`,
  );
  await send('charger.csv', `time_s,voltage_V,current_A\n${rows.join('\n')}`);
  await other.getByText(/^S09: 5\.\d\d A·h/).waitFor();
  await page.getByRole('region', { name: 'Runs of S09' }).locator('.recharts-line path').first().waitFor();
  await cycles.getByText(/^Fits, 8\d % of the rating/).waitFor();

  // It was the other stick: taken back with a word, it counts no more.
  await page.getByRole('button', { name: /^Take back the run of/ }).click();
  await page.getByLabel('Why it is taken back').fill('that was S10');
  await page.getByRole('button', { name: 'Take back', exact: true }).click();
  await cycles.getByText(/^Fits/).waitFor({ state: 'detached' });

  // Two channels, 26 sticks: how many days, with every figure on the page.
  await page.getByText('How many days').click();
  const days = page.getByRole('region', { name: 'Days on the bench' });
  await days.getByText(/^Done /).waitFor({ timeout: 30_000 });
  // The plan goes into anybody's calendar, from the page.
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    days.getByRole('button', { name: 'For the calendar' }).click(),
  ]);
  expect(file.suggestedFilename()).toMatch(/^bench-job-\d+\.ics$/);
  const calendar = readFileSync(await file.path(), 'utf8');
  expect(calendar).toMatch(/^BEGIN:VCALENDAR\r\n/);
  expect(calendar.match(/^BEGIN:VEVENT/gm)!.length).toBeGreaterThan(20);
  await days.getByLabel('Channels').fill('0');
  await days.getByText(/^Every figure above zero/).waitFor();
  await page.getByText('Load bank').click();
  await page
    .getByRole('region', { name: 'Load bank' })
    .getByText(/A at first/)
    .waitFor({ timeout: 20_000 });

  // A hold test: its voltages are jotted like all others, and read against its beginning.
  await other.getByRole('button', { name: 'Begin hold test' }).click();
  await other.getByLabel(/^How full it was charged/).fill('100');
  await other.getByRole('button', { name: 'It is left alone now' }).click();
  const holds = page.getByRole('region', { name: 'Hold tests' });
  await holds.getByText('Jot its voltage now: s09 8.2').waitFor();
  await page.getByLabel('Jot line').fill('s09 8.21');
  await page.keyboard.press('Enter');
  await holds.getByText(/8\.210 V/).waitFor();
  await holds.getByText(/too early to tell/).waitFor();
  // Nothing is told of its loss before its warmth is known.
  await holds.getByText(/Not known: Its warmth/).waitFor();
  expect(await holds.getByText(/mA|% a month/).count()).toBe(0);
  // At its limit it is told where it is typed: a sensor of 10 kΩ that reads 4.2.
  await page.getByLabel('Jot line').fill('s09 4.2k ntc');
  await page.keyboard.press('Enter');
  await page.getByText(/^S09: \d\d °C: stop it now/).waitFor();
  expect(errors.filter((e) => !/ERR_INTERNET_DISCONNECTED|Failed to fetch|NetworkError|422/.test(e))).toEqual(
    [],
  );
});
