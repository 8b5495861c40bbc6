import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { openBrowser, openTablet, signInAs } from './browser';

/** Walks the demo depot and takes a picture of each main view: `node --import tsx e2e/src/walk.ts ADDRESS FOLDER [pit]`. */
const [address = 'http://127.0.0.1:4780', folder = 'docs/screenshots', theme = 'day'] = process.argv.slice(2);
mkdirSync(folder, { recursive: true });
const browser = await openBrowser();
const { page, errors } = await openTablet(browser, address);
const shot = async (p: Page, name: string): Promise<void> => {
  await p.waitForTimeout(700);
  await p.screenshot({ path: join(folder, `${name}.png`) });
};
const jot = async (line: string): Promise<void> => {
  await page.getByLabel('Jot line').fill(line);
  await page.keyboard.press('Enter');
  await page.waitForTimeout(300);
};
await page.addInitScript((t) => localStorage.setItem('cellmend.theme', t), theme);
await page.goto('/');
await page.getByRole('button', { name: 'Ina Holm' }).waitFor();
await signInAs(page, 'Ina Holm');

// The pilot car first: its capacitors take minutes that cannot be shortened, so the rest goes on meanwhile.
await page.goto('/jobs/144/intake');
await page.getByRole('heading', { level: 1 }).waitFor();
for (const sign of ['will not charge', 'insulation warning', 'worse after rain'])
  await page.getByRole('button', { name: sign }).click();
await page.getByLabel('Trouble codes').fill('P0AA6');
await page.locator('#stage').evaluate((el) => el.scrollTo(0, 0));
await shot(page, 'intake');
await page.getByRole('button', { name: 'Sign intake' }).click();
await page.goto('/jobs/144/make-safe');
await page.getByRole('button', { name: 'Begin lock-out' }).click();
await page.getByRole('button', { name: 'Read', exact: true }).click();
await page.getByText('Air test made just now').click();
await page.getByRole('button', { name: 'Gloves on' }).click();
await page.getByLabel('Who knows and stays in sight').fill('Tomas Rook');
await page.getByRole('button', { name: 'Barrier is up' }).click();
await page.getByRole('button', { name: 'Key away, negative off' }).click();
await page.getByRole('button', { name: 'Disconnect is out' }).click();
await page.getByText('capacitors may still hold').waitFor();
await page.waitForTimeout(30_000);
await shot(page, 'make-safe');
await page.goto('/instruments');
await page
  .getByRole('row', { name: /Demo insulation tester/ })
  .getByRole('button', { name: 'Ask it' })
  .click();
await page.waitForTimeout(800);
await shot(page, 'instruments');

await page.goto('/packs');
await page.getByRole('link', { name: /yard tug/i }).click();
await page.getByRole('heading', { level: 1, name: /yard tug/i }).waitFor();
await shot(page, 'pack-profile');
await page.goto('/jobs/138/bench');
await page.getByRole('button', { name: 'S11', exact: true }).click();
await page.locator('.recharts-line path').first().waitFor();
await page.locator('#stage').evaluate((el) => el.scrollTo(0, 0));
await shot(page, 'bench');
await page.goto('/jobs/144/bench');
await page.getByText('Nothing recorded here yet').waitFor();
await jot('m07 29.31');
await jot('m08 29.30');
await jot('note m05 green residue on tap 3');
await page.getByLabel('Jot line').fill('m06 ins 6.2k');
await page.getByLabel('Jot line').fill('');
await page.locator('#stage').click({ position: { x: 5, y: 5 } });
await page.keyboard.press('w');
await page.getByRole('dialog', { name: 'Walk' }).getByRole('heading', { name: 'M01' }).waitFor();
for (const v of ['29.31', '29.30', '29.32', '29.31', '28.94', '-']) {
  await page.getByRole('textbox', { name: /voltage of/ }).fill(v);
  await page.keyboard.press('Enter');
  await page.waitForTimeout(250);
}
await page.keyboard.press('Escape');
await page.goto('/jobs/147/scan');
await page.getByRole('button', { name: 'marram-3-before.csv' }).click();
await page.getByRole('link', { name: 'See findings' }).waitFor();
await page.getByRole('radio', { name: 'Course' }).click();
await page.getByText('Every channel through the record').waitFor();
await shot(page, 'scan');
await page.getByRole('link', { name: 'See findings' }).click();
await page.getByRole('radio', { name: 'Tilt' }).waitFor();
await shot(page, 'findings');
await page.getByRole('button', { name: /^Decide/ }).click();
await page.getByRole('button', { name: 'Sign decision' }).waitFor();
await shot(page, 'decision');
await page
  .getByLabel('Work inside the pack was done elsewhere')
  .fill('Hall 4, by the maker’s dealer, order 81');
await page.getByRole('button', { name: 'Sign decision' }).click();
await page.getByText('nearest twin').waitFor();
await shot(page, 'match');
await page.getByRole('button', { name: 'Sign choice' }).click();
await page.getByText('Goes in at').waitFor();
await page.locator('#stage').evaluate((el) => el.scrollTo(0, 0));
await shot(page, 'balance');
await page.getByRole('button', { name: 'Sign plan' }).click();
await page.getByRole('heading', { name: 'Is the pack proven dead?' }).waitFor();
await page.goto('/jobs/147/scan');
await page.getByRole('button', { name: 'marram-3-after.csv' }).click();
await page.getByRole('link', { name: 'Compare' }).click();
await page.getByText('Delta between highest').waitFor();
await shot(page, 'prove');
await page
  .getByRole('textbox', { name: /Why it goes back/ })
  .fill('The owner drives it home, 160 km, and calls.');
await page.getByRole('button', { name: 'Sign as proven' }).click();
await page.getByRole('button', { name: 'Sign sheet' }).click();
await page.getByText('Signed by').first().waitFor();
await page.locator('#stage').evaluate((el) => el.scrollTo(0, 260));
await shot(page, 'hand-over');
await page.goto('/stock');
await page.getByText('S-014').waitFor();
await shot(page, 'stock');
await page.goto('/jobs/147/options');
await page.getByLabel('The owner keeps it, years').fill('6');
await page.getByLabel(/^Drives a year/).fill('15000');
for (const [i, [name, cost, years, range, chance, says]] of [
  ['Leave it', '0', '0.5 to 1.5', '190', '0', 'limps below 20 %'],
  ['Balance only', '110 to 150', '0.5 to 1', '195', '7 in 10', 'in the car, 6 to 9 days'],
  ['One from the shelf', '620 to 850', '1.4 to 3.2', '221', '1 in 9', 'two days here'],
  ['Used pack', '3200 to 4600', '3 4 5', '230', '1 in 12', 'four days, freight'],
  ['New pack', '13 000 to 14 000', '8 to 12', '240', '1 in 40', 'eleven weeks'],
].entries()) {
  if (i > 1) await page.getByRole('button', { name: 'Another option' }).click();
  const option = page.getByRole('group', { name: `Option ${i + 1}` });
  await option.getByLabel('Option', { exact: true }).fill(name!);
  await option.getByLabel(/^Costs/).fill(cost!);
  await option.getByLabel('Lasts, years').fill(years!);
  await option.getByLabel(/^Goes/).fill(range!);
  await option.getByLabel('Comes back').fill(chance!);
  await option.getByLabel('In a line').fill(says!);
}
await page.getByRole('heading', { name: /costs least a year/ }).waitFor();
await page.locator('#stage').evaluate((el) => el.scrollTo(0, 0));
await shot(page, 'owners-choice');

await page.goto('/jobs/144/make-safe');
await page.getByLabel('Meter on a known source').fill('12.6', { timeout: 480_000 });
await page.getByLabel('Meter on a known source').press('Enter');
for (const v of ['1.4', '0.3', '0.2', '12.5']) {
  await page.keyboard.type(v);
  await page.keyboard.press('Enter');
}
await page.getByText('Proven dead at all three points').waitFor();
await page.goto('/jobs/144/insulation');
await page.getByRole('button', { name: 'Type the two voltages' }).click();
await page.getByRole('radio', { name: 'Pack alone' }).click();
for (const [label, value] of [
  ['Pole to pole, V', '318'],
  ['− to chassis, V', '132.3'],
  ['+ to chassis, V', '185.5'],
  ['Known resistor', '10k'],
  ['Higher pole with it, V', '114.6'],
  ['The vehicle shows', '9k'],
] as const)
  await page.getByLabel(label).fill(value);
await page.getByRole('button', { name: 'Record', exact: true }).click();
for (let tests = 0; tests < 5; tests++) {
  await page.getByRole('radio', { name: 'The search' }).waitFor();
  if (await page.getByRole('heading', { level: 2, name: /^At M/ }).count()) break;
  await page.getByRole('button', { name: 'Record test' }).click();
  await page.getByText('Management unit and sense plugs').click();
  await page.getByRole('radio', { name: 'It read 0' }).click();
  await page.getByRole('button', { name: 'Run on Demo insulation tester' }).click();
  await page.getByRole('heading', { name: 'Insulation tests' }).waitFor({ timeout: 60_000 });
  await page.waitForTimeout(500);
}
await shot(page, 'insulation');
await page.goto('/jobs/144/strip-down');
// The leak was found at M06: it is proposed, and the plan leads there.
await page.getByRole('list', { name: 'Steps' }).waitFor();
for (let i = 0; i < 4; i++) {
  await page.getByRole('button', { name: 'Done', exact: true }).click();
  await page.waitForTimeout(700);
}
await shot(page, 'strip-down');
await page.goto('/jobs/144/rebuild');
await page.getByRole('list', { name: 'What goes on again' }).waitFor();
await shot(page, 'rebuild');
await page.locator('#stage').click({ position: { x: 4, y: 4 } });
await page.keyboard.press('s');
await page.getByRole('dialog', { name: 'Stop' }).waitFor();
await shot(page, 'stop');
await page.goto('/');
await page.getByRole('heading', { level: 1 }).waitFor();
await shot(page, 'job-board');
console.log(errors.length ? `page errors:\n${errors.join('\n')}` : 'no page errors');
await browser.close();
