import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import { expect, it } from 'vitest';
import { root } from '../../server/test/harness';
import { signInAs } from './browser';
import { demoDepot } from './depot';

const depot = demoDepot();

/** The demo record as another tool might write it: other names, semicolons, decimal commas, charge positive. */
function strangeFile(): Buffer {
  const [heading, ...lines] = readFileSync(join(root, 'demo/marram-3-before.csv'), 'utf8').trim().split('\n');
  const names = heading!.split(',');
  const current = names.indexOf('current_A');
  const renamed = names.map((n, i) =>
    i === 0 ? 'Zeit_s' : i === current ? 'Strom [A]' : n.startsWith('ch') ? `Z ${n.slice(2, 5)}` : n,
  );
  const rows = lines.map((l) => {
    const cells = l.split(',');
    cells[current] = String(-Number(cells[current]));
    return cells.join(';').replaceAll('.', ',');
  });
  return Buffer.from([renamed.join(';'), ...rows].join('\r\n'));
}

it('takes a file of another tool: columns named once, direction confirmed, remembered', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/147/scan');
  const choose = async (): Promise<void> => {
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      page.getByRole('button', { name: 'Choose file' }).click(),
    ]);
    await chooser.setFiles({ name: 'strange.csv', mimeType: 'text/csv', buffer: strangeFile() });
  };
  await choose();
  await page.getByText('96 of 96 channels are not named yet').waitFor();
  expect(await page.getByRole('button', { name: 'Read the file so' }).isDisabled()).toBe(true);
  await page.getByRole('button', { name: 'Take the 96 that could be channels' }).click();
  await page.getByRole('button', { name: 'Read the file so' }).click();
  await page.getByRole('heading', { name: /Which way does the current count/ }).waitFor();
  await page.getByRole('button', { name: 'Positive is charge' }).click();
  await page.getByRole('cell', { name: /^strange\.csv/ }).waitFor();
  await choose();
  await page
    .getByRole('cell', { name: /^strange\.csv/ })
    .nth(1)
    .waitFor({ timeout: 60_000 });
  await page.getByRole('link', { name: 'See findings' }).click();
  await page.getByRole('heading', { name: /M07, channel 27/ }).waitFor();
  // The 422 that asked for the direction is the only thing the console saw.
  expect(errors.filter((e) => !/422/.test(e))).toEqual([]);
});

it('reads the demo vehicle live and weighs a meter reading in', async () => {
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/144/scan');
  await page.getByRole('radio', { name: 'Live' }).click();
  await page.getByRole('button', { name: 'Demo vehicle' }).click();
  await page.getByText('Reading the vehicle').waitFor();
  await page.getByText('P0A80-00').waitFor();
  await page.waitForTimeout(6000);
  await page.getByRole('button', { name: 'Stop and keep' }).click();
  await page.getByRole('cell', { name: /^Live scan/ }).waitFor({ timeout: 60_000 });
  await page.getByRole('radio', { name: 'Trouble codes' }).click();
  await page.getByText('The vehicle judges the pack worn').waitFor();
  await page
    .getByRole('link', { name: 'See findings' })
    .click()
    .catch(() => page.goto('/jobs/144/findings'));
  await page.getByRole('button', { name: /M\d\d/ }).first().click();
  await page
    .getByLabel(/Meter at ch/)
    .first()
    .fill('3.9');
  await page.getByRole('button', { name: 'Weigh in' }).first().click();
  await page
    .getByText(/The meter shows 3\.900\sV at the terminals/)
    .first()
    .waitFor({ timeout: 30_000 });
  expect(errors).toEqual([]);
});

/** A module that went into the pack of job 147 two hours ago, as its record has it. */
async function wentIn(place: string): Promise<void> {
  const db = new pg.Client({ connectionString: depot.databaseUrl() });
  await db.connect();
  const { rows } = await db.query<{ id: string }>(
    "INSERT INTO parts (id, label, kind) VALUES (gen_random_uuid(), 'donor of order', 'module') RETURNING id",
  );
  await db.query(
    `INSERT INTO placements (id, part_id, kind, place, pack_id, job_id, at)
       SELECT gen_random_uuid(), $1, 'pack', $2, pack_id, id, now() - interval '2 hours' FROM jobs WHERE number = 147`,
    [rows[0]!.id, place],
  );
  await db.end();
}

it('asks whether a record is of before or after the repair where its clock says otherwise', async () => {
  await wentIn('M07');
  const { page, errors } = await depot.tablet();
  await signInAs(page, 'Ina Holm');
  await page.goto('/jobs/147/scan');
  await page.getByText('Before repair', { exact: true }).click();
  const ids = Array.from({ length: 96 }, (_, i) => `ch${String(i + 1).padStart(3, '0')}_V`);
  const row = (s: number): string =>
    [new Date(Date.now() - 3_600_000 + s * 1000).toISOString(), 0, ...ids.map(() => '3.900')].join(',');
  const buffer = Buffer.from([['time', 'current_A', ...ids].join(','), row(0), row(30), row(60)].join('\n'));
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('button', { name: 'Choose file' }).click(),
  ]);
  await chooser.setFiles({ name: 'evening.csv', mimeType: 'text/csv', buffer });
  await page
    .getByText(/M07 went in on .*that is not the pack as it came\. Nothing was stored yet\./)
    .waitFor();
  expect(await page.getByRole('cell', { name: /^evening\.csv/ }).count()).toBe(0);
  await page.getByRole('button', { name: 'After the repair' }).click();
  await page.getByRole('row', { name: /evening\.csv.*after repair/s }).waitFor();
  expect(errors.filter((e) => !/422/.test(e))).toEqual([]);
});
