import { expect, it } from 'vitest';
import { z } from 'zod';
import { fieldsOf } from './problem';

const shape = z.object({
  name: z.string().min(1).max(4),
  ratedCapacityAh: z.number().gt(0).max(2000),
  count: z.int().min(2),
  chemistry: z.enum(['nmc', 'lfp']),
  modules: z.array(z.string()).min(1),
  why: z.string().min(1, 'A few words: why.'),
});
const told = (value: object): Record<string, string> =>
  Object.fromEntries(fieldsOf(shape.safeParse(value).error!).map((f) => [f.field, f.message]));

it('what is wrong is told in plain words, and a message of our own as it stands', () => {
  expect(told({ name: '', ratedCapacityAh: 0, count: 1, chemistry: 'lead', modules: [], why: '' })).toEqual({
    name: 'Something has to stand here.',
    ratedCapacityAh: 'More than 0.',
    count: 'At least 2.',
    chemistry: 'One of nmc, lfp.',
    modules: 'At least 1 of them.',
    why: 'A few words: why.',
  });
  expect(
    told({ name: 'too long', ratedCapacityAh: NaN, count: 'x', chemistry: 'nmc', modules: ['a'], why: 'w' }),
  ).toEqual({
    name: 'At most 4 characters.',
    ratedCapacityAh: 'A number is missing.',
    count: 'A number goes here.',
  });
  expect(told({}).ratedCapacityAh).toBe('A number is missing.');
});
