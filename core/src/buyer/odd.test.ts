import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { ferryShuttle, islandBus, mildHybrid, pilotCar, yardTug } from '../../../cli/src/demoPacks';
import { insulationReport } from '../insulation';
import { rankDonors } from '../match';
import { measured, normalisePack, type Measured, type Pack } from '../pack';
import { compareRecords } from '../prove';
import { findSegments, joinRecords, restPoints, type ScanRecord, type Series } from '../scan';
import { groupStates, kmOf, spreadReport, type SpreadReport } from '../diagnosis';
import { buyersCheck } from '.';

const PACKS = [mildHybrid(), ferryShuttle(), pilotCar(), yardTug(), islandBus()].map((p) => normalisePack(p));

/** Any record a file may hold: one row or many, with holes, without current, dead, full, reversed, stuck or plain. */
const odd = (pack: Pack): fc.Arbitrary<ScanRecord> =>
  fc
    .record({
      rows: fc.oneof(fc.constant(1), fc.integer({ min: 2, max: 40 })),
      stepS: fc.constantFrom(1, 30, 900, 21_600),
      level: fc.constantFrom(-0.4, 0.01, 0.6, 1.4, 2.1, 2.9, 3.3, 3.7, 4.15, 4.35),
      slope: fc.constantFrom(0, -0.02, 0.01),
      noise: fc.double({ min: 0, max: 0.03, noNaN: true }),
      wild: fc.array(
        fc.tuple(
          fc.integer({ min: 0, max: pack.channels.length - 1 }),
          fc.constantFrom(NaN, -0.4, 0, 1.4, 4.4, 5),
        ),
        { maxLength: 6 },
      ),
      current: fc.constantFrom<'none' | 'zero' | 'steady' | 'pulses' | 'holes'>(
        'none',
        'zero',
        'steady',
        'pulses',
        'holes',
      ),
      soc: fc.boolean(),
      temperature: fc.boolean(),
      seed: fc.integer({ min: 1, max: 1e6 }),
    })
    .map((a): ScanRecord => {
      const timeS = Float64Array.from({ length: a.rows }, (_, k) => k * a.stepS);
      const series = (f: (k: number) => number): Series => ({ timeS, value: timeS.map((_, k) => f(k)) });
      const jitter = (c: number, k: number): number =>
        Math.round(1000 * a.noise * Math.sin(a.seed + 13.7 * c + 3.1 * k)) / 1000;
      const wild = new Map(a.wild);
      const amps = { none: 0, zero: 0, steady: 20, pulses: 60, holes: 30 }[a.current];
      return {
        channelIds: pack.channels.map((c) => c.id),
        voltageV: pack.channels.map((c) =>
          series(
            (k) => (wild.get(c.index) ?? a.level + a.slope * (k / a.rows) + jitter(c.index, k)) * c.cells,
          ),
        ),
        currentA:
          a.current === 'none'
            ? null
            : series((k) =>
                a.current === 'holes' && k % 3 === 0
                  ? NaN
                  : a.current === 'pulses'
                    ? k % 4 < 2
                      ? amps
                      : -amps / 2
                    : amps,
              ),
        temperatureC: a.temperature ? series(() => 21) : null,
        reportedSocFraction: a.soc ? series(() => 0.5) : null,
        simultaneous: true,
        notices: [],
      };
    });

const anyCase = fc.constantFrom(...PACKS).chain((pack) => fc.tuple(fc.constant(pack), odd(pack), odd(pack)));

const figures = (r: SpreadReport): Measured[] => [
  r.capacityAh,
  r.health,
  r.resistanceMilliohm,
  r.usableAh,
  r.usableKm,
  r.mendedAh,
  r.mendedKm,
  ...r.findings.flatMap((f) => [f.costAh, f.costKm]),
];

describe('whatever valid record comes in', () => {
  it('every page has something to show: no report, check, comparison or ranking fails, and no figure is without its readings', () => {
    fc.assert(
      fc.property(anyCase, ([pack, before, after]) => {
        const reports = [before, after].map((r) => spreadReport(r, pack));
        for (const report of reports) {
          for (const m of figures(report)) {
            if (m.measured) {
              expect([m.value, m.low, m.high].every(Number.isFinite)).toBe(true);
              expect(m.low).toBeLessThanOrEqual(m.value);
              expect(m.high).toBeGreaterThanOrEqual(m.value);
            } else expect(m.why.length).toBeGreaterThan(5);
          }
          // Plain data: stored and read back it is the same.
          expect(JSON.parse(JSON.stringify(report))).toEqual(JSON.parse(JSON.stringify(report)));
          const facts = { odometerKm: null, ageYears: 8, insulationOhm: null, codes: null };
          const check = buyersCheck(report, pack, facts);
          expect(check.lines.find((l) => l.what === 'Trouble codes')!.shows).toBe('not read');
          if (!report.health.measured)
            expect(check.lines.find((l) => l.what === 'Life by measured health')!.shows).toBe('not measured');
          kmOf(report.capacityAh, pack);
          insulationReport(pack, [], { moduleV: pack.modules.map(() => 3) });
          if (!report.working) continue;
          const staying = groupStates(
            report.channels,
            pack.channels.length,
            50,
            report.working.endSocFraction,
          );
          rankDonors(
            [],
            {
              chemistry: pack.profile.chemistry,
              groupCount: 4,
              staying,
              typicalCapacityAh: report.capacityAh,
              resistanceMilliohm: report.resistanceMilliohm,
              socFraction: report.working.endSocFraction,
              temperatureC: null,
            },
            pack,
          );
        }
        const compared = compareRecords(reports[0]!, reports[1]!, pack, [0]);
        if (!reports[1]!.nearFull || !reports[1]!.nearEmpty) expect(compared.passed).toBe(false);
      }),
      { numRuns: 150 },
    );
  }, 120_000);

  it('a figure that cannot be negative is not, nor is its interval', () => {
    expect(measured(-0.62, 0.2, 'here', 0)).toEqual({
      measured: true,
      value: 0,
      low: 0,
      high: 0,
      from: 'here',
    });
    expect(measured(1, 2, 'here', 0)).toMatchObject({ value: 1, low: 0, high: 5 });
  });

  it('one row, or a record without current, measures no capacity, no health, no range, no resistance', () => {
    fc.assert(
      fc.property(anyCase, ([pack, record]) => {
        const rows = record.voltageV[0]!.timeS.length;
        if (rows > 1 && record.currentA !== null) return;
        const report = spreadReport(record, pack);
        expect(figures(report).every((m) => !m.measured)).toBe(true);
        expect(report.channels.every((c) => c.resistanceRatio === null)).toBe(true);
        if (rows === 1) expect(report.channels.every((c) => c.capacityRatio === null)).toBe(true);
      }),
      { numRuns: 150 },
    );
  }, 120_000);

  it('two rests of one row each, joined, stay rests, and the drive between them, which nobody recorded, measures no capacity', () => {
    const pack = PACKS[2]!;
    const row = (v: number): ScanRecord => {
      const timeS = Float64Array.of(0);
      return {
        channelIds: pack.channels.map((c) => c.id),
        voltageV: pack.channels.map((c) => ({ timeS, value: Float64Array.of(v + 0.0007 * (c.index % 5)) })),
        currentA: { timeS, value: Float64Array.of(0) },
        temperatureC: null,
        reportedSocFraction: null,
        simultaneous: true,
        notices: [],
      };
    };
    const joined = joinRecords(
      [
        { record: row(4.02), startS: 0, startSocFraction: 0.85, endSocFraction: 0.85 },
        { record: row(3.42), startS: 7200, startSocFraction: 0.25, endSocFraction: 0.25 },
      ],
      30,
    );
    const segments = findSegments(joined);
    expect(segments.map((s) => [s.kind, s.assumed ?? false])).toEqual([
      ['rest', false],
      ['discharge', true],
      ['rest', false],
    ]);
    expect(restPoints(joined, segments)).toHaveLength(2);
    const report = spreadReport(joined, pack);
    expect([report.nearFull, report.nearEmpty].every((s) => s !== null)).toBe(true);
    expect(figures(report).every((m) => !m.measured)).toBe(true);
    expect(joined.notices.join(' ')).toMatch(/about 60 % of charge was drawn unrecorded/);
  });
});
