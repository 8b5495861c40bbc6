import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import { openBrowser, openTablet, signInAs } from './browser';

/** Walks the demo job and takes a picture of each main view: `node --import tsx e2e/src/walk.ts ADDRESS FOLDER [pit]`. */
const [address = 'http://127.0.0.1:4780', folder = 'docs/screenshots', theme = 'day'] = process.argv.slice(2);
mkdirSync(folder, { recursive: true });
const browser = await openBrowser();
const { page, errors } = await openTablet(browser, address);
const shot = async (p: Page, name: string): Promise<void> => {
  await p.waitForTimeout(700);
  await p.screenshot({ path: join(folder, `${name}.png`) });
};
await page.addInitScript((t) => localStorage.setItem('cellmend.theme', t), theme);
await page.goto('/');
await page.getByRole('button', { name: 'Ina Holm' }).waitFor();
await shot(page, 'sign-in');
await signInAs(page, 'Ina Holm');
await shot(page, 'job-board');
await page.getByRole('article').filter({ hasText: 'Job 147' }).getByRole('link').click();
await page.getByRole('button', { name: 'marram-3-before.csv' }).click();
await page.getByRole('link', { name: 'See findings' }).waitFor();
await shot(page, 'scan');
await page.getByRole('link', { name: 'See findings' }).click();
await page.getByRole('heading', { name: /Tilt/ }).waitFor();
await shot(page, 'findings');
await page.getByRole('button', { name: /^Decide/ }).click();
await shot(page, 'decide');
await page.getByRole('button', { name: 'Sign decision' }).click();
await page.getByText('nearest twin').waitFor();
await shot(page, 'match');
await page.getByRole('button', { name: 'Sign choice' }).click();
await page.getByText('Goes in at').waitFor();
await shot(page, 'balance');
await page.getByRole('button', { name: 'Sign plan' }).click();
await page.getByRole('button', { name: 'marram-3-after.csv' }).click();
await page.getByRole('link', { name: 'Compare' }).click();
await page.getByText('Delta between highest').waitFor();
await shot(page, 'prove');
await page.getByRole('button', { name: 'Sign as proven' }).click();
await page.getByRole('button', { name: 'Sign sheet' }).click();
await page.getByText('Signed by').first().waitFor();
await shot(page, 'hand-over');
await page.pdf({
  path: join(folder, 'sheet.pdf'),
  format: 'A4',
  margin: { top: '14mm', bottom: '14mm', left: '14mm', right: '14mm' },
});
console.log(errors.length ? `page errors:\n${errors.join('\n')}` : 'no page errors');
await browser.close();
