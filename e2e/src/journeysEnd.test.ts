import { expect, it } from 'vitest';
import { profileOf } from '../../server/test/depot';
import { holdBack } from './browser';
import { demoDepot } from './depot';
import { drivenCsv, WholeJob } from './wholeJob';

// Whole jobs that end on the bench, in the bin or elsewhere, from intake to their archive.

const depot = demoDepot();

it('NiMH sticks conditioned: runs jotted at the sticks, spread under load and swing proven', async () => {
  const made = profileOf('Sula stick 11', 11, 1, 'nimh');
  const profile = {
    ...made,
    ratedCapacityAh: 6,
    channels: made.channels.map(({ id }) => ({ id, cells: 12 })),
  };
  const job = await WholeJob.open(depot, profile, 'Sula hybrid van', 'fan runs, lamp');
  await job.intake([]);
  await job.decide(['Condition', 'M02'], ['Condition', 'M03']);
  await job.makeSafe();
  await job.work({ 'bench-result': '4.6' });
  await job.scan(drivenCsv(profile, 21));
  // What is being typed stays open, and under the hand, while somebody else takes in the scan after the work.
  await job.go('prove');
  const { page } = job;
  await page.getByRole('heading', { name: 'No scan after the repair yet' }).waitFor();
  const codes = page.getByRole('listitem').filter({ hasText: 'Codes stay away' });
  await codes.getByRole('button', { name: 'Record' }).click();
  await codes.getByLabel('Note').pressSequentially('Three drives, ');
  await job.scanElsewhere(drivenCsv(profile, 22), 'after');
  await page.getByText('Compared at rest').waitFor();
  await page.keyboard.type('none came back');
  expect(await codes.getByLabel('Note').inputValue()).toBe('Three drives, none came back');
  await codes.getByRole('button', { name: 'Close' }).click();
  const seen = { 'insulation-after-drive': '2.4M', 'blocks-under-load': '0.2', codes: '3', charge: '' };
  await job.prove(seen, 'A second cycle of M03 is still to come.');
  const sheet = await job.sheet('Repaired', [['What was not done, or not seen', 'A second cycle of M03.']]);
  expect(sheet).toMatch(/4\.6 A·h/);
  await job.archive();
  expect(job.errors).toEqual([]);
});

it('over-discharged modules: told before any comparison, scrapped each with its proof, what is good is salvaged', async () => {
  const profile = profileOf('Sula dead 12', 12, 6);
  const job = await WholeJob.open(depot, profile, 'Sula wreck', 'stood for two winters');
  const { page } = job;
  await job.intake(['stood for months']);
  await job.jot('bench', 'm01 0.02', 'm02 0.02', 'm03 9.0');
  await job.decide(['Scrap', 'M01'], ['Scrap', 'M02'], ['Scrap', 'M03']);
  await job.makeSafe({ group: '0.003' });
  const done = await job.work();
  expect(done).toEqual(['disposal M01', 'disposal M02', 'disposal M03']);
  await job.go('strip-down');
  await page.getByRole('button', { name: 'Take out', exact: true }).click();
  await page.getByRole('button', { name: 'M07', exact: true }).click();
  await page.getByRole('button', { name: 'M07 is out' }).click();
  await expect.poll(async () => (await job.job()).removed.length).toBe(4);
  // Without what Make safe knows the sheet would leave out how a damaged module travels: it is neither signed nor printed so.
  const answer = await holdBack(page, '**/safety');
  await page.goto(`/jobs/${job.n}/hand-over`);
  await page.getByLabel('What to expect').waitFor();
  for (const name of ['Sign sheet', 'Print'])
    expect(await page.getByRole('button', { name }).isDisabled(), name).toBe(true);
  expect(await page.getByRole('article', { name: 'Hand-over sheet' }).count()).toBe(0);
  await page.getByText('It is signed once all of it is here.').waitFor();
  answer();
  const sheet = await job.sheet('Scrapped');
  expect(sheet).toMatch(/recycler, note 4711/);
  expect(sheet).toMatch(/damaged or defective/i);
  expect(sheet).not.toMatch(/\d km/);
  await job.archive();
  expect(job.errors).toEqual([]);
});

it('48 V after a crash, locked: evidence in its order, never repaired here, handed on to who is licensed', async () => {
  const profile = profileOf('Sula 48', 2, 6);
  const job = await WholeJob.open(depot, profile, 'Sula service van', 'rear hit, dead');
  await job.intake(['crash', 'will not wake', 'stood for months']);
  await job.decide();
  expect((await job.job()).decisions.find((d) => d.topic === 'measures')!.body).toMatchObject({
    measures: [{ kind: 'specialist' }],
  });
  await job.go('hand-over');
  await job.page.getByRole('radio', { name: 'Repaired' }).click();
  await job.page.getByText('Still missing before it ends as repaired').waitFor();
  await job.makeSafe({ pyro: '0.2', insulation: '480k', group: '1.62' });
  const sheet = await job.sheet('Handed on, locked', [
    ['To whom it goes, who is licensed', 'Fjord HV service, Stovik'],
  ]);
  expect(sheet).toMatch(/Fjord HV service/);
  expect(sheet).toMatch(/Pyro fuse/);
  await job.archive();
  expect(job.errors).toEqual([]);
});

it('hit in the rear a year ago, and it stops safely now: what not to change next, and why, comes first', async () => {
  const profile = profileOf('Sula 96', 16, 6);
  const job = await WholeJob.open(depot, profile, 'Sula taxi', 'stop safely; 12 V battery changed twice');
  const { page } = job;
  for (const sign of ['crash', '12 V battery changed already'])
    await page.getByRole('button', { name: sign, exact: true }).click();
  await page
    .getByRole('region', { name: 'Answer' })
    .getByText(/Known false start: .*crash data/)
    .waitFor();
  await page
    .getByText(
      /Changing the 12 V battery as the cause when it is the result|A dead 12 V battery is often the result/,
    )
    .first()
    .waitFor();
  await job.intake(
    [],
    [
      ['Trouble codes', 'P0A0D'],
      ['Earlier repair, parts changed already', '12 V battery, twice'],
    ],
  );
  await job.decide();
  expect((await job.job()).decisions.find((d) => d.topic === 'measures')!.body).toMatchObject({
    measures: [{ kind: 'specialist', why: 'crash-locked' }],
  });
  await job.makeSafe({ pyro: '0.2', insulation: '900k' });
  const sheet = await job.sheet('Handed on, locked', [
    ['To whom it goes, who is licensed', 'Fjord HV service, Stovik'],
  ]);
  expect(sheet).toMatch(/12 V battery, twice/);
  await job.archive();
  expect(job.errors).toEqual([]);
});
