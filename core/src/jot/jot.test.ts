import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../pack';
import {
  figureIn,
  JOT_SHAPES,
  ntcTemperature,
  outOfLine,
  parseJots,
  placeName,
  type JotQuestion,
  type JottedReading,
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
    ['ch18 9', /not possible for one NMC cell/],
    ['ch18..ch20 3.9 3.9', /3 places, and 2 figures/],
    ['ch18..m20 3.9', /not a number/],
    ['m07 >4V', /only a resistance/],
    ['m07 temp OL', /is no temperature|not given in/],
    ['+ch 12 V', /no resistance to chassis/],
    ['- 3.9', /not a number/],
    ['m07 1 ntc', /no temperature of a 10 kΩ NTC/],
    ['m07 ins 4 V', /insulation is not given in V/],
    ['m07 ins', /figure is missing/],
    ['m07 ins 500m', /500m: milli or mega\?.*500M for megohms/],
    ['+ch 23m', /milli or mega/],
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

describe('what meters, scanners and lists hand over', () => {
  it.each([
    ['m07 >4G', 'insulation', 4e9, 'at-least'],
    ['m07 ins OL', 'insulation', Infinity, 'over-range'],
    ['m07 0L', 'insulation', Infinity, 'over-range'],
    ['m07 95F', 'temperature', 35, undefined],
    ['m07,3.982', 'voltage', 3.982, undefined],
    ['M07;3,982', 'voltage', 3.982, undefined],
    ['m07,ins,482M', 'insulation', 482e6, undefined],
    ['m07 482M', 'insulation', 482e6, undefined],
    ['m07 cap 4.5', 'capacity', 4.5, undefined],
    ['m07 r 0.8m', 'resistance', 0.0008, undefined],
  ])('%s', (line, quantity, value, bound) => {
    const r = reading(line);
    expect(r).toMatchObject({ place: { kind: 'module', moduleIndex: 6 }, quantity });
    expect([r.value, r.bound]).toEqual([value === Infinity ? value : expect.closeTo(value, 9), bound]);
  });

  it('a pole to the chassis', () => {
    expect(reading('+ch 23k')).toMatchObject({ value: 23_000, conditions: 'positive to chassis' });
    expect(reading('-ch OL')).toMatchObject({ bound: 'over-range', conditions: 'negative to chassis' });
  });

  it('a row of places with a row of figures, forwards and backwards, one left out', () => {
    const volts = (line: string) =>
      parseJots(line, pack).map((j) => {
        const r = j as JottedReading;
        return [placeName(r.place, pack), r.value];
      });
    expect(volts('ch18..ch21 3.98 3.97 - 3,96')).toEqual([
      ['ch018', 3.98],
      ['ch019', 3.97],
      ['ch021', 3.96],
    ]);
    expect(volts('m3..m1 14.7 14.8 14.9').map(([at]) => at)).toEqual(['M03', 'M02', 'M01']);
    expect(() => parseJot('ch1..ch2 3.9 3.9', pack)).toThrow(/several readings/);
  });

  it('a bare temperature in the workshop’s degrees; one with a unit by its unit', () => {
    const at = (line: string): number =>
      (parseJots(line, pack, 'voltage', null, 'F')[0] as JottedReading).value;
    expect(at('m3 temp 95')).toBeCloseTo(35, 9);
    expect(at('m3 temp 35 °C')).toBe(35);
  });

  it('a joint by its name in the profile', () => {
    const joined = normalisePack({
      ...pack.profile,
      links: [{ id: 'L3', between: ['M03', 'M04'], kind: 'busbar' }],
    });
    expect(parseJot('l3 r 0.2m', joined)).toMatchObject({
      place: { kind: 'joint', id: 'L3' },
      value: 0.0002,
    });
  });

  it('an armed place takes the next figure, and a place that is named takes its own', () => {
    const armed = { kind: 'module', moduleIndex: 3 } as const;
    expect(parseJot('14.72', pack, 'voltage', armed)).toMatchObject({ place: armed, value: 14.72 });
    expect(parseJot('note wet', pack, 'voltage', armed)).toMatchObject({ place: armed });
    expect(parseJot('m9 14.72', pack, 'voltage', armed)).toMatchObject({ place: { moduleIndex: 8 } });
  });

  // Table of a 10 kΩ sensor of B 3435 K at 0, 50 and 85 °C (27.28, 4.16, 1.45 kΩ): a maker's sheet, from memory.
  it.each([
    [27_280, 0],
    [10_000, 25],
    [4_160, 50],
    [1_451, 85],
  ])('a sensor at %i Ω is near %i °C, with what its B leaves open', (ohm, celsius) => {
    const t = ntcTemperature(ohm);
    expect(Math.abs(t.celsius - celsius)).toBeLessThanOrEqual(t.halfWidthC + 1.2);
    expect(reading(`m3 ${ohm / 1000}k ntc`)).toMatchObject({ quantity: 'temperature' });
  });
});

describe('what can be two things is asked', () => {
  const sticks = normalisePack({
    name: 'hybrid',
    chemistry: 'nimh',
    ratedCapacityAh: 6,
    channels: Array.from({ length: 4 }, (_, i) => ({ id: `b${i + 1}`, cells: 12 })),
    modules: [1, 2, 3, 4].map((m) => ({ id: `M${m}`, channels: [`b${m}`] })),
    nominalGroupResistanceMilliohm: 12,
    ocv: defaultOcvTable('nimh'),
  });
  it('3.1 at a stick of twelve cells: dead, or a capacity', () => {
    try {
      parseJot('m2 3.1', sticks);
      expect.fail('it guessed');
    } catch (e) {
      const { choices } = e as JotQuestion;
      expect(choices.map((c) => c.line)).toEqual(['m2 v 3.1', 'm2 cap 3.1']);
      expect(choices.map((c) => parseJot(c.line, sticks))).toMatchObject([
        { quantity: 'voltage', value: 3.1 },
        { quantity: 'capacity', value: 3.1 },
      ]);
    }
  });
  it.each(['m2 15.4', 'm2 v 3.1', 'm2 3.1 V', 'm2 3.1Ah', 'm2 0.4'])('%s is not', (line) => {
    expect(parseJot(line, sticks).type).toBe('reading');
  });
});

it('every shape that the help shows is read', () => {
  const hybrid = normalisePack({ ...pack.profile, ratedCapacityAh: 6 });
  for (const [shape] of JOT_SHAPES) expect(parseJots(shape, hybrid).length, shape).toBeGreaterThan(0);
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

describe('a figure in the unit that a field asks for', () => {
  it.each([
    ['31', 'mV', 31],
    ['31 mV', 'mV', 31],
    ['0,031 V', 'mV', 31],
    ['1.5', 'mV a day', 1.5],
    ['1.5 mV', 'mV a day', 1.5],
    ['5 K', 'K', 5],
    ['150 km', 'km', 150],
    ['96 %', '% of the pack’s voltage', 96],
    ['3 drives', 'drives', 3],
    ['2M', 'Ω', 2e6],
    ['0.48 GΩ', 'Ω', 4.8e8],
    ['−4', 'V', -4],
  ])('%s in %s', (text, unit, value) => expect(figureIn(text, unit)).toBe(value));
  it.each([
    ['31 mΩ', 'mV'],
    ['31m', 'V'],
    ['150 miles', 'km'],
    ['three', 'drives'],
    ['', 'V'],
  ])('%s is none in %s', (text, unit) =>
    expect(() => figureIn(text, unit)).toThrow(/is no figure in|is not a number|is no unit/),
  );
});
