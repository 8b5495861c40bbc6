import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../pack';
import {
  outOfLine,
  parseJot,
  parseQuantity,
  printJot,
  printQuantity,
  QUANTITIES,
  type Jot,
  type Quantity,
} from '.';

const pack = normalisePack({
  name: 'van',
  chemistry: 'nmc',
  ratedCapacityAh: 117,
  channels: Array.from({ length: 96 }, (_, i) => ({ id: `ch${String(i + 1).padStart(3, '0')}`, cells: 1 })),
  modules: Array.from({ length: 24 }, (_, m) => ({
    id: `M${String(m + 1).padStart(2, '0')}`,
    channels: [1, 2, 3, 4].map((g) => `ch${String(m * 4 + g).padStart(3, '0')}`),
  })),
  nominalGroupResistanceMilliohm: 0.6,
  ocv: defaultOcvTable('nmc'),
});
const reading = (line: string, usual?: Quantity) =>
  parseJot(line, pack, usual) as Extract<Jot, { type: 'reading' }>;
const quantities = Object.keys(QUANTITIES) as Quantity[];

describe('a jotted line', () => {
  it.each([
    ['m07 3.982', 6, 'voltage', 3.982],
    ['M7 14.72', 6, 'voltage', 14.72],
    ['m7 ins 482M', 6, 'insulation', 482e6],
    ['m07 ins 1,2 GΩ', 6, 'insulation', 1.2e9],
    ['m24 4.7k', 23, 'resistance', 4700, 'resistance'],
    ['m1 0.62 mΩ', 0, 'resistance', 0.00062],
    ['m3 temp 35', 2, 'temperature', 35],
    ['m3 cap 98.4 Ah', 2, 'capacity', 98.4],
    ['m3 tq 9.5Nm', 2, 'torque', 9.5],
  ])('%s', (line, moduleIndex, quantity, value, usual?) => {
    const r = reading(line, usual as Quantity | undefined);
    expect(r).toMatchObject({ place: { kind: 'module', moduleIndex }, quantity });
    expect(r.value).toBeCloseTo(value, 12);
  });

  it('tells one group of a module from the whole module', () => {
    expect(reading('m07 3.982').conditions).toBe('per group');
    expect(reading('m07 14.72').conditions).toBe('');
  });

  it('takes ohms for insulation where insulation is being tested', () => {
    expect(reading('m07 900', 'insulation').quantity).toBe('insulation');
    expect(reading('m07 900 Ω', 'insulation').quantity).toBe('insulation');
  });

  it.each([
    ['', /Nothing typed/],
    ['m99 3.9', /no m99 in this pack.*M01 to M24/],
    ['m07 398', /not possible for 4 NMC cells.*398 mV/],
    ['ch18 41', /not possible for one NMC cell.*41 mV/],
    ['m07 ins 4 V', /insulation is not given in V/],
    ['m07 ins', /figure is missing/],
    ['m07 3.9 bananas', /“bananas” is no unit/],
    ['hello there', /not a number/],
    ['m07 ins -4M', /cannot be a insulation/],
    ['note m07', /no words/],
    ['clock soon', /needs a time/],
    ['m07 temp 4000', /cannot be a temperature/],
  ])('refuses “%s” with a hint', (line, message) => {
    expect(() => parseJot(line, pack)).toThrow(message);
  });

  it('keeps notes, clocks and bare places apart', () => {
    expect(parseJot('note m10 green residue on tap 3', pack)).toEqual({
      type: 'note',
      place: { kind: 'module', moduleIndex: 9 },
      text: 'green residue on tap 3',
    });
    expect(parseJot('clock 1.5h sealant', pack)).toEqual({ type: 'clock', minutes: 90, text: 'sealant' });
    expect(parseJot('ch18', pack)).toEqual({ type: 'find', place: { kind: 'channel', channelIndex: 17 } });
  });
});

describe('what is printed parses back', () => {
  const six = (v: number): number => Number(v.toPrecision(6));
  it('for every quantity', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...quantities),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (quantity, u) => {
          const { least, most } = QUANTITIES[quantity];
          const value =
            quantity === 'insulation' || quantity === 'resistance'
              ? six(10 ** (u * 15 - 5))
              : six(least + u * (most - least));
          if (value > most) return;
          const back = parseQuantity(printQuantity(value, quantity));
          expect(Math.abs(back.value - value)).toBeLessThanOrEqual(Math.abs(value) * 1e-9);
          expect([quantity, 'ohms']).toContain(back.quantity);
        },
      ),
    );
  });

  it('for every jotted reading', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...quantities),
        fc.integer({ min: 0, max: 23 }),
        fc.double({ min: 0.001, max: 17, noNaN: true }),
        (quantity, moduleIndex, v) => {
          const jot = reading(
            printJot(
              {
                type: 'reading',
                place: { kind: 'module', moduleIndex },
                quantity,
                value: six(v),
                conditions: '',
              },
              pack,
            ),
          );
          expect(jot).toMatchObject({ place: { kind: 'module', moduleIndex }, quantity });
          expect(jot.value).toBeCloseTo(six(v), 9);
        },
      ),
    );
  });

  it('and any line either reads or is refused with a hint, never worse', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.string().map((s) => `m07 ${s}`),
        ),
        (line) => {
          try {
            parseJot(line, pack);
          } catch (e) {
            expect((e as Error).name).toBe('InputProblem');
            expect((e as { accepted: string }).accepted).not.toBe('');
          }
        },
      ),
      { numRuns: 500 },
    );
  });
});

it('marks a value out of line with those before it', () => {
  expect(outOfLine([14.72, 14.73, 14.71, 14.72, 14.72], 14.6, 0.005)).toBe(true);
  expect(outOfLine([14.72, 14.73, 14.71, 14.72, 14.72], 14.725, 0.005)).toBe(false);
});
