import { mkdirSync, readdirSync, rmSync } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const base = (): string => process.env.CELLMEND_TMP ?? join(tmpdir(), `cellmend-${process.getuid?.() ?? 0}`);
const own = (): string => join(base(), String(process.pid));
let begun = false;

const lives = (pid: number): boolean => {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as { code?: string }).code === 'EPERM';
  }
};

/** Removes what server processes that are no more have left, and sees to it that this one leaves nothing. */
function begin(): void {
  if (begun) return;
  begun = true;
  mkdirSync(own(), { recursive: true, mode: 0o700 });
  for (const name of readdirSync(base()))
    if (/^\d+$/.test(name) && !lives(Number(name)))
      rmSync(join(base(), name), { recursive: true, force: true });
  process.on('exit', () => rmSync(own(), { recursive: true, force: true }));
}

/** A folder of this process for one upload; what is in it goes with `discard`, with the process, or at the next start. */
export async function workFolder(): Promise<{ path: string; discard: () => Promise<void> }> {
  begin();
  const path = await mkdtemp(join(own(), 'w-'));
  return { path, discard: () => rm(path, { recursive: true, force: true }) };
}

/** At the start of a server. */
export const tidyWorkFolder = begin;
