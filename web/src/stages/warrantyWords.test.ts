import { expect, it } from 'vitest';
import { warrantyNow, warrantyWords } from './warrantyWords';

const year = { months: 12, km: 20_000, covers: ['parts', 'labour'] as ('parts' | 'labour')[] };
const now = new Date('2026-12-01T10:00:00Z');

it('says what is given', () => {
  expect(warrantyWords(year)).toMatch(/^12 months or 20.?000 km, parts and labour$/);
  expect(warrantyWords({ months: null, km: 5000, covers: ['parts'] })).toMatch(/^5.?000 km, parts$/);
});
it.each([
  ['2026-03-01T10:00:00Z', 400, /^Under warranty until .* or for 20.?000 km: parts and labour\.$/],
  ['2025-11-01T10:00:00Z', 400, /is over/],
  ['2026-03-01T10:00:00Z', 21_000, /is over/],
  ['2026-03-01T10:00:00Z', null, /Under warranty .* How far it was driven since is not known/],
] as const)('given on %s and driven %s km since', (endedAt, km, says) => {
  expect(warrantyNow(year, endedAt, km, now)).toMatch(says);
});
