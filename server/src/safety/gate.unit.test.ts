import type { Hazard, StepData } from '@cellmend/core/safety';
import { describe, expect, it } from 'vitest';
import type { ObservationRow } from '../db/rows';
import { isGated, openLockout } from './gate';

let minute = 0;
/** A row as the table keeps it; the gate reads only what is set here. */
const row = (kind: string, data: unknown, personId = 'ina'): ObservationRow =>
  ({
    id: `row-${minute}`,
    kind,
    data,
    personId,
    supersedes: null,
    recordedAt: new Date(Date.UTC(2026, 3, 7, 8, minute++)),
  }) as ObservationRow;
const begin = (...hazards: Hazard[]): ObservationRow => row('begin', { hazards });
const step = (s: StepData['step']): ObservationRow => row(s, { step: s });
const close = (): ObservationRow => row('close', { reason: 'handed over', note: '' });

describe('the lock-out that is open', () => {
  it('is none before one is begun, and none after it was closed', () => {
    expect(openLockout([])).toBeNull();
    expect(openLockout([begin(), step('barrier'), close()])).toBeNull();
    // A step that no beginning stands before opens nothing.
    expect(openLockout([step('live-dead-live')])).toBeNull();
  });

  it('holds the steps taken since it was begun, with their hour and hand', () => {
    const rows = [begin('crash'), step('barrier'), row('gloves', { step: 'gloves' }, 'tom')];
    const open = openLockout(rows)!;
    expect(open.hazards).toEqual(['crash']);
    expect(open.entries.map((e) => [e.step, e.by, e.atMs])).toEqual([
      ['barrier', 'ina', rows[1]!.recordedAt.getTime()],
      ['gloves', 'tom', rows[2]!.recordedAt.getTime()],
    ]);
  });

  it('puts a correction where what it corrects stood, with the hour of the first', () => {
    const seen = row('look', { step: 'look', text: 'dent left', calm: true });
    const later = step('barrier');
    const corrected = {
      ...row('look', { step: 'look', text: 'dent right', calm: true }),
      supersedes: seen.id,
    } as ObservationRow;
    const { entries } = openLockout([begin('crash'), seen, later, corrected])!;
    expect(entries.map((e) => e.step)).toEqual(['look', 'barrier']);
    expect(entries[0]).toMatchObject({ text: 'dent right', atMs: seen.recordedAt.getTime() });
  });

  it('reads what the first version kept: one way in instead of a set, and the inspection by its old name', () => {
    const old = [
      row('begin', { route: 'crash' }),
      row('crash-inspection', { step: 'crash-inspection', text: 'dent' }),
    ];
    expect(openLockout(old)).toMatchObject({
      hazards: ['crash'],
      entries: [{ step: 'look', text: 'dent', calm: true }],
    });
    expect(openLockout([row('begin', { route: 'normal' })])!.hazards).toEqual([]);
  });

  it('never inherits a proof from one that was closed', () => {
    const open = openLockout([begin(), step('live-dead-live'), close(), begin('under-voltage')])!;
    expect(open).toMatchObject({ hazards: ['under-voltage'], entries: [] });
  });
});

it('opening, opening up and closing the pack are gated; looking at a record is not', () => {
  expect((['strip-down', 'rebuild'] as const).every(isGated)).toBe(true);
  expect((['intake', 'scan', 'findings', 'make-safe', 'hand-over'] as const).some(isGated)).toBe(false);
});
