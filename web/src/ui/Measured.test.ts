import { measured, notMeasured } from '@cellmend/core/pack';
import { expect, it } from 'vitest';
import { measuredText } from './Measured';

it('a charge is told to a tenth where a pack holds a few ampere-hours, and to one where it holds many', () => {
  const text = (ah: number): string => measuredText(measured(ah, 0.1, 'drive'), 'A·h');
  expect(text(5.43)).toBe('5.4 A·h');
  expect(text(103.1)).toBe('103 A·h');
  expect(measuredText(measured(215.4, 6, 'drive'), 'km')).toBe('215 km');
  expect(measuredText(measured(1.234, 0.1, 'drive'), 'A·h', 2)).toBe('1.23 A·h');
  expect(measuredText(notMeasured('no current', 'log a drive'), 'A·h')).toBe('not measured');
});
