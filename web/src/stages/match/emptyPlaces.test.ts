import { expect, it } from 'vitest';
import { emptyPlaces } from './emptyPlaces';

const places = ['M01', 'M02', 'M03'];
const closed = { composition: [], removed: [] };
const dead = { findings: [{ module: 'M02', verdict: 'dead' as const }] };

it('a dead module gives nothing, until another is put in for it', () => {
  expect(emptyPlaces(places, closed, [], dead)).toEqual([{ place: 'M02', why: 'dead' }]);
  const filled = { composition: [{ place: 'M02', here: true }], removed: [{ place: 'M02' }] };
  expect(emptyPlaces(places, filled, ['M02'], dead)).toEqual([]);
});
it('a place that was emptied by a step or by taking out gives nothing', () => {
  expect(emptyPlaces(places, closed, ['M03', 'L2'], null)).toEqual([{ place: 'M03', why: 'out' }]);
  expect(emptyPlaces(places, { ...closed, removed: [{ place: 'M01' }] }, [], null)).toEqual([
    { place: 'M01', why: 'out' },
  ]);
});
it('a part of an earlier job that stands there gives what it holds', () => {
  const earlier = { composition: [{ place: 'M01', here: false }], removed: [] };
  expect(emptyPlaces(places, earlier, [], null)).toEqual([]);
});
