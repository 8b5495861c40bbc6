import { InsulationObservationSchema } from '@cellmend/contract/insulation';
import type { InsulationObservation } from '@cellmend/core/insulation';
import { describe, expect, it } from 'vitest';
import { accuracyOf, reading, say, waysInWords } from './view';

describe('what a tester shows', () => {
  it.each([
    ['482M', { ohm: 482e6 }],
    ['6,2k', { ohm: 6200 }],
    ['>4G', { ohm: 4e9, atLeast: true }],
    ['≥ 20 GΩ', { ohm: 2e10, atLeast: true }],
  ])('%s', (text, shown) => {
    expect(reading(text)).toEqual(shown);
  });

  it.each(['', 'OL', 'o.l.', '>', '> bananas'])('“%s” is no resistance, and stays what was typed', (text) => {
    expect(reading(text)).toBeNull();
  });
});

describe('what a meter is good to', () => {
  it.each([
    ['', {}],
    ['0.5 % + 0.1 V', { accuracyShare: 0.005, accuracyV: 0.1 }],
    ['0,5%+2', { accuracyShare: 0.005, accuracyV: 2 }],
    ['1 %', { accuracyShare: 0.01, accuracyV: 0 }],
  ])('“%s”', (text, told) => {
    expect(accuracyOf(text)).toEqual(told);
  });

  it.each(['abc', '0.5', '50 %', '1 % 2 V'])('“%s” is asked about', (text) => {
    expect(accuracyOf(text)).toBeNull();
  });
});

it('says every kind of observation in words, without a raw figure or id', () => {
  const all: InsulationObservation[] = [
    { kind: 'vehicle', ohm: 9000, signalV: null },
    { kind: 'vehicle', ohm: null, signalV: 2.4 },
    { kind: 'poles', side: 'whole', packV: 348, negativeV: 146, positiveV: 201, meterOhm: 1e7 },
    {
      kind: 'poles',
      side: 'pack',
      section: { from: 'M01', to: 'M06' },
      packV: 174,
      negativeV: 80,
      positiveV: 90,
      meterOhm: 1e7,
    },
    { kind: 'limit-voltage', by: 'measured' },
    {
      kind: 'tester',
      tested: { part: 'section', from: 'M01', to: 'M06' },
      setV: 500,
      points: [{ timeS: 60, ohm: 4e9, voltageV: 500, atLeast: true }],
      temperatureC: 21,
      mounted: true,
    },
    { kind: 'link', link: 'L6', open: true },
  ];
  const told = all.map((o) => {
    // What the page says is what the server takes.
    expect(InsulationObservationSchema.parse(o)).toEqual(o);
    return say(o);
  });
  expect(told[0]).toBe('The vehicle shows 9 kΩ');
  expect(told[3]).toMatch(/^M01 to M06: .*\(a part alone\)$/);
  expect(told[4]).toBe('The limit is taken by the measured voltage');
  expect(told[5]).toMatch(/more than 4 GΩ at 60 s/);
  expect(new Set(told).size).toBe(all.length);
});

describe('names of ways in', () => {
  it('that are neighbours are told by their ends, and counted where they are more than a few', () => {
    expect(waysInWords(['V3', 'V17'])).toBe('V3, V17');
    expect(waysInWords(['V1', 'V2', 'V4', 'V5', 'V6', 'seam rear'])).toBe(
      'V1 to V2, V4 to V6, seam rear (6)',
    );
    expect(waysInWords(Array.from({ length: 84 }, (_, i) => `V${i + 1}`))).toBe('V1 to V84 (84)');
  });
});
