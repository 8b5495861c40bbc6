import type { Moment } from '@cellmend/core/safety';
import { readFileSync } from 'node:fs';
import { uptime } from 'node:os';

/** The machine's clocks: what the wall says, and what the machine counted since it booted. */
export interface Clock {
  now: () => Moment;
}

function bootId(): string | null {
  try {
    return readFileSync('/proc/sys/kernel/random/boot_id', 'utf8').trim();
  } catch {
    return null;
  }
}

export function systemClock(): Clock {
  const id = bootId();
  return { now: () => ({ wallMs: Date.now(), bootId: id, upS: id === null ? null : uptime() }) };
}
