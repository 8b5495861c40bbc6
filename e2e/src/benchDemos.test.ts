import type { BenchView } from '@cellmend/contract/bench';
import type { SupervisedRun } from '@cellmend/contract/supervised';
import { addHours, previousWednesday, startOfDay } from 'date-fns';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { beforeAll, expect, it } from 'vitest';
import { signInAs } from './browser';
import { demoDepot } from './depot';

// The simulated modules stand as they do at first.
process.env.CELLMEND_LIVE = mkdtempSync(join(tmpdir(), 'cellmend-demo-bench-'));
const depot = demoDepot({ records: true, bench: true });
beforeAll(() => depot.bench().running.filled, 120_000);

it('a hybrid half-way through conditioning runs when the demo is begun, and the board and the map say so', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Tomas Rook');
  const card = page.getByRole('article').filter({ hasText: 'Ferry shuttle hybrid' });
  await card.getByText(/^4 on the bench, the first over .+, warmest S1[3-6] \d+ °C$/).waitFor();
  await page.goto('/jobs/138/bench');
  const now = page.getByRole('region', { name: 'On the bench now' });
  await now.getByText('4 on').waitFor();
  await page.getByRole('option', { name: /^S14, .*runs on the bench/ }).waitFor();
  // What earlier cycles say of the others becomes lines of the list.
  const follows = page.getByRole('region', { name: 'What follows from it' });
  await follows.getByText(/^Replace module S10/).waitFor();
  await follows.getByRole('button', { name: 'Onto the list of measures' }).click();
  await page.waitForURL(/\/findings\?decide/);
  const reasons = (): Promise<string[]> =>
    page.locator('input').evaluateAll((all) => all.map((x) => (x as HTMLInputElement).value));
  await expect
    .poll(reasons, { timeout: 30_000 })
    .toContainEqual(expect.stringMatching(/no gain in two cycles: worn, stop/));
  // Each came through its charge at scaled time: what one gave is in the record.
  const ina = await depot.bench().as('Ina Holm');
  await expect
    .poll(
      async () =>
        (await ina.get<SupervisedRun[]>('/api/jobs/138/bench/supervised')).body.filter((r) => r.step > 0)
          .length,
      { timeout: 150_000, interval: 1000 },
    )
    .toBe(4);
  expect(errors).toEqual([]);
}, 200_000);

it('two packs of seven sets of three on a two-channel 30 A charger: the days, with and without putting one into another', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Tomas Rook');
  // A Wednesday at noon, whenever this runs: towards a weekend putting one into another may well end later.
  const wednesday = startOfDay(previousWednesday(new Date()));
  await page.clock.setFixedTime(addHours(wednesday, 12));
  await page.goto('/jobs/139/bench');
  await page.getByText('How many days').click();
  const days = page.getByRole('region', { name: 'Days on the bench' });
  const hours = async (way: string): Promise<number> => {
    const text = (await days.getByText(way).textContent({ timeout: 60_000 }))!;
    const [, d, h] = /(?:(\d+) days)? ?(?:(\d+) h)?/.exec(text.slice(way.length).trim())!;
    return 24 * Number(d ?? 0) + Number(h ?? 0);
  };
  // Two figures are typed; the others stand there from the pack, and the sister's sets come with one press.
  await days.getByText('with job 140, School minibus: 7').click();
  expect(await days.getByLabel('Sets', { exact: true }).inputValue()).toBe('14');
  await days.getByLabel('Channels').fill('2');
  await days.getByLabel('A a channel').fill('30');
  expect(await days.getByLabel('A·h each').inputValue()).toBe('102');
  const alone = await hours('One by one:');
  // Each set is filled and emptied once, two at a time: no bench does it sooner.
  expect(alone).toBeGreaterThan((14 / 2) * 2 * (102 / 30));
  await days.getByText('140 P7').first().waitFor();
  // Half as many rests and first charges: sooner, and by how much stands beside it.
  expect(await hours('One into another:')).toBeLessThan(alone);
  await days.getByRole('radio', { name: 'one into another' }).click();
  await days.getByText(/^Done /).waitFor({ timeout: 60_000 });
  await days.getByRole('button', { name: 'Go by this plan' }).click();
  await days.getByText('As planned.').waitFor();
  expect(errors).toEqual([]);
}, 150_000);

it('three modules at 0 V: two are scrap, one is worth a try in the yard, and does not hold', async () => {
  const ina = await depot.bench().as('Ina Holm');
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/145/bench');
  await page.getByText('Start runs').click();
  const form = page.getByRole('region', { name: 'Start runs' });
  await form.getByLabel('Recipe').selectOption({ label: 'Supervised recovery' });
  const answer = async (): Promise<void> => {
    await form.getByLabel('Empty for, days').fill('9');
    await form.getByLabel('Age, years').fill('6');
    await form.getByText('Not swollen').click();
    await form.getByText('Not wet or smelling').click();
    await form.getByText(/^It lies outdoors/).click();
    await form.getByText(/^Somebody stays/).click();
    await form.getByRole('button', { name: /^Leads the right way round/ }).click();
  };
  // What nobody answered counts as no.
  await form.getByRole('button', { name: 'M05', exact: true }).click();
  await form.getByRole('button', { name: /^Leads the right way round/ }).click();
  await form.getByRole('button', { name: 'Start M05' }).click();
  await form.getByText(/Nobody knows how long it was empty/).waitFor();
  await form.getByRole('button', { name: /^Leads the right way round/ }).click();
  await answer();
  await form.getByRole('button', { name: 'Start M05' }).click();
  await form.getByText(/Nobody knows/).waitFor({ state: 'detached' });
  await form.getByText(/0\.02 V a cell is below 1\.5 V/).waitFor();
  await form.getByRole('button', { name: /^M05/ }).click();
  await form.getByRole('button', { name: 'M11', exact: true }).click();
  await form.getByRole('button', { name: 'Start M11' }).click();
  const now = page.getByRole('region', { name: 'On the bench now' });
  await now.getByRole('article', { name: /^M11 on Demo yard supply/ }).waitFor();
  // Low charge, then the hold: it falls back below its floor.
  const view = async (): Promise<BenchView> => (await ina.get<BenchView>('/api/jobs/145/bench')).body;
  await expect.poll(async () => (await view()).runs.length, { timeout: 200_000, interval: 1000 }).toBe(1);
  const [run] = (await view()).runs;
  expect(run!.held).toBe(false);
  expect(run!.says.join(' ')).toMatch(/does not hold\. Scrap it/);
  const follows = page.getByRole('region', { name: 'What follows from it' });
  await follows.getByText(/^Replace module M11/).waitFor();
  await follows.getByText(/did not hold: scrap/).waitFor();
  await follows.getByRole('button', { name: 'Onto the list of measures' }).click();
  await page.waitForURL(/\/findings\?decide/);
  expect(errors.filter((e) => !/422|400/.test(e))).toEqual([]);
}, 300_000);
