import { defineConfig } from 'vitest/config';
import { LongestFirst } from './scripts/lib/longestFirst';

// Each test file makes what it needs and ends it: the program is read once a worker, not once a file.
const isolate = false;

export default defineConfig({
  test: {
    sequence: { sequencer: LongestFirst },
    projects: [
      {
        test: {
          name: 'unit',
          include: ['{core,contract,cli,web,devices}/src/**/*.test.{ts,tsx}', 'server/src/**/*.unit.test.ts'],
          environment: 'node',
          isolate,
          testTimeout: 180_000,
          maxWorkers: 2,
        },
      },
      {
        test: {
          name: 'api',
          // What comes about by itself is waited for as long as a slow machine may take.
          expect: { poll: { timeout: 30_000 } },
          include: ['server/test/**/*.test.ts'],
          environment: 'node',
          isolate,
          testTimeout: 120_000,
          hookTimeout: 120_000,
          // Half of what they do is to wait for a database, an instrument or a clock.
          maxWorkers: 3,
        },
      },
      {
        test: {
          name: 'browser',
          // A list that ought to be empty is shown whole: a page's complaints are read on a machine nobody can look at.
          chaiConfig: { truncateThreshold: 0 },
          // What a page or its server comes to is waited for as long as a slow machine may take.
          expect: { poll: { timeout: 30_000 } },
          include: ['e2e/src/**/*.test.ts'],
          environment: 'node',
          isolate,
          testTimeout: 240_000,
          hookTimeout: 120_000,
          // Three take as long: a browser, its server and its database keep more than one core busy.
          maxWorkers: 2,
        },
      },
    ],
  },
});
