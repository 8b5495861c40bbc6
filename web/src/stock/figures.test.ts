import { expect, it } from 'vitest';
import { EMPTY, readFigures, readPrice } from './figures';

it('reads figures as they are typed at a bench; what is empty was not measured', () => {
  expect(readFigures(EMPTY)).toEqual({});
  const typed = { ...EMPTY, capacityAh: '101,2', resistanceMilliohm: '0.66', insulationOhm: '920M' };
  expect(readFigures({ ...typed, temperatureC: '-4' })).toEqual({
    capacityAh: 101.2,
    resistanceMilliohm: 0.66,
    insulationOhm: 920e6,
    temperatureC: -4,
  });
  // A unit that names ohms is taken by its word.
  expect(readFigures({ ...EMPTY, resistanceMilliohm: '0.66 mΩ' }).resistanceMilliohm).toBeCloseTo(0.66, 9);
  expect(() => readFigures({ ...EMPTY, restVoltageV: 'eleven' })).toThrow(/not a number/);
  expect(() => readFigures({ ...EMPTY, capacityAh: '0' })).toThrow(/no capacity/);
});

it('reads a price as it is typed, and says what is none', () => {
  expect(['', '150', '1 200', '89,50', '12 500.25', '0'].map(readPrice)).toEqual([
    undefined,
    150,
    1200,
    89.5,
    12500.25,
    0,
  ]);
  for (const none of ['cheap', '-3', '1.2.3']) expect(() => readPrice(none)).toThrow(/is no price/);
});
