import { expect, it } from 'vitest';
import { signInAs } from './browser';
import { insulationPass, proveDead } from '../../server/test/depot';
import { demoDepot } from './depot';

const depot = demoDepot();

it('walks one pack from the scan file to the hand-over sheet', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  expect(await page.getByRole('heading', { level: 1 }).textContent()).toBe(
    'Eight jobs need you, two are running by themselves',
  );
  await page.getByRole('article').filter({ hasText: 'Job 147' }).getByRole('link').click();

  // A file that cannot be used is refused with what and where; nothing appears in the list.
  await page
    .locator('input[type=file]')
    .setInputFiles({ name: 'letter.csv', mimeType: 'text/csv', buffer: Buffer.from('Dear workshop\n') });
  await page.getByRole('alert').waitFor();
  expect(await page.getByRole('alert').textContent()).toContain('not a heading of columns');
  expect(await page.getByRole('table').count()).toBe(0);

  await page.getByRole('button', { name: 'marram-3-before.csv' }).click();
  await page.getByRole('link', { name: 'See findings' }).click();
  await page.getByRole('heading', { name: 'M07, channel 27 runs empty first: low capacity' }).waitFor();
  expect(await page.getByRole('option', { name: 'M07, suspect' }).count()).toBe(1);
  await page.getByRole('button', { name: 'Decide on M07' }).click();
  await page.getByRole('button', { name: 'Sign decision' }).click();

  await page.getByRole('heading', { name: 'S-014 fits the place of M07 best' }).waitFor();
  const swaps = page.getByRole('region', { name: 'What each swap brings' });
  await swaps.getByText('M07 ends it').waitFor();
  await swaps.getByText('M07', { exact: true }).waitFor();
  await page.getByRole('button', { name: 'Sign choice' }).click();

  await page.getByRole('heading', { name: /^Discharge S-014 by/ }).waitFor();
  await page.getByLabel('Current of the supply, A').fill('zero');
  expect(await page.getByRole('alert').textContent()).toContain('moves no charge');
  await page.getByLabel('Current of the supply, A').fill('6,5');
  await page.getByText('at 6,5 A').waitFor();
  const ways = page.getByRole('region', { name: 'Ways to bring it level' });
  for (const way of ['Resistor', 'Beside a neighbour', 'The vehicle’s bleeders'])
    await ways.getByText(way, { exact: true }).waitFor();
  await page.getByRole('button', { name: 'Sign plan' }).click();
  await page.getByRole('heading', { name: 'Is the pack proven dead?' }).waitFor();

  // Nothing inside is recorded, and no sheet signed, before the pack is proven dead.
  await page.goto('/jobs/147/hand-over');
  // Whoever opened it says in one tap whether the verdict held, and the workshop counts it.
  const was = page.getByRole('region', { name: 'Was the verdict right?' });
  await was
    .getByRole('radiogroup', { name: /^M07, low capacity/ })
    .getByText('Confirmed')
    .click();
  await was.getByText('Confirmed. Ina Holm').waitFor();
  await page.getByText('Still missing before it ends as repaired').waitFor();
  expect(await page.getByRole('button', { name: 'Sign sheet' }).isDisabled()).toBe(true);
  const ina = await depot.bench().as('Ina Holm');
  await proveDead(ina, depot.bench(), 147);
  await page.goto('/jobs/147/strip-down');
  const record = async (name: string, passed = 'Passed'): Promise<void> => {
    await page.getByRole('button', { name }).click();
    await page.getByRole('button', { name: passed, exact: true }).click();
    await page.getByRole('button', { name: passed, exact: true }).waitFor({ state: 'detached' });
  };
  await page.getByRole('button', { name: 'Record: M07 Strip down' }).click();
  await page.getByLabel('Left out').getByText('fasteners bagged').click();
  await page.getByText('The sheet says so.').waitFor();
  await page.getByRole('button', { name: 'Passed', exact: true }).click();
  await page.getByRole('button', { name: 'Passed', exact: true }).waitFor({ state: 'detached' });
  await page.goto('/jobs/147/balance');
  await record('Record: M16 Balance');
  await page.goto('/jobs/147/rebuild');
  await page.getByRole('button', { name: 'Record: M07 Fit it' }).click();
  await page.getByLabel('Send to').selectOption('scrapped');
  expect(await page.getByRole('button', { name: 'It is in' }).isDisabled()).toBe(true);
  await page.getByLabel('Why', { exact: true }).fill('one group at 72 %');
  await page.getByLabel('Proof').fill('recycler, note 12');
  await page.getByRole('button', { name: 'It is in' }).click();
  await record('Record: M07 Tighten and mark');
  // Woken by its figures: what nobody looked at does not pass.
  await page.getByRole('button', { name: 'Record: Bench-wake' }).click();
  await page.getByRole('button', { name: 'From the latest scan' }).click();
  expect(await page.getByLabel('Channels that reply, of 96').inputValue()).toBe('96');
  for (const [label, value] of [
    ['Sum of channels, V', ''],
    ['Highest channel, V', '3,706'],
    ['Lowest channel, V', '3.698'],
    ['Pack, V', '355.6'],
    ['Coldest, °C', '19'],
    ['Warmest, °C', '21'],
  ] as const)
    await page.getByLabel(label).fill(value);
  await page.getByRole('button', { name: 'Record: not passed' }).waitFor();
  await page.getByText('Read, none set').click();
  await page.getByRole('button', { name: 'Record: it woke as it should' }).click();
  await page.getByLabel('Highest channel, V').waitFor({ state: 'detached' });
  expect((await insulationPass(ina, 147)).status).toBe(201);

  await page.goto('/jobs/147/scan');
  await page.getByRole('button', { name: 'marram-3-after.csv' }).click();
  await page.getByRole('link', { name: 'Compare' }).click();
  await page.getByRole('heading', { name: /within its limits near full and near empty/ }).waitFor();
  // A delta is told with what it is read to, and over which charge both ends were seen.
  await page
    .getByText(/\d+ ± 3 mV/)
    .first()
    .waitFor();
  await page.getByText(/^Seen from \d+ % to \d+ % of charge\./).waitFor();
  // What proves a weak module and a levelled one: codes, a charge, a drive, days of standing. One is seen; the rest is signed as open, with why.
  const proofs = page.getByRole('region', { name: 'What proves this repair' });
  await expect.poll(() => proofs.getByRole('listitem').count()).toBe(4);
  expect(await page.getByRole('button', { name: 'Sign as proven' }).isDisabled()).toBe(true);
  await proofs
    .getByRole('listitem')
    .filter({ hasText: 'Codes stay away' })
    .getByRole('button', { name: 'Record' })
    .click();
  await proofs.getByRole('textbox', { name: 'Figure, drives' }).fill('3');
  await proofs.getByRole('button', { name: 'Seen, and right' }).click();
  await proofs.getByText('3 drives without one.').waitFor();
  await page
    .getByRole('textbox', { name: /Why it goes back/ })
    .fill('The owner drives it home to Skerra, 160 km, and calls.');
  await page.getByRole('button', { name: 'Sign as proven' }).click();

  const sheet = page.getByRole('article', { name: 'Hand-over sheet' });
  await sheet.waitFor();
  await sheet.getByText('S-014 went in').waitFor();
  await sheet.getByText('one group at 72 % (recycler, note 12)').waitFor();
  await sheet.getByText(/M07: Laid free, what was seen written down, passed/).waitFor();
  await sheet.getByText('M07: not done: fasteners bagged.').waitFor();
  await page.getByRole('button', { name: 'Sign sheet' }).click();
  await page.getByText('Signed by Ina Holm.').waitFor();
  const pdf = await page.pdf({ format: 'A4' });
  // Two pages at most: the count of page objects in the file.
  expect((pdf.toString('latin1').match(/\/Type\s*\/Page[^s]/g) ?? []).length).toBeLessThanOrEqual(2);

  await page.goto('/');
  await page.getByText('Handed over').first().waitFor();
  expect(errors.filter((e) => !e.includes('422'))).toEqual([]);
});

it('edits a pack profile with the map beside it: numbers, single modules and links', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Tomas Rook');
  await page.goto('/packs');
  await page.getByRole('link', { name: /island bus/i }).click();
  await page.getByRole('button', { name: 'Edit every module and link' }).click();
  await page.getByLabel('Module 19, name').fill('ROOF');
  await page.getByLabel('Module 19, name').blur();
  await page.getByRole('option', { name: /^ROOF/ }).waitFor();
  await page.getByLabel('Link L12, kind').selectOption('cable');

  // Two modules in one place: the fault is named and nothing can be saved until it is mended.
  await page.getByLabel('Module 2, row').fill('1');
  await page.getByLabel('Module 2, row').blur();
  await page.getByRole('alert').getByText('M02 lies where M01 lies').waitFor();
  expect(await page.getByRole('button', { name: 'Save', exact: true }).isDisabled()).toBe(true);
  await page.getByLabel('Module 2, row').fill('2');
  await page.getByLabel('Module 2, row').blur();
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByText('Version 2').waitFor();
  await page.reload();
  await page.getByRole('option', { name: /^ROOF/ }).waitFor();
  await page.getByRole('button', { name: 'Edit every module and link' }).click();
  expect(await page.getByLabel('Link L12, kind').inputValue()).toBe('cable');
  // A number of the layout keeps what was named.
  await page.getByLabel('Columns', { exact: true }).fill('3');
  await page.getByRole('option', { name: /^ROOF/ }).waitFor();
  expect(errors).toEqual([]);
});

it('a new job whose pack is not known waits for its profile, and goes on with it', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.getByRole('button', { name: 'New job' }).click();
  await page.getByLabel('Vehicle').fill('Mail cart 3');
  await page.getByLabel('Complaint').fill('no drive after the winter');
  await page.getByRole('button', { name: 'Make its profile' }).click();
  await page.getByRole('button', { name: 'New profile' }).click();
  await page.getByLabel('Name', { exact: true }).fill('Mail cart pack');
  expect(await page.getByRole('button', { name: 'Back to the new job' }).count()).toBe(0);
  await page.getByRole('button', { name: 'Save', exact: true }).click();
  await page.getByRole('button', { name: 'Back to the new job' }).click();
  // What was typed is there, and its pack is chosen.
  await page.getByRole('heading', { name: 'New job' }).waitFor();
  expect(await page.getByLabel('Vehicle').inputValue()).toBe('Mail cart 3');
  await page
    .getByRole('combobox', { name: 'Pack' })
    .getByText('Mail cart pack')
    .waitFor({ state: 'attached' });
  await page.getByRole('button', { name: 'Open job' }).click();
  await page.getByRole('heading', { name: 'What does the owner see' }).waitFor();
  await page.getByText('Mail cart 3').first().waitFor();
  expect(errors).toEqual([]);
});
