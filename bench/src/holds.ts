import { join } from 'node:path';
import { newDatabase } from '../../server/test/harness';
import { hostileLines } from './holds/hostile';
import { comesBack, killsUnderLoad } from './holds/kills';
import { loadLines } from './holds/load';
import { printTable } from './table';

const here = join(import.meta.dirname, '../..');
/** Parts of it: all, or those that BENCH_HOLDS names. */
const PARTS = ['hostile', 'load', 'back', 'kills'] as const;

/** What stays whole when something dies, floods it or means it ill. Outputs under the same blows: the topic `outputs`. */
export async function benchHolds(): Promise<void> {
  const wanted = (process.env.BENCH_HOLDS ?? PARTS.join(',')).split(',');
  const seed = Number(process.env.BENCH_SEED ?? 11);
  const run: Record<(typeof PARTS)[number], () => Promise<Parameters<typeof printTable>[1]>> = {
    hostile: () => hostileLines(here, newDatabase, Number(process.env.BENCH_HOSTILE ?? 250), seed),
    load: () => loadLines(here, newDatabase),
    back: () => comesBack(Number(process.env.BENCH_BLOWS ?? 20)),
    kills: () => killsUnderLoad(Number(process.env.BENCH_KILLS ?? 500), seed),
  };
  for (const part of PARTS) if (wanted.includes(part)) printTable(`Holds: ${part}`, await run[part]());
}
