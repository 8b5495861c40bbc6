import type { Finding } from '@cellmend/contract/findings';
import { expect, it } from 'vitest';
import { profileOf } from '../../server/test/depot';
import { demoDepot } from './depot';
import { drivenCsv, WholeJob } from './wholeJob';

// Whole jobs in which the pack is opened, from intake to their archive, on packs that are not the demo's.

const depot = demoDepot();

it('a weak module: one group of 90 dead by scan; a donor taken in by hand; levelled, fitted, proven, handed over', async () => {
  const profile = profileOf('Sula 90', 45, 2);
  const job = await WholeJob.open(depot, profile, 'Sula mail van', 'drops to limp, wanted back today');
  const { page, errors } = job;
  await job.intake(['limps under load'], [['Age, years', '4']]);
  await job.scan(drivenCsv(profile, 7, (s) => (s.channels[40]!.fixedV = 1.62)));
  await page.goto('/stock');
  await page.getByRole('button', { name: /^Take/ }).first().click();
  await page.getByLabel('Label', { exact: true }).fill('S-90');
  await page.getByLabel('Groups in series').fill('2');
  await page.getByLabel('Where it comes from').fill('breaker, 3.77 V a group');
  await page.getByLabel(/^Rest voltage/).fill('7.54');
  await page.getByRole('button', { name: 'Take it in' }).click();
  await page.getByText('S-90').first().waitFor();
  await job.decide();
  expect((await job.job()).decisions.find((d) => d.topic === 'measures')!.body).toMatchObject({
    measures: [{ kind: 'replace-module', place: 'M21' }],
  });
  await job.go('match');
  await page.getByRole('button', { name: 'Sign choice' }).click();
  await page.getByRole('button', { name: 'Sign plan' }).click();
  await expect.poll(async () => (await job.job()).decisions.length).toBe(4);
  await job.makeSafe();
  await job.work();
  await job.scan(drivenCsv(profile, 8), 'After repair');
  await job.prove({ codes: '3', charge: '' }, 'The owner drives it home and calls.');
  const sheet = await job.sheet('Repaired');
  expect(sheet).toMatch(/S-90 went in/);
  expect(sheet).toMatch(/Not proven yet/);
  await job.archive();
  expect((await job.job()).composition).toMatchObject([{ place: 'M21', label: 'S-90', here: true }]);
  expect(errors).toEqual([]);
});

it('a leak with water: placed by two voltages, seen, dried, its way in sealed, proven after a drive', async () => {
  const profile = profileOf('Sula flood 16', 16, 6);
  const job = await WholeJob.open(depot, profile, 'Sula ferry tender', 'insulation lamp after rain');
  const { page, errors } = job;
  await job.intake(['insulation warning', 'worse after rain']);
  await job.scan(drivenCsv(profile, 17));
  await job.go('insulation');
  await page.getByRole('button', { name: 'Type the two voltages' }).click();
  await page.getByRole('radio', { name: 'Pack alone' }).click();
  for (const [label, v] of [
    ['Pole to pole, V', '352'],
    ['− to chassis, V', '60'],
    ['+ to chassis, V', '290'],
  ] as const)
    await page.getByLabel(label).fill(v);
  await page.getByText(/The leak sits 17 % up the string/).waitFor();
  await page.getByRole('button', { name: 'Record', exact: true }).click();
  await job.makeSafe();
  await job.jot('insulation', 'm03 ins 6.2k', 'note m03 water line two fingers high');
  await job.go('insulation?view=seen');
  await page.getByRole('radio', { name: 'water line' }).click();
  await page.getByLabel('At module').selectOption('M03');
  await page.getByRole('button', { name: /^Record .*water line at M03/ }).click();
  await page.getByText('So that it does not come back').waitFor();
  await job.decide(['Dry and refurbish', 'M03'], ['Seal, valve or plug', 'valve 1']);
  const done = await job.work();
  expect(done).toEqual(expect.arrayContaining(['dried M03', 'cause valve 1', 'sealed valve 1']));
  await job.scan(drivenCsv(profile, 18), 'After repair');
  await job.prove({ 'insulation-after-drive': '2.4M', codes: '3', charge: '', 'road-test': '180' });
  const sheet = await job.sheet('Repaired', [
    ['What was not done, or not seen', 'Under M05 to M08 nobody looked.'],
  ]);
  expect(sheet).toMatch(/Proven by/);
  expect(sheet).toMatch(/Under M05 to M08 nobody looked/);
  await job.archive();
  expect(errors).toEqual([]);
});

it('a sense board that reads one channel wrong: told from a weak cell by a meter, replaced, agrees with the meter afterwards', async () => {
  const profile = profileOf('Sula 84', 14, 6);
  const job = await WholeJob.open(depot, profile, 'Sula pilot boat', 'range jumps');
  const { page, errors } = job;
  await job.intake([]);
  await job.scan(drivenCsv(profile, 27, (s) => (s.channels[20]!.offsetV = -0.16)));
  await job.go('findings');
  await page
    .getByRole('heading', { name: /M04.*(sense|reads wrong)/i })
    .first()
    .waitFor();
  await job.decide();
  const { body } = (await job.job()).decisions.find((d) => d.topic === 'measures')!;
  expect(body).toMatchObject({ measures: [{ kind: 'replace-board', place: 'M04' }] });
  await job.makeSafe();
  await job.work();
  await job.scan(drivenCsv(profile, 28), 'After repair');
  // Its channels metered one by one beside the scan; one was jotted on the way and stands there already.
  const after = (await job.ina.get<Finding[]>(`/api/jobs/${job.n}/findings`)).body.find(
    (f) => f.topic === 'spread' && f.subject === 'after',
  )!;
  const settledV = (after.result as { settledV: number[] }).settledV;
  await job.jot('prove', `ch19 ${(settledV[18]! + 0.001).toFixed(3)}`);
  await job.go('prove');
  await page.getByRole('button', { name: 'Record', exact: true }).first().click();
  const meter = (ch: string) => page.getByLabel(`Meter at ${ch}, volts`);
  await expect
    .poll(() => meter('ch19').inputValue(), { timeout: 20_000 })
    .toBe((settledV[18]! + 0.001).toFixed(3));
  await page.getByText(/Not metered: ch20, ch21/).waitFor();
  await meter('ch20').fill('38');
  await page.getByText('ch20: no voltage of a cell group.').waitFor();
  expect(await page.getByRole('button', { name: /^Record: / }).isDisabled()).toBe(true);
  // What is typed is there after a reload, and Enter goes on to the next.
  await meter('ch20').fill((settledV[19]! - 0.002).toFixed(3));
  await page.reload();
  await page.getByRole('button', { name: 'Record', exact: true }).first().click();
  await meter('ch20').press('Enter');
  for (let k = 20; k < 24; k++) {
    await page.keyboard.type((settledV[k]! - 0.001).toFixed(3));
    await page.keyboard.press('Enter');
  }
  await page.getByText(/All 6 channels within \d mV of the meter, and none leaps/).waitFor();
  await page.getByRole('button', { name: 'Record: right' }).click();
  await expect
    .poll(async () => (await job.job()).proofs.find((p) => p.id === 'board-agrees')!.state)
    .toBe('pass');
  await job.prove({ codes: '3', charge: '', 'road-test': '180' });
  const sheet = await job.sheet('Repaired');
  expect(sheet).toMatch(/Board against meter.*All 6 channels within/s);
  await job.archive();
  expect(errors).toEqual([]);
});
