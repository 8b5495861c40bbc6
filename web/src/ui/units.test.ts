import { measured } from '@cellmend/core/pack';
import { afterEach, describe, expect, it } from 'vitest';
import { celsiusOf } from './celsius';
import {
  distance,
  distanceUnit,
  inDistance,
  kmOfShown,
  odometer,
  showIn,
  shownOfKm,
  temperature,
  told,
  toldRoad,
} from './units';
import { day } from './words';

const usual = { distance: 'km', temperature: 'C', currency: '', dateOrder: 'dmy' } as const;
afterEach(() => showIn(usual));

describe('a workshop that reads miles and Fahrenheit', () => {
  // International mile, 1609.344 m; 212 °F at 100 °C, 32 °F at 0 °C: definitions.
  it('sees and types them, and what is stored stays in kilometres and Celsius', () => {
    showIn({ ...usual, distance: 'mi', temperature: 'F' });
    expect([distance(1.609344, 3), distanceUnit(), odometer(160_934.4)]).toEqual([
      '1.000 miles',
      'miles',
      '100 000 miles',
    ]);
    expect(kmOfShown(shownOfKm(160_934.4))).toBeCloseTo(160_934.4, 6);
    expect([temperature(100), temperature(0), temperature(-40)]).toEqual(['212 °F', '32 °F', '−40 °F']);
    expect(
      [celsiusOf('95'), celsiusOf('95F'), celsiusOf('35 °C')].map((c) => Math.round(c * 10) / 10),
    ).toEqual([35, 35, 35]);
    expect(inDistance(measured(160.9344, 8, 'a drive'))).toMatchObject({
      measured: true,
      value: expect.closeTo(100, 6),
    });
    // Sentences of the computation: figures by the definition above, differences by 1.8.
    expect(told('52 °C, the limit is 45 °C.')).toBe('126 °F, the limit is 113 °F.');
    expect(told('Temperatures agree, 19 to 23.5 °C.')).toBe('Temperatures agree, 66 to 74.3 °F.');
    expect(told('48 °C and rising 2.0 °C a minute')).toBe('118 °F and rising 3.6 °F a minute');
    expect(told('Measured 10 °C apart; ± 0.5 °C; −10 °C')).toBe('Measured 18 °F apart; ± 0.9 °F; 14 °F');
    expect(toldRoad('80 of 150 km. It came 20 km.')).toBe('50 of 93 miles. It came 12 miles.');
    expect(inDistance({ measured: false, why: 'w', test: 't' })).toEqual({
      measured: false,
      why: 'w',
      test: 't',
    });
  });
  it('a temperature in volts is none', () => {
    expect(() => celsiusOf('3 V')).toThrow(/no temperature/);
  });
});

it.each([
  ['dmy', '3 March 2026'],
  ['mdy', 'March 3, 2026'],
  ['ymd', '2026 March 3'],
] as const)('dates %s', (dateOrder, shown) => {
  showIn({ ...usual, dateOrder });
  expect(day('2026-03-03T12:00:00')).toBe(shown);
});
