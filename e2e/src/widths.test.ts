import type { Page } from 'playwright-core';
import { describe, expect, it } from 'vitest';
import { signInAs, visit } from './browser';
import { demoDepot, STAGES } from './depot';

const depot = demoDepot();
const WORKSHOP = ['/', '/looking-back', '/vehicles', '/packs', '/stock', '/instruments', '/people'];

/** How far the page reaches beyond the screen, px, what of it does, and whether lamp and Stop are wholly on it. */
const look = (page: Page): Promise<{ beyondPx: number; beyond: string[]; inView: boolean }> =>
  page.evaluate(async () => {
    // What a person sees: frames drawn once the browser has taken this width, not the moment in between.
    const taken = (): boolean =>
      [640, 1000].every((px) => matchMedia(`(max-width: ${px}px)`).matches === innerWidth <= px);
    for (let frame = 0; frame < 3 || (frame < 120 && !taken()); frame++)
      await new Promise(requestAnimationFrame);
    const inside = (e: Element | null | undefined): boolean => {
      if (!e) return false;
      const b = e.getBoundingClientRect();
      return b.width > 0 && b.left >= 0 && b.top >= 0 && b.right <= innerWidth && b.bottom <= innerHeight;
    };
    const stop = [...document.querySelectorAll('header button')].find((b) => b.textContent === 'Stop');
    return {
      beyondPx: document.documentElement.scrollWidth - innerWidth,
      beyond: [...document.querySelectorAll('body *')]
        .filter((e) => e.getBoundingClientRect().right > innerWidth + 1)
        .slice(0, 8)
        .map(
          (e) =>
            `${e.tagName} ${Math.round(e.getBoundingClientRect().right)} ${(e.textContent ?? '').slice(0, 20)}`,
        ),
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
      // Pages of the workshop by their address, as they are opened on a tablet that is turned; stages as a link goes to them.
      await (path.startsWith('/jobs') ? visit(page, path) : page.goto(path));
      await page.getByRole('heading', { level: 1 }).first().waitFor();
      // The lamp comes with what the server knows of the gate.
      if (path.startsWith('/jobs')) await page.locator('header [role="status"]').first().waitFor();
      for (const width of [360, 768, 1280]) {
        await page.setViewportSize({ width, height: 800 });
        await page.waitForTimeout(100);
        // From the top, and also at the end of a long page.
        await page.mouse.move(width / 2, 500);
        await page.mouse.wheel(0, -9000);
        // A page that is still fetching its parts may take a moment; it has to come right by itself.
        const inJob = path.startsWith('/jobs');
        const seen = async (): Promise<unknown> => {
          const { beyondPx, beyond, inView } = await look(page);
          return [path, width, beyondPx, beyondPx > 0 ? beyond : [], inJob ? inView : true];
        };
        const right = [path, width, 0, [], true];
        await expect.poll(seen, { timeout: 4000 }).toEqual(right);
        if (!inJob) continue;
        await page.mouse.wheel(0, 5000);
        await page.waitForTimeout(150);
        await expect.poll(seen, { timeout: 4000 }).toEqual(right);
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

  it('after a turn the queries of rules put in by script are asked anew; a keyboard that comes up asks nothing', async () => {
    const { page } = await depot.tablet();
    await page.addInitScript(() => {
      const put = CSSStyleSheet.prototype.insertRule;
      Object.assign(globalThis, { asked: 0 });
      CSSStyleSheet.prototype.insertRule = function (rule, at) {
        if (rule.startsWith('@media not all')) (globalThis as unknown as { asked: number }).asked++;
        return put.call(this, rule, at);
      };
    });
    await signInAs(page, 'Ina Holm');
    const asked = (): Promise<number> =>
      page.evaluate(() => (globalThis as unknown as { asked: number }).asked);
    await page.setViewportSize({ width: 1280, height: 420 });
    await page.waitForTimeout(2000);
    expect(await asked()).toBe(0);
    await page.setViewportSize({ width: 800, height: 1280 });
    // Once it has settled, and once more for what was still put in.
    await expect.poll(asked).toBeGreaterThanOrEqual(2);
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
