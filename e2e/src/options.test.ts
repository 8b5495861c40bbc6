import type { Job } from '@cellmend/contract/jobs';
import type { Quote } from '@cellmend/contract/quotes';
import type { PartHistory, StockPart } from '@cellmend/contract/stock';
import { expect, it } from 'vitest';
import { newJob } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('an owner chooses between five options: figures typed as spans, nothing filled in, the quote kept and chosen from', async () => {
  const ina = await depot.bench().as('Ina Holm');
  const n = await newJob(ina, 'Marram', 'five options');
  const quotes = async (): Promise<Quote[]> => (await ina.get<Quote[]>(`/api/jobs/${n}/quotes`)).body;
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/intake`);
  await page.getByRole('link', { name: 'Owner’s choice' }).click();
  const keep = page.getByRole('button', { name: 'Keep as quote' });
  await keep.waitFor();
  // Nothing of the workshop's figures is assumed: until they are typed nothing is worked out.
  expect(await keep.isDisabled()).toBe(true);
  await page.getByLabel('The owner keeps it, years').fill('6');
  await page.getByLabel(/^Drives a year/).fill('15000');
  const typed: [string, string, string, string][] = [
    ['Leave it', '0', '0.5 to 1.5', '0'],
    ['Balance only', '110-150', '0.5 to 1', '7 in 10'],
    ['Four from the shelf', '900 to 1250', '1.4 to 3.2', '1 in 9'],
    ['Whole set', '3200 to 4600', '3 4 5', '1 in 14'],
    ['New pack', '13 000 to 14 000', '8 to 12', '1 in 40'],
  ];
  for (const [i, [name, cost, years, chance]] of typed.entries()) {
    if (i > 1) await page.getByRole('button', { name: 'Another option' }).click();
    const option = page.getByRole('group', { name: `Option ${i + 1}` });
    await option.getByLabel('Option', { exact: true }).fill(name);
    await option.getByLabel(/^Costs/).fill(cost);
    await option.getByLabel('Lasts, years').fill(years);
    await option.getByLabel('Comes back').fill(chance);
    if (name.startsWith('Four')) await option.getByLabel('Ready in, days').fill('2 to 4');
    if (name === 'New pack')
      await option.getByLabel('What is done then').selectOption({ value: 'whole-pack' });
  }
  const third = page.getByRole('group', { name: 'Option 3' });
  await third.getByLabel('Lasts, years').fill('long');
  await third.getByText(/“long” is no time it lasts/).waitFor();
  expect(await keep.isDisabled()).toBe(true);
  await third.getByLabel('Lasts, years').fill('1.4 to 3.2');
  // Leaving it costs nothing however long: that is no answer to which is cheapest.
  const title = page.getByRole('heading', { name: /^(Balance only|Four from the shelf) costs least a year/ });
  await title.waitFor();
  await page.getByText('nothing now').first().waitFor();
  // A reload loses nothing that was typed.
  await page.reload();
  await title.waitFor();
  await page.getByRole('button', { name: 'Take Leave it out' }).click();
  await title.waitFor();
  await page.getByRole('region', { name: 'What would change the choice' }).waitFor();
  await keep.click();
  const paper = page.getByRole('article', { name: 'Quote' });
  await paper.waitFor();
  // Of range and of when it is ready only what somebody said.
  const column = (name: string): Promise<string[]> =>
    paper.locator(`td[data-column="${name}"]`).allInnerTexts();
  expect(await column('Range')).toEqual(Array(4).fill('not known'));
  expect(await column('Ready in')).toEqual(['not known', '2 to 4 days', 'not known', 'not known']);
  expect((await quotes())[0]).toMatchObject({ chosen: null, horizonYears: 6 });
  // What is typed afterwards changes nothing of what was given.
  await page.getByLabel('The owner keeps it, years').fill('2');
  await paper.getByRole('button', { name: 'The owner chose Four from the shelf' }).click();
  await page.getByText('The owner chose: Four from the shelf.').waitFor();
  const [chosen, given] = await quotes();
  expect(chosen).toMatchObject({ chosen: 'Four from the shelf', horizonYears: 6 });
  expect(chosen!.options).toEqual(given!.options);
  const [p10, p90] = [chosen!.options[1]!.costPerYear.p10, chosen!.options[1]!.costPerYear.p90];
  expect(p10).toBeGreaterThan(900 / 3.2);
  expect(p90).toBeLessThan((2 * 1250) / 1.4);

  // What is chosen opens as the list to be signed; nothing is decided before somebody signs it.
  // A change of mind is another quote.
  await keep.click();
  await paper.getByRole('button', { name: 'The owner chose New pack' }).click();
  await page.getByText('The owner chose: New pack.').waitFor();
  await page.getByRole('button', { name: 'Decide' }).click();
  const lines = page.getByRole('list', { name: 'Measures' }).getByRole('listitem');
  await lines.first().waitFor();
  expect(await lines.count()).toBe(1);
  const decisions = async () => (await ina.get<Job>(`/api/jobs/${n}`)).body.decisions;
  expect(await decisions()).toEqual([]);
  // A list that was begun is not lost by choosing again: it is asked.
  await page.goto(`/jobs/${n}/options`);
  await page.getByRole('button', { name: 'Decide' }).click();
  await page.getByText('A list was begun under Findings and is not signed.').waitFor();
  await page.getByRole('button', { name: 'Keep it' }).click();
  await lines.first().waitFor();
  // What was given is chosen from until its last day.
  const [last] = await quotes();
  const yesterday = new Date(Date.now() - 2 * 86_400_000).toISOString().slice(0, 10);
  const old = await ina.post<{ detail: string }>(`/api/jobs/${n}/quotes`, {
    horizonYears: last!.horizonYears,
    distanceKmPerYear: last!.distanceKmPerYear,
    note: '',
    validUntil: yesterday,
    chosen: 'New pack',
    options: last!.options.map((o) => ({ ...o, costPerYear: undefined, chanceCheapest: undefined })),
    observedAt: new Date().toISOString(),
  });
  expect(old.status).toBe(422);
  expect(old.body.detail).toMatch(/^The quote stood until/);
  await page.getByRole('button', { name: 'Sign decision' }).click();
  await page.getByText('Signed by Ina Holm').first().waitFor();
  expect((await decisions())[0]!.body).toMatchObject({
    topic: 'measures',
    measures: [{ kind: 'whole-pack', place: '', why: 'the owner chose: New pack', dropped: '' }],
  });
  expect(errors).toEqual([]);
});

it('what is on record fills an option in: prices, the plan at the workshop’s rate, measured capacities; what is not stays open', async () => {
  const ina = await depot.bench().as('Ina Holm');
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/147/options');
  await page.getByText('Nothing can be filled in from the record. No module is found to come out.').waitFor();
  await page.goto('/jobs/147/scan');
  await page.getByRole('button', { name: 'marram-3-before.csv' }).click();
  await page.getByRole('link', { name: 'See findings' }).waitFor();
  await page.goto('/jobs/147/options');
  const record = page.getByRole('region', { name: 'From the record' });
  await record.getByText('M07 from the shelf').waitFor();
  await record
    .getByText(
      /the price of the module; the price of .*, to be added; what an hour costs here; how long it lasts/,
    )
    .waitFor();
  await record.getByRole('button', { name: 'Take M07 from the shelf as an option' }).click();
  const second = page.getByRole('group', { name: 'Option 2' });
  // No figure of money that nobody wrote down.
  expect(await second.getByLabel(/^Costs/).inputValue()).toBe('');
  expect(await second.getByLabel(/^Goes/).inputValue()).toMatch(/^\d+ \d+ \d+$/);
  expect(await second.getByLabel('Comes back').inputValue()).toBe('');
  await page.getByRole('button', { name: 'Take M07 from the shelf out' }).waitFor({ state: 'detached' });

  // The rate and the age are said, the donors get a price: then it is all there.
  await page.goto('/people');
  await page.getByLabel(/^An hour costs/).fill('80');
  await page.getByLabel('A module failed: out comes').selectOption('set');
  await page.getByRole('button', { name: 'Save rules' }).click();
  await page.getByText('Saved.').waitFor();
  const stock = (await ina.get<StockPart[]>('/api/stock')).body;
  for (const part of stock.filter((s) => s.kind === 'module')) {
    const { facts } = (await ina.get<PartHistory>(`/api/stock/${part.id}`)).body;
    await ina.post(`/api/stock/${part.id}/facts`, {
      facts: { ...facts[0]!.facts, price: 150 },
      reason: 'what it cost us',
    });
  }
  await page.goto('/jobs/147/intake');
  await page.getByLabel('Age, years').fill('5');
  await page.getByRole('button', { name: 'Sign intake' }).click();
  await page.getByText('Taken in by Ina Holm').waitFor();
  await page.goto('/jobs/147/options');
  await record.getByText('M07 from the shelf').waitFor();
  await record
    .getByText(/a module from the shelf; .* to lay it free, as long back, nobody has timed it here/)
    .waitFor();
  // When it is ready rests on the bench and its hours, which it names; what is to come in is told, not guessed.
  await record
    .getByText(/ready (today|within|in)\b.*with 2 bench channels at 8 A and 1 person there 8 to 17 h/)
    .waitFor();
  await record.getByText(/when it is ready: how long the parts take that are not here/).waitFor();
  await record.getByLabel('Parts that are not here, days').fill('soon');
  await record.getByText(/“soon” is no time until parts come in/).waitFor();
  await record.getByLabel('Parts that are not here, days').fill('20');
  await record
    .getByText(/ready in \d+ (to \d+ )?days, parts take longest/)
    .first()
    .waitFor();
  // The whole set is this workshop's school now, and the shelf has too few: it says so.
  await record.getByText(/more that fit: the shelf has/).waitFor();
  await second.getByLabel('Option', { exact: true }).fill('As it was taken');
  await record.getByRole('button', { name: 'Take M07 from the shelf as an option' }).click();
  const third = page.getByRole('group', { name: 'Option 3' });
  const [low, likely, high] = (await third.getByLabel(/^Costs/).inputValue()).split(' ').map(Number);
  expect(low).toBeGreaterThan(150);
  expect(likely).toBeGreaterThan(low!);
  expect(high).toBeGreaterThan(likely!);
  expect(await third.getByLabel('Lasts, years').inputValue()).toMatch(/^[\d.]+ [\d.]+ [\d.]+$/);
  expect(await third.getByLabel('Ready in, days').inputValue()).toMatch(/^(\d+|\d+ \d+ \d+)$/);
  expect(await third.getByLabel('What is done then').locator('option:checked').innerText()).toBe(
    'replace M07',
  );
  // The list that is proposed follows the school, each line with its reason.
  const { proposed } = (await ina.get<Job>('/api/jobs/147')).body;
  expect(proposed.filter((m) => m.why === 'this workshop changes the whole set').length).toBeGreaterThan(10);
  expect(errors).toEqual([]);
});
