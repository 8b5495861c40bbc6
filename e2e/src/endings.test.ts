import type { Job } from '@cellmend/contract/jobs';
import { expect, it } from 'vitest';
import { proveDead } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';
import { archiveOf } from './wholeJob';

const depot = demoDepot();

it('a leak that the owner declines: no scan, a list, an estimate; good modules go on the shelf; it comes back', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.getByRole('button', { name: 'New job' }).click();
  await page.getByLabel('Vehicle').fill('Harbour launch');
  // A plate that was here before is known, however it is typed.
  await page.getByLabel('Plate or fleet number').fill('sk 02');
  await page.getByText('Corrie pilot car was here before').waitFor();
  await page.getByLabel('Complaint').fill('insulation lamp after rain');
  await page.getByRole('button', { name: 'Open job' }).click();
  await page.getByRole('heading', { name: 'What does the owner see' }).waitFor();
  const job = Number(/\/jobs\/(\d+)/.exec(page.url())![1]);

  await page.goto(`/jobs/${job}/findings`);
  await page.getByRole('button', { name: 'Decide without a scan' }).click();
  const add = async (kind: string, module?: string): Promise<void> => {
    await page.getByLabel('Another measure').selectOption({ label: kind });
    if (module) await page.getByLabel('Module', { exact: true }).selectOption(module);
    await page.getByRole('button', { name: 'Add', exact: true }).click();
  };
  await add('Replace module', 'M06');
  await add('Decline');
  // What is half decided is there again after a reload.
  await page.reload();
  await page.getByRole('button', { name: 'Decide without a scan' }).click();
  expect(await page.getByRole('list', { name: 'Measures' }).getByRole('listitem').count()).toBe(2);
  await page.getByRole('button', { name: 'Sign decision' }).click();
  await page.getByText('Signed by Ina Holm').first().waitFor();

  await page.goto(`/jobs/${job}/hand-over`);
  await page.getByRole('radio', { name: 'Repaired' }).click();
  await page.getByText('Still missing before it ends as repaired').waitFor();
  await page.getByRole('radio', { name: 'Declined' }).click();
  // What the sheet asks for is named under what is missing, before anybody signs.
  await page.getByText('What mending it would cost, or why nobody can say: say it below.').waitFor();
  expect(await page.getByRole('button', { name: 'Sign sheet' }).isDisabled()).toBe(true);
  await page.getByLabel('What mending it would cost').fill('3 200 and three weeks');
  const sheet = page.getByRole('article', { name: 'Hand-over sheet' });
  await sheet.getByText('Mending it would take: replace module M06').waitFor();
  await sheet.getByText('Nothing was scanned').waitFor();
  expect(await sheet.textContent()).not.toMatch(/A·h|km/);
  await page.getByRole('button', { name: 'Sign sheet' }).click();
  await page.getByText('Signed by Ina Holm.').waitFor();

  // All of it goes out as an archive; a workshop that has the job already takes it in no second time.
  await archiveOf(page, job);

  // What is good of it goes on the shelf, from behind the gate.
  const ina = await depot.bench().as('Ina Holm');
  const now = async (): Promise<Job> => (await ina.get<Job>(`/api/jobs/${job}`)).body;
  await proveDead(ina, depot.bench(), job);
  await page.goto(`/jobs/${job}/strip-down`);
  await page.getByRole('button', { name: 'Take out', exact: true }).click();
  for (const m of ['M01', 'M02']) await page.getByRole('button', { name: m, exact: true }).click();
  await page.getByRole('button', { name: '2 modules are out' }).click();
  await expect.poll(async () => (await now()).removed.length).toBe(2);
  await page.goto('/stock');
  for (const m of ['M01', 'M02'])
    await page.getByRole('link', { name: new RegExp(`^P\\d+-${m}$`) }).waitFor();

  await page.goto(`/jobs/${job}/hand-over`);
  await page.getByLabel('It is back').fill('P0AA6 again');
  await page.getByRole('button', { name: 'Open the job again' }).click();
  await expect.poll(async () => (await now()).decisions.some((d) => d.topic === 'reopen')).toBe(true);
  await page.goto('/');
  await page.getByText('Open again: P0AA6 again', { exact: false }).waitFor();
  await page.goto('/vehicles');
  await page.getByText('Corrie pilot car').first().waitFor();
  expect(errors.filter((e) => !/4(22|09)/.test(e))).toEqual([]);
});
