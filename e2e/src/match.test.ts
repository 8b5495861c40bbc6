import type { Job } from '@cellmend/contract/jobs';
import type { StockPart } from '@cellmend/contract/stock';
import { expect, it } from 'vitest';
import { measures, newJob } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('four places are filled from a shelf of thirty, one of them by hand, and signed in one', async () => {
  const ina = await depot.bench().as('Ina Holm');
  const n = await newJob(ina, 'Corrie', 'four wet ones');
  const parts = Array.from({ length: 30 }, (_, i) => ({
    kind: 'module',
    label: `D-${String(i + 1).padStart(2, '0')}`,
    facts: { chemistry: 'nmc', groupCount: i === 4 ? 6 : 7, origin: 'a shelf' },
    figures: {
      ...(i === 8 ? {} : { capacityAh: 30 + ((i * 7) % 30) / 5 }),
      resistanceMilliohm: 1.2 + ((i * 11) % 30) / 50,
      restVoltageV: 26,
    },
  }));
  expect((await ina.post('/api/stock', { parts })).status).toBe(201);
  const places = ['M01', 'M02', 'M03', 'M12'];
  const list = measures(...places.map((p): ['replace-module', string] => ['replace-module', p]));
  expect((await ina.post(`/api/jobs/${n}/decisions`, { body: list, baseVersion: 0 })).status).toBe(201);
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/match`);
  await page.getByText('All at once').click();
  await page.getByRole('heading', { name: /^4 donors of 28 that fit/ }).waitFor();
  // What cannot go in says why; what nobody measured is asked for, not passed.
  const left = page.getByRole('region', { name: 'Left on the shelf' });
  await left.getByText('6 groups, 7 are needed').waitFor();
  await left.getByText('its capacity is not measured: a run on the bench').waitFor();
  // Nothing is measured of this pack: no figure of what a swap brings is made up.
  await page
    .getByRole('region', { name: 'What each swap brings' })
    .getByText(/^Not measured/)
    .waitFor();
  const chosen = (): Promise<string[]> =>
    Promise.all(places.map((p) => page.getByLabel(`Donor for ${p}`).locator('option:checked').innerText()));
  const before = await chosen();
  expect(new Set(before).size).toBe(4);
  // One is put there by hand and stays, also over a reload and another aim.
  await page.getByLabel('Donor for M02').selectOption('D-20');
  await page.getByText('D-20 stays at M02.').waitFor();
  await page.getByRole('button', { name: /^Twins/ }).click();
  await page.reload();
  await page.getByText('D-20 stays at M02.').waitFor();
  await expect.poll(chosen).toContain('D-20');
  const now = await chosen();
  expect(now[1]).toBe('D-20');
  expect(new Set(now).size).toBe(4);
  await page.getByRole('button', { name: 'Sign choice' }).click();
  await page.waitForURL(/\/balance$/);
  const { decisions } = (await ina.get<Job>(`/api/jobs/${n}`)).body;
  const match = decisions.find((d) => d.topic === 'match')!.body as {
    choices: { place: string; partId: string }[];
  };
  expect(match.choices.map((c) => c.place).sort()).toEqual([...places].sort());
  const held = (await ina.get<StockPart[]>('/api/stock')).body.filter((s) => s.reserved?.job === n);
  expect(held.map((h) => h.label).sort()).toEqual([...now].sort());
  expect(errors).toEqual([]);
});
