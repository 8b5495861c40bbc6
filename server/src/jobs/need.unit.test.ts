import type { DecisionBody } from '@cellmend/contract/jobs';
import { describe, expect, it } from 'vitest';
import { nextNeed, type NeedFacts } from './need';
import { routeOf } from './service';

const replace: DecisionBody = { topic: 'replace', level: 'module', modules: ['M07'] };
const match: DecisionBody = {
  topic: 'match',
  moduleId: 'M07',
  stockId: '6c1f7b8e-0c0b-4a7e-9d0e-3f1f4a5b6c7d',
};
const balance: DecisionBody = { topic: 'balance', currentA: 8, goal: 'level-now', method: 'supply' };
const prove = (passed: boolean): DecisionBody => ({ topic: 'prove', passed });
const handOver: DecisionBody = { topic: 'hand-over', expectations: '', notDone: '' };
const decided = (...bodies: DecisionBody[]): NeedFacts['decisions'] =>
  bodies.map((body) => ({ topic: body.topic, body }));
const need = (scans: ('before' | 'after')[], ...bodies: DecisionBody[]): string =>
  nextNeed({
    scans: scans.map((role) => ({ role })),
    decisions: decided(...bodies),
    headline: 'M07 low capacity',
    complaint: 'slow',
  }).need;

describe('what a job needs next', () => {
  it('follows the path', () => {
    expect(need([])).toBe('Scan');
    expect(need(['before'])).toBe('Decide');
    expect(need(['before'], replace)).toBe('Choose a module');
    expect(need(['before'], replace, match)).toBe('Plan balance');
    expect(need(['before'], replace, match, balance)).toBe('Scan again');
    expect(need(['before', 'after'], replace, match, balance)).toBe('Compare');
    expect(need(['before', 'after'], replace, match, balance, prove(true))).toBe('Hand over');
    expect(need(['before', 'after'], replace, match, balance, prove(true), handOver)).toBe('Closed');
  });

  it('goes straight to the owner when nothing is replaced', () => {
    const leave: DecisionBody = { topic: 'replace', level: 'leave', modules: [] };
    expect(need(['before'], leave)).toBe('Hand over');
    expect(need(['before'], leave, handOver)).toBe('Closed');
  });

  it('shows the complaint until there is a scan, then the finding', () => {
    const facts = { scans: [], decisions: [], headline: 'M07 low capacity', complaint: 'slow' };
    expect(nextNeed(facts).detail).toBe('slow');
    expect(nextNeed({ ...facts, scans: [{ role: 'before' }] }).detail).toMatch(/^M07 low capacity/);
  });
});

describe('the route', () => {
  const state = (scans: string[], bodies: DecisionBody[], notes: string[] = []) =>
    routeOf(
      scans.map((role) => ({ role })),
      decided(...bodies),
      new Set(notes),
    );

  it('has a state for every stage, and says what blocks one', () => {
    const fresh = state([], []);
    expect(Object.keys(fresh)).toHaveLength(12);
    expect(fresh.scan.state).toBe('work');
    expect(fresh.findings.state).toBe('nothing');
    const swapping = state(['before'], [replace]);
    expect(swapping.balance).toEqual({ state: 'blocked', note: 'after match' });
    expect(swapping.prove).toEqual({ state: 'blocked', note: 'after-scan' });
  });

  it('reopens the findings when the repair was not proven', () => {
    expect(state(['before', 'after'], [replace, match, balance, prove(false)]).findings.state).toBe(
      'reopened',
    );
  });

  it('shows stages with notes as in work', () => {
    expect(state([], [], ['insulation']).insulation.state).toBe('work');
  });
});
