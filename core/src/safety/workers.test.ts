import { describe, expect, it } from 'vitest';
import type { LockoutEntry, StepData } from './entry';
import { wearFor } from './wear';
import { standbyOf, workersOf, workFault } from './workers';

const at = (by: string, data: StepData): LockoutEntry => ({ ...data, by, atMs: 0 });
const gloves: StepData = { step: 'gloves', gloveClass: '0', testedOn: '2026-10-01', airTest: true };
const join = (more: Partial<Extract<StepData, { step: 'join' }>> = {}): StepData => ({
  step: 'join',
  gloveClass: '0',
  testedOn: '2026-10-01',
  airTest: true,
  tag: 'tag 7',
  takesOver: false,
  secondPerson: '',
  ...more,
});
const ina = { id: 'i', name: 'Ina Holm' };
const tomas = { id: 't', name: 'Tomas Rook' };
const begun = [
  at('i', gloves),
  at('i', { step: 'barrier', secondPerson: 'Tomas Rook' }),
  at('i', { step: 'disconnect', keptBy: 'Ina' }),
];
const fault = (entries: LockoutEntry[], who: typeof ina): string =>
  workFault(400, entries, who, '2026-12-01');

describe('who works behind a lock-out', () => {
  it('has own gloves and own key; somebody else’s do for nobody', () => {
    expect(fault(begun, ina)).toBe('');
    expect(fault(begun, { id: 'x', name: 'Odd Lind' })).toMatch(/equipment of Odd Lind is not on record/);
    expect(fault([...begun, at('x', gloves)], { id: 'x', name: 'Odd Lind' })).toMatch(
      /No key or tag of Odd Lind/,
    );
    expect(fault([...begun, at('x', join())], { id: 'x', name: 'Odd Lind' })).toBe('');
  });

  it('is not the one who stays in sight, until somebody else does', () => {
    expect(standbyOf(begun)).toBe('Tomas Rook');
    expect(fault([...begun, at('t', join())], tomas)).toMatch(/stays in sight/);
    expect(fault([...begun, at('t', join({ secondPerson: 'Ina Holm', takesOver: true }))], tomas)).toBe('');
  });

  it('is whoever took over alone: who handed over joins again before they work', () => {
    const over = [...begun, at('x', join({ takesOver: true }))];
    expect(workersOf(over).map((w) => w.by)).toEqual(['x']);
    expect(fault(over, ina)).toMatch(/not on record/);
  });

  it('wears gloves for the voltage, tested within six months', () => {
    expect(fault([...begun, at('x', join({ gloveClass: '00' }))], { id: 'x', name: 'Odd Lind' })).toBe('');
    expect(
      workFault(
        900,
        [...begun, at('x', join({ gloveClass: '00' }))],
        { id: 'x', name: 'Odd Lind' },
        '2026-12-01',
      ),
    ).toMatch(/class 0 is needed/);
    expect(
      fault([...begun, at('x', join({ testedOn: '2026-01-01' }))], { id: 'x', name: 'Odd Lind' }),
    ).toMatch(/months old/);
  });
});

describe('what to wear', () => {
  it('follows what is live within reach: gloves, shield and one hand above 60 V, insulated tools at any', () => {
    expect(wearFor(352)).toMatchObject({
      gloveClass: '00',
      faceShield: true,
      insulatedTools: true,
      oneHand: true,
    });
    expect(wearFor(800)).toMatchObject({ gloveClass: '0', oneHand: true });
    expect(wearFor(60)).toMatchObject({
      gloveClass: null,
      faceShield: false,
      insulatedTools: true,
      oneHand: false,
    });
    expect(wearFor(0)).toMatchObject({ insulatedTools: false, says: '' });
  });
});
