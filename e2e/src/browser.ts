import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';

const FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

/** How long a press or a word on the page is waited for: as long as a slow machine may take, and less than a test. */
const PATIENCE_MS = 60_000;

/** Debian's Chromium, as the machine has it. */
export const openBrowser = (): Promise<Browser> =>
  chromium.launch({ executablePath: '/usr/bin/chromium', args: FLAGS });

/**
 * A tablet: its own cookies and storage. What the page logs as an error is collected. What keeps pages for a dead spot is
 * left out unless asked for: it would answer in place of what a test puts between page and server.
 */
export async function openTablet(
  browser: Browser,
  address: string,
  keepsPages = false,
): Promise<{ context: BrowserContext; page: Page; errors: string[] }> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    baseURL: address,
    serviceWorkers: keepsPages ? 'allow' : 'block',
  });
  context.setDefaultTimeout(PATIENCE_MS);
  const page = await context.newPage();
  const errors: string[] = [];
  page.on('pageerror', (e) => errors.push(e.message));
  page.on('console', (m) => m.type() === 'error' && errors.push(m.text()));
  return { context, page, errors };
}

export async function signInAs(page: Page, name: string): Promise<void> {
  await page.goto('/');
  await page.getByRole('button', { name }).click();
  await page.getByRole('heading', { level: 1, name: /need|Nothing/ }).waitFor();
}

/**
 * Goes to another page as a link of the app does, without fetching all of it anew; done once that page shows its own heading. To where it
 * is already it goes by the address.
 */
export async function visit(page: Page, path: string): Promise<void> {
  const apart = await page.evaluate((to) => {
    const { origin, pathname } = new URL(to, location.href);
    if (origin !== location.origin || pathname === location.pathname || !document.querySelector('h1'))
      return false;
    for (const h of document.querySelectorAll('h1')) h.dataset.before = '';
    history.pushState(null, '', to);
    dispatchEvent(new PopStateEvent('popstate', { state: null }));
    return true;
  }, path);
  if (apart) await page.locator('h1:not([data-before])').first().waitFor();
  else await page.goto(path);
}

/** Holds back what a page asks of an address, as a slow net does, until what is returned is called. */
export async function holdBack(page: Page, address: string): Promise<() => void> {
  let answer = (): void => undefined;
  const held = new Promise<void>((done) => (answer = done));
  await page.route(address, async (r) => {
    await held;
    await r.continue();
  });
  return answer;
}
