import { expect, it } from 'vitest';
import { measures, newJob, proveDead } from '../../server/test/depot';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

it('whoever was named to stay in sight works on it only with own gloves, own tag and somebody else in sight, and both tablets show it', async () => {
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Corrie', 'by two');
  await ina.post(`/api/jobs/${n}/decisions`, {
    body: measures(['replace-module', 'M02']),
    findingIds: [],
    baseVersion: 0,
  });
  await proveDead(ina, bench, n);

  const first = await depot.tablet();
  await signInAs(first.page, 'Ina Holm');
  await first.page.goto(`/jobs/${n}/make-safe`);
  await first.page.getByText('Tomas stays in sight.').waitFor();

  // The other tablet: the gate is open, and he is not at work on it.
  const second = await depot.tablet();
  await signInAs(second.page, 'Tomas Rook');
  await second.page.goto(`/jobs/${n}/make-safe`);
  await second.page.getByRole('button', { name: 'Join or take over' }).click();
  const take = second.page.getByRole('button', { name: 'I take over' });
  expect(await take.isDisabled()).toBe(true);
  const testedOn = new Date(Date.now() - 40 * 86_400_000).toISOString().slice(0, 10);
  await second.page.getByLabel('Class on the cuff').selectOption('0');
  await second.page.getByLabel('Electrical test on').fill(testedOn);
  await second.page.getByLabel('My key or tag on the disconnect').fill('tag 14');
  await second.page.getByText('Air test made just now').click();
  // He stayed in sight himself: somebody else does before he works.
  expect(await take.isDisabled()).toBe(true);
  await second.page.getByLabel('Who stays in sight now').fill('Edda Lunt');
  await take.click();
  await second.page.getByText('Tomas Rook', { exact: true }).waitFor();
  await second.page.getByText('Edda Lunt stays in sight.').waitFor();

  // The first tablet shows the same without being asked.
  await first.page.getByText('Edda Lunt stays in sight.').waitFor();
  await first.page.getByText('Tomas Rook, gloves class 0, tag 14').waitFor();
  expect(first.errors).toEqual([]);
  expect(second.errors).toEqual([]);
}, 120_000);

it('a module of other groups is offered nowhere; one that differs goes in with a reason that the sheet prints', async () => {
  const bench = depot.bench();
  const ina = await bench.as('Ina Holm');
  const n = await newJob(ina, 'Marram 3', 'not alike');
  await ina.post(`/api/jobs/${n}/decisions`, {
    body: measures(['replace-module', 'M02']),
    findingIds: [],
    baseVersion: 0,
  });
  await proveDead(ina, bench, n);
  const { body: job } = await ina.get<{
    pack: {
      chemistry: string;
      channels: { cells: number }[];
      modules: { id: string; channels?: string[] }[];
    };
  }>(`/api/jobs/${n}`);
  const groups = job.pack.channels.reduce((s, c) => s + c.cells, 0) / job.pack.modules.length;
  const part = (label: string, facts: object): object => ({
    label,
    facts: {
      chemistry: job.pack.chemistry,
      groupCount: groups,
      history: 'clean',
      origin: 'a yard',
      ...facts,
    },
  });
  const stock = await ina.post('/api/stock', {
    parts: [part('O-plug', { revision: 'Z9' }), part('O-long', { groupCount: groups * 2 })],
  });
  expect(stock.status).toBe(201);
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto(`/jobs/${n}/rebuild`);
  const step = page.getByRole('listitem').filter({ hasText: 'M02: Fit it' });
  await step.getByRole('button', { name: 'Record' }).click();
  const pick = page.getByLabel('Fit at M02');
  expect(await pick.innerText()).not.toContain('O-long');
  await page.getByText(`O-long cannot be fitted: ${groups * 2} groups, ${groups} are needed`).waitFor();
  await pick.selectOption({ label: 'O-plug, differs' });
  const put = page.getByRole('button', { name: 'It is in' });
  expect(await put.isDisabled()).toBe(true);
  await page.getByLabel('Why it is fitted all the same').fill('same cells, newer board');
  await put.click();
  await page.getByLabel('Fit at M02').waitFor({ state: 'detached' });
  await page.goto(`/jobs/${n}/hand-over`);
  const sheet = page.getByLabel('Hand-over sheet');
  await sheet
    .getByText(
      /O-plug went in.*came out, quarantine.*It differs from the pack’s own modules: revision Z9.*same cells, newer board\. Ina Holm/,
    )
    .waitFor();
  await sheet.getByText('Insulation was not measured here.').waitFor();
  await sheet.getByText('No photographs were taken.').waitFor();
  expect(errors).toEqual([]);
}, 120_000);
