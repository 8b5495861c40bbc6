import type { LockoutEntry } from './entry';
import { gloveFault } from './voltageClass';

/** Somebody who works behind a lock-out: own protective equipment and own key or tag, as entered. */
export interface Worker {
  by: string;
  gloves: Extract<LockoutEntry, { step: 'gloves' | 'join' }> | null;
  /** What keeps it from being re-energised for them: the disconnect they took out, or their own key or tag. */
  tag: string;
}

/** Everybody who works, by the entries since the lock-out was begun. Who takes over is the only one left. */
export function workersOf(entries: readonly LockoutEntry[]): Worker[] {
  let workers: Worker[] = [];
  const of = (by: string): Worker => {
    const found = workers.find((w) => w.by === by);
    if (found) return found;
    const made: Worker = { by, gloves: null, tag: '' };
    workers.push(made);
    return made;
  };
  for (const e of entries) {
    if (e.step === 'gloves') of(e.by).gloves = e;
    if (e.step === 'disconnect') of(e.by).tag = `the service disconnect, kept by ${e.keptBy}`;
    if (e.step === 'join') {
      if (e.takesOver) workers = [];
      const w = of(e.by);
      w.gloves = e;
      w.tag = e.tag;
    }
  }
  return workers;
}

/** Who stays in sight and can call for help; empty until somebody is named. */
export function standbyOf(entries: readonly LockoutEntry[]): string {
  let name = '';
  for (const e of entries) {
    if (e.step === 'barrier') name = e.secondPerson;
    if (e.step === 'join' && e.secondPerson.trim() !== '') name = e.secondPerson;
  }
  return name.trim();
}

const plain = (name: string): string => name.trim().toLowerCase().replace(/\s+/g, ' ');
/** Whether a name that was typed is somebody's: the whole of it, or the first name alone. */
export const isCalled = (typed: string, name: string): boolean =>
  plain(typed) !== '' && (plain(typed) === plain(name) || plain(typed) === plain(name).split(' ')[0]);

/**
 * Why somebody may not work behind this lock-out; empty where they may: own gloves that do for the voltage, own key or tag, and not
 * the one who stays in sight.
 * @param today `2026-05-01`
 */
export function workFault(
  packV: number,
  entries: readonly LockoutEntry[],
  person: { id: string; name: string },
  today: string,
): string {
  if (isCalled(standbyOf(entries), person.name))
    return `${person.name} is the one who stays in sight: name somebody else first, then take over.`;
  const own = workersOf(entries).find((w) => w.by === person.id);
  if (!own?.gloves) return `The protective equipment of ${person.name} is not on record for this lock-out.`;
  const fault = gloveFault(own.gloves, packV, today);
  if (fault !== '') return fault;
  if (own.tag.trim() === '') return `No key or tag of ${person.name} is on this lock-out.`;
  return '';
}
