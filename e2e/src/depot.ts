import { PHASES } from '@cellmend/core/route';
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, onTestFinished } from 'vitest';
import { startBench, type Bench } from '../../server/test/harness';
import { openBrowser, openTablet } from './browser';

/** A server on the demo depot and a browser, for all tests of a file; with the work that was begun, and the bench that runs. */
export function demoDepot(whole: { records: boolean; bench: boolean } = { records: false, bench: false }): {
  /** One that keeps its pages for a dead spot, if asked. */
  tablet: (keepsPages?: boolean) => ReturnType<typeof openTablet>;
  databaseUrl: () => string;
  bench: () => Bench;
  /** Minutes go by on the clock of the server. */
  pass: (minutes: number) => void;
} {
  let bench: Bench;
  let browser: Browser;
  beforeAll(async () => {
    bench = await startBench(true, 1000, whole.records, whole.bench);
    browser = await openBrowser();
  });
  afterAll(async () => {
    await browser.close();
    await bench.end();
  });
  return {
    tablet: async (keepsPages) => {
      const tablet = await openTablet(browser, bench.address, keepsPages);
      // It is put away with its test: one that lies there goes on looking whenever something changes.
      onTestFinished(() => tablet.context.close());
      return tablet;
    },
    databaseUrl: () => bench.url,
    bench: () => bench,
    pass: (minutes) => bench.clock.pass(minutes),
  };
}

/** Every stage of a job by its place in the address, and the timeline. */
export const STAGES = [...PHASES.flatMap((p) => p.stages.map((stage) => stage.id)), 'timeline'];
