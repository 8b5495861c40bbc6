import type { Page } from 'playwright-core';
import { describe, expect, it } from 'vitest';
import { signInAs } from './browser';
import { demoDepot, STAGES } from './depot';

const depot = demoDepot();
const WORKSHOP = ['/', '/looking-back', '/vehicles', '/packs', '/stock', '/instruments', '/people'];

/** How far the page reaches beyond the screen, px, and whether lamp and Stop are wholly on it. */
const look = (page: Page): Promise<{ beyondPx: number; inView: boolean }> =>
  page.evaluate(async () => {
    // What a person sees: frames drawn at this width, not the moment in between.
    for (let frame = 0; frame < 3; frame++) await new Promise(requestAnimationFrame);
    const inside = (e: Element | null | undefined): boolean => {
      if (!e) return false;
      const b = e.getBoundingClientRect();
      return b.width > 0 && b.left >= 0 && b.top >= 0 && b.right <= innerWidth && b.bottom <= innerHeight;
    };
    const stop = [...document.querySelectorAll('header button')].find((b) => b.textContent === 'Stop');
    return {
      beyondPx: document.documentElement.scrollWidth - innerWidth,
      inView: inside(stop) && inside(document.querySelector('header [role="status"]')),
    };
  });

describe('on a phone, a tablet and a laptop', () => {
  it('at 360, 768 and 1280 px nothing is wider than the screen; lamp and Stop stay in view', async () => {
    const { page, context } = await depot.tablet();
    await signInAs(page, 'Ina Holm');
    await page.goto('/jobs/147/scan');
    await page.getByRole('button', { name: 'marram-3-before.csv' }).click();
    await page.getByRole('link', { name: 'See findings' }).waitFor();
    await page.goto('/vehicles');
    const van = await page.getByRole('link', { name: 'Marram 3 post van' }).getAttribute('href');
    for (const path of [...WORKSHOP, van!, ...STAGES.map((s) => `/jobs/147/${s}`)]) {
      await page.goto(path);
      await page.getByRole('heading', { level: 1 }).first().waitFor();
      for (const width of [360, 768, 1280]) {
        await page.setViewportSize({ width, height: 800 });
        await page.waitForTimeout(100);
        // From the top, and also at the end of a long page.
        await page.mouse.move(width / 2, 500);
        await page.mouse.wheel(0, -9000);
        const top = await look(page);
        expect([path, width, top.beyondPx]).toEqual([path, width, 0]);
        if (!path.startsWith('/jobs')) continue;
        expect([path, width, top.inView]).toEqual([path, width, true]);
        await page.mouse.wheel(0, 5000);
        await page.waitForTimeout(150);
        expect([path, width, (await look(page)).inView]).toEqual([path, width, true]);
        // On a laptop the parts of the page scroll, never the whole of it: not by a second turn of the wheel either.
        if (width === 1280)
          expect([path, await page.evaluate(() => document.documentElement.scrollHeight)]).toEqual([
            path,
            800,
          ]);
      }
    }
    await context.close();
  });

  it('a phone picks the stage from behind the present one, and opens Stop', async () => {
    const { page, context } = await depot.tablet();
    await page.setViewportSize({ width: 360, height: 740 });
    await signInAs(page, 'Ina Holm');
    await page.goto('/jobs/147/intake');
    await page.getByRole('button', { name: /^Stage Intake/ }).click();
    await page.getByRole('navigation', { name: 'Route' }).getByRole('link', { name: 'Bench' }).click();
    await page.getByRole('button', { name: /^Stage Bench/ }).waitFor();
    expect(await page.getByRole('navigation', { name: 'Route' }).isVisible()).toBe(false);
    await page.getByRole('button', { name: 'Stop' }).click();
    const dialog = await page.getByRole('dialog', { name: 'Stop' }).boundingBox();
    expect(dialog!.x).toBeGreaterThanOrEqual(0);
    expect(dialog!.x + dialog!.width).toBeLessThanOrEqual(360);
    await context.close();
  });
});
