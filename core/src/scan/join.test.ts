import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { chargeBetweenAh, joinRecords, type Part, type ScanRecord } from '.';

const CAPACITY_AH = 50;

/** A short record of three channels: volts and current of one value each, a row every `stepS`. */
function record(rows: number, stepS: number, volts: number, currentA: number | null): ScanRecord {
  const timeS = Float64Array.from({ length: rows }, (_, i) => i * stepS);
  const even = (v: number) => ({ timeS, value: new Float64Array(rows).fill(v) });
  return {
    channelIds: ['c1', 'c2', 'c3'],
    voltageV: [even(volts), even(volts + 0.001), even(volts - 0.001)],
    currentA: currentA === null ? null : even(currentA),
    temperatureC: even(22),
    reportedSocFraction: null,
    simultaneous: true,
    notices: [],
  };
}
/** The same readings, each channel a little after the one before. */
function polled(rows: number, stepS: number, volts: number, currentA: number): ScanRecord {
  const whole = record(rows, stepS, volts, currentA);
  return {
    ...whole,
    simultaneous: false,
    voltageV: whole.voltageV.map((s, c) => ({ ...s, timeS: s.timeS.map((t) => t + 0.1 * (c + 1)) })),
  };
}
const part = (r: ScanRecord, startS: number, from: number, to = from): Part => ({
  record: r,
  startS,
  startSocFraction: from,
  endSocFraction: to,
});
const rising = (times: Float64Array): boolean => times.every((t, i) => i === 0 || t >= times[i - 1]!);

describe('records of one pack on one time line', () => {
  const parts = fc.array(
    fc.record({
      rows: fc.integer({ min: 2, max: 40 }),
      stepS: fc.integer({ min: 1, max: 60 }),
      startS: fc.integer({ min: 0, max: 400_000 }),
      soc: fc.double({ min: 0.05, max: 0.95, noNaN: true }),
      current: fc.option(fc.double({ min: -50, max: 50, noNaN: true })),
    }),
    { minLength: 2, maxLength: 6 },
  );
  const made = (
    list: { rows: number; stepS: number; startS: number; soc: number; current: number | null }[],
  ) => list.map((p, i) => part(record(p.rows, p.stepS, 3.5 + i / 100, p.current), p.startS, p.soc));

  it('run forward in time and keep every reading, whatever their order and even where they overlap', () => {
    fc.assert(
      fc.property(parts, (list) => {
        const joined = joinRecords(made(list), CAPACITY_AH);
        const { timeS, value } = joined.voltageV[0]!;
        expect(rising(timeS)).toBe(true);
        const read = [...value].filter((v) => !Number.isNaN(v));
        expect(read).toHaveLength(list.reduce((n, p) => n + p.rows, 0));
        list.forEach((p, i) => expect(read.filter((v) => v === 3.5 + i / 100).length).toBe(p.rows));
        expect(joined.currentA!.value.every((v) => Number.isFinite(v))).toBe(true);
      }),
    );
  });

  it('are the same line whichever was taken in first', () => {
    fc.assert(
      fc.property(
        parts.filter((list) => new Set(list.map((p) => p.startS)).size === list.length),
        (list) => {
          const forward = made(list);
          const joined = joinRecords(forward, CAPACITY_AH);
          expect(joinRecords([...forward].reverse(), CAPACITY_AH)).toEqual(joined);
        },
      ),
      { numRuns: 40 },
    );
  });

  it('hold between them the charge that the typical channel lost, to the ampere-hour', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.1, max: 0.95, noNaN: true }),
        fc.double({ min: 0.1, max: 0.95, noNaN: true }),
        fc.integer({ min: 3600, max: 300_000 }),
        (before, after, gapS) => {
          const first = record(20, 30, 3.8, 0);
          const joined = joinRecords(
            [part(first, 0, before), part(record(20, 30, 3.6, 0), 570 + gapS, after)],
            CAPACITY_AH,
          );
          const drawn = chargeBetweenAh(joined.currentA!, 0, 570 + gapS);
          const lost = (before - after) * CAPACITY_AH;
          if (Math.abs(before - after) < 0.015) {
            expect(drawn).toBeCloseTo(0, 6);
            expect(joined.notices[1]).toMatch(/^Between the records the pack stood \d+\.\d h\.$/);
          } else {
            expect(drawn).toBeCloseTo(lost, 1);
            expect(joined.notices[1]).toMatch(
              /^Between the records about \d+ % of charge was (drawn|put in) unrecorded/,
            );
          }
        },
      ),
    );
  });

  it('mix what was read together with what was polled: a polled reading counts under the load of its moment', () => {
    const joined = joinRecords(
      [part(record(30, 10, 3.9, 5), 0, 0.8), part(polled(30, 10, 3.7, 5), 5000, 0.6)],
      CAPACITY_AH,
    );
    expect(joined.simultaneous).toBe(true);
    expect(joined.voltageV.every((s) => s.timeS === joined.voltageV[0]!.timeS)).toBe(true);
    const late = [...joined.voltageV[2]!.value].slice(35).filter((v) => !Number.isNaN(v));
    expect(late.length).toBeGreaterThan(20);
    expect(new Set(late.map((v) => v.toFixed(3)))).toEqual(new Set(['3.699']));
  });

  it('leave polled records polled where all of them are', () => {
    const joined = joinRecords(
      [part(polled(10, 10, 3.9, 5), 0, 0.8), part(polled(10, 10, 3.7, 5), 5000, 0.6)],
      CAPACITY_AH,
    );
    expect(joined.simultaneous).toBe(false);
    expect(joined.voltageV.every((s) => rising(s.timeS) && s.value.length === 20)).toBe(true);
    expect(joined.voltageV[0]!.timeS[0]).not.toBe(joined.voltageV[1]!.timeS[0]);
  });

  it('are thinned to means where they are long, so that two days weigh like one', () => {
    const long = record(20_000, 1, 3.8, 2);
    const joined = joinRecords([part(long, 0, 0.8), part(long, 100_000, 0.5)], CAPACITY_AH);
    expect(joined.voltageV[0]!.value.length).toBeLessThan(2400);
    expect(joined.thinned).toBe(true);
    expect(chargeBetweenAh(joined.currentA!, 0, 20_000)).toBeCloseTo((2 * 20_000) / 3600, 0);
  });
});
