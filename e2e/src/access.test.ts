import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type { Locator, Page } from 'playwright-core';
import { describe, expect, it } from 'vitest';
import { signInAs, visit } from './browser';
import { demoDepot, STAGES } from './depot';

const depot = demoDepot();
const axe = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/** Moves the focus with Tab until it is on the wanted control, as somebody without a mouse would. */
async function tabTo(page: Page, wanted: Locator): Promise<void> {
  await wanted.waitFor();
  for (let i = 0; i < 200; i++) {
    if (await wanted.evaluate((el) => el === document.activeElement)) return;
    await page.keyboard.press('Tab');
  }
  throw new Error(`Tab never reached ${wanted.toString()}`);
}
const press = async (page: Page, wanted: Locator, key = 'Enter'): Promise<void> => {
  await tabTo(page, wanted);
  await page.keyboard.press(key);
};

it('walks the whole path by keyboard alone', async () => {
  const { page } = await depot.tablet();
  await page.goto('/');
  await press(page, page.getByRole('button', { name: 'Ina Holm' }));
  await press(page, page.getByRole('article').filter({ hasText: 'Job 147' }).getByRole('link'));
  await press(page, page.getByRole('button', { name: 'marram-3-before.csv' }));
  await press(page, page.getByRole('link', { name: 'See findings' }));
  await press(page, page.getByRole('button', { name: 'Decide on M07' }));
  await tabTo(page, page.getByLabel('Work inside the pack was done elsewhere'));
  await page.keyboard.type('Hall 4, by the maker’s dealer, order 81');
  await press(page, page.getByRole('button', { name: 'Sign decision' }));
  await press(page, page.getByRole('button', { name: /^S-014/ }));
  await press(page, page.getByRole('button', { name: 'Sign choice' }));
  await press(page, page.getByRole('button', { name: 'Sign plan' }));
  await press(page, page.getByRole('link', { name: /Scan/ }));
  await press(page, page.getByRole('button', { name: 'marram-3-after.csv' }));
  await press(page, page.getByRole('link', { name: 'Compare' }));
  await page.getByRole('textbox', { name: /Why it goes back/ }).focus();
  await page.keyboard.type('The owner drives it home and calls.');
  await press(page, page.getByRole('button', { name: 'Sign as proven' }));
  await press(page, page.getByRole('button', { name: 'Sign sheet' }));
  await page.getByText('Signed by Ina Holm.').waitFor();

  // The letters: G and a stage, module to module, jot, walk.
  await page.locator('#stage').click({ position: { x: 5, y: 5 } });
  await page.keyboard.press('g');
  await page.waitForTimeout(120);
  await page.keyboard.press('f');
  await page.getByRole('heading', { name: 'Which group holds the pack back, and why?' }).waitFor();
  // Tabbing through the map picked its first module on the way.
  await page.keyboard.press(']');
  await page.getByRole('region', { name: 'Module M02' }).waitFor();
  await page.keyboard.press('[');
  await page.getByRole('region', { name: 'Module M01' }).waitFor();
  await tabTo(page, page.getByRole('option', { name: /^M01/ }));
  await page.keyboard.press('ArrowRight');
  await page.getByRole('region', { name: 'Module M16' }).waitFor();
  await page.locator('#stage').click({ position: { x: 5, y: 5 } });
  await page.keyboard.press('j');
  await page.keyboard.type('m07 14.72');
  await page.getByText('M07, voltage 14.72 V').waitFor();
  await page.keyboard.press('Enter');
  await page.keyboard.press('Escape');
  await page.keyboard.press('w');
  await page.getByRole('dialog', { name: 'Walk' }).getByRole('heading', { name: 'M01' }).waitFor();
  await page.keyboard.type('14.7');
  await page.keyboard.press('Enter');
  await page.getByRole('dialog', { name: 'Walk' }).getByRole('heading', { name: 'M02' }).waitFor();
  await page.keyboard.press('Escape');
  await page
    .getByRole('dialog', { name: 'Walk' })
    .getByRole('heading', { name: 'M02' })
    .waitFor({ state: 'detached' });
});

/** Each view is opened once and looked at three ways: at the desk by day, on a phone in the pit, on a tablet by day. */
const LOOKS = [
  ['day', 1280],
  ['pit', 360],
  ['day', 768],
] as const;

describe('in both themes, on a laptop, a phone and a tablet', () => {
  it('nothing stands in the way on any view, headings in their order included', async () => {
    const { page } = await depot.tablet();
    await page.setViewportSize({ width: LOOKS[0][1], height: 800 });
    await page.addInitScript((t) => localStorage.setItem('cellmend.theme', t), LOOKS[0][0]);
    const found: string[] = [];
    const check = async (name: string): Promise<void> => {
      await page.waitForTimeout(220);
      await page.evaluate(axe);
      for (const [theme, width] of LOOKS) await checkAs(`${name}, ${theme} at ${width}`, theme, width);
      await page.setViewportSize({ width: LOOKS[0][1], height: 800 });
      await page.evaluate((t) => void (document.documentElement.dataset.theme = t), LOOKS[0][0]);
    };
    const checkAs = async (name: string, theme: string, width: number): Promise<void> => {
      await page.setViewportSize({ width, height: 800 });
      await page.evaluate((t) => void (document.documentElement.dataset.theme = t), theme);
      await page.waitForTimeout(120);
      const violations = (await page.evaluate(
        'axe.run(document, { resultTypes: ["violations"] }).then(r => r.violations.map(v => ({ id: v.id, impact: v.impact, nodes: v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " " + n.failureSummary) })))',
      )) as { id: string; impact: string; nodes: string[] }[];
      for (const v of violations) found.push(`${name}: ${v.id}: ${v.nodes.join(' | ')}`);
    };
    await page.goto('/');
    await page.getByRole('button', { name: 'Ina Holm' }).waitFor();
    await check('sign-in');
    await signInAs(page, 'Ina Holm');
    await check('board');
    await page.getByRole('button', { name: 'New job' }).click();
    await check('new job');
    for (const path of [
      '/packs',
      '/stock',
      '/looking-back',
      '/vehicles',
      '/instruments',
      '/people',
      '/jobs/999',
    ]) {
      await visit(page, path);
      await page.getByRole('heading', { level: 1 }).waitFor();
      await check(path);
    }
    await page.goto('/vehicles');
    await page.getByRole('link', { name: 'Marram 3 post van' }).click();
    await page.getByRole('button', { name: 'Correct name or plate' }).click();
    await check('vehicle');
    await page.goto('/packs');
    await page.getByRole('link', { name: /island bus/i }).click();
    await page.getByRole('heading', { level: 1, name: /island bus/i }).waitFor();
    await check('pack editor');
    for (const stage of [...STAGES, 'options', 'timeline', 'lid-note']) {
      await visit(page, `/jobs/147/${stage}`);
      await page.getByRole('heading', { level: 1 }).waitFor();
      await check(stage);
    }
    // With tools open and cycles in its table.
    await page.goto('/jobs/138/bench');
    await page.getByText('Load bank').click();
    await page.getByRole('region', { name: 'Load bank' }).waitFor();
    await check('bench');
    await page.goto('/stock');
    await page.getByRole('link', { name: 'S-014' }).click();
    await page.getByRole('link', { name: 'Label' }).click();
    await page.getByAltText('Code of S-014').waitFor();
    await check('label');
    await page.goto('/jobs/138/findings');
    await page.getByRole('heading', { level: 1 }).waitFor();
    await check('findings without a scan');
    await page.keyboard.press('w');
    await page.getByRole('dialog').waitFor();
    await check('walk');
    expect(found).toEqual([]);
  });
});
