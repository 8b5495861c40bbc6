import type { LockoutRoute, StepData } from '@cellmend/core/safety';
import { describe, expect, it } from 'vitest';
import type { ObservationRow } from '../db/models';
import { isGated, openLockout } from './gate';

let minute = 0;
/** A row as the table keeps it; the gate reads only what is set here. */
const row = (kind: string, data: unknown, personId = 'ina'): ObservationRow =>
  ({ kind, data, personId, recordedAt: new Date(Date.UTC(2026, 3, 7, 8, minute++)) }) as ObservationRow;
const begin = (route: LockoutRoute): ObservationRow => row('begin', { route });
const step = (s: StepData['step']): ObservationRow => row(s, { step: s });
const close = (): ObservationRow => row('close', { reason: 'handed over', note: '' });

describe('the lock-out that is open', () => {
  it('is none before one is begun, and none after it was closed', () => {
    expect(openLockout([])).toBeNull();
    expect(openLockout([begin('normal'), step('barrier'), close()])).toBeNull();
    // A step that no beginning stands before opens nothing.
    expect(openLockout([step('live-dead-live')])).toBeNull();
  });

  it('holds the steps taken since it was begun, with their hour and hand', () => {
    const rows = [begin('crash'), step('barrier'), row('gloves', { step: 'gloves' }, 'tom')];
    const open = openLockout(rows)!;
    expect(open.route).toBe('crash');
    expect(open.entries.map((e) => [e.step, e.by, e.atMs])).toEqual([
      ['barrier', 'ina', rows[1]!.recordedAt.getTime()],
      ['gloves', 'tom', rows[2]!.recordedAt.getTime()],
    ]);
  });

  it('never inherits a proof from one that was closed', () => {
    const open = openLockout([begin('normal'), step('live-dead-live'), close(), begin('under-voltage')])!;
    expect(open).toEqual({ route: 'under-voltage', entries: [] });
  });
});

it('opening, opening up and closing the pack are gated; looking at a record is not', () => {
  expect(['strip-down', 'rebuild'].every(isGated)).toBe(true);
  expect(['intake', 'scan', 'findings', 'make-safe', 'hand-over'].some(isGated)).toBe(false);
});
