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

  it('puts a stop before everything, and a leak before the scan', () => {
    const facts = { scans: [], decisions: [], headline: '', complaint: 'warning after rain' };
    expect(nextNeed({ ...facts, stop: 'smoke', leak: { title: 'x', found: null } })).toMatchObject({
      need: 'Stopped',
      stage: 'make-safe',
    });
    expect(nextNeed({ ...facts, leak: { title: 'Most likely at M06', found: null } })).toMatchObject({
      need: 'Find the leak',
      stage: 'insulation',
    });
    expect(nextNeed({ ...facts, leak: { title: '', found: 'M06' } })).toMatchObject({
      need: 'Decide',
      detail: 'Leak at M06. Replace, or tell the owner?',
    });
    expect(
      nextNeed({ ...facts, decisions: decided(replace), leak: { title: '', found: 'M06' } }).need,
    ).not.toBe('Decide');
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

  it('closes what opens the pack until the gate holds, and shows a stop', () => {
    const route = (gate: object, leak: { found: string | null } | null = null) =>
      routeOf([], [], new Set(), { holds: false, begun: false, stop: null, proof: null, ...gate }, leak);
    expect(route({})['strip-down']).toEqual({ state: 'blocked', note: 'gate' });
    expect(route({}).rebuild.state).toBe('blocked');
    expect(route({ begun: true })['make-safe'].state).toBe('work');
    expect(route({ begun: true, holds: true })['strip-down'].state).toBe('nothing');
    expect(route({ begun: true, holds: true, proof: 'dead' })['make-safe']).toEqual({
      state: 'done',
      note: 'dead',
    });
    expect(route({ begun: true, holds: true, proof: 'below-60' })['make-safe'].note).toBe('still live');
    const stop = { id: '', kind: 'hot' as const, place: '', note: '', by: '', at: '' };
    expect(route({ stop })['make-safe']).toEqual({ state: 'reopened', note: 'stopped' });
    expect(route({}, { found: 'M06' }).insulation).toEqual({ state: 'done', note: 'M06' });
    expect(route({}, { found: null }).insulation.state).toBe('work');
  });

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
