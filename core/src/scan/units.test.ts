import { describe, expect, it } from 'vitest';
import { mildHybrid, yardTug } from '../../../cli/src/demoPacks';
import { InputProblem, normalisePack } from '../pack';
import { healthyPack, LivePack, Random, simulatePolled, simulateRecord } from '../simpack';
import { spreadReport } from '../diagnosis';
import { clockSeconds, CsvScanReader, guessMapping, joinRecords, previewTable, readScanCsv } from '.';

const pack = normalisePack(mildHybrid());
const table = (heading: string[], rows: (string | number)[][], delimiter = ','): string =>
  [heading, ...rows].map((r) => r.join(delimiter)).join('\n') + '\n';
const volts = (v: number): number[] => pack.channels.map((_, i) => v + i / 1000);
const ids = pack.channels.map((c) => c.id);

describe('what other tools write', () => {
  it('millivolts, milliamperes, Fahrenheit, milliseconds and per cent become our units', () => {
    const r = readScanCsv(
      table(
        ['time_ms', 'current_mA', 'Temp [F]', 'soc [%]', ...ids.map((i) => `${i}_mV`)],
        [
          [0, 0, 77, 80, ...volts(3700)],
          [1000, 12000, 77, 79, ...volts(3690)],
        ],
      ),
      pack,
    );
    expect(r.currentA!.value[1]).toBeCloseTo(12, 9);
    expect(r.temperatureC!.value[0]).toBeCloseTo(25, 9);
    expect(r.reportedSocFraction!.value[1]).toBeCloseTo(0.79, 9);
    expect(r.voltageV[0]!.timeS[1]).toBeCloseTo(1, 9);
    expect(r.voltageV[0]!.value[0]).toBeCloseTo(3.7, 9);
  });

  it('channels count from 0 or from 1, with decimal commas and unknown columns between', () => {
    for (const first of [0, 1]) {
      const r = readScanCsv(
        table(
          ['Zeit', 'Lüfter', ...ids.map((_, i) => `Zelle ${i + first}`)],
          [
            ['0', '40', ...volts(3.7).map((v) => v.toFixed(3).replace('.', ','))],
            ['10', '41', ...volts(3.7).map((v) => v.toFixed(3).replace('.', ','))],
          ],
          ';',
        ),
        pack,
      );
      expect(r.voltageV[13]!.value[0]).toBeCloseTo(3.713, 9);
      expect(r.notices.join()).toMatch(/No current column/);
    }
  });

  it('the time of day runs past midnight, and a date gives the moment it began', () => {
    const row = (t: string) => [t, '0', ...volts(3.7)];
    const heading = ['clock', 'current_A', ...ids.map((i) => `${i}_V`)];
    const day = readScanCsv(table(heading, [row('23:59:30'), row('00:00:10')]), pack);
    expect(day.voltageV[0]!.timeS[1]! - day.voltageV[0]!.timeS[0]!).toBe(40);
    const dated = readScanCsv(
      table(heading, [row('2026-05-04T08:00:00Z'), row('2026-05-04T08:01:00Z')]),
      pack,
    );
    expect(dated.startEpochS).toBe(Date.parse('2026-05-04T08:00:00Z') / 1000);
    expect([...dated.voltageV[0]!.timeS]).toEqual([0, 60]);
  });

  it('dates in figures are asked about, not guessed; a plain 0 in a timestamp is the start, not a year', () => {
    const row = (t: string) => [t, '0', ...volts(3.7)];
    const heading = ['timestamp', 'current_A', ...ids.map((i) => `${i}_V`)];
    const both = table(heading, [row('01.03.2025 08:00:00'), row('01.03.2025 08:00:30')]);
    expect(() => readScanCsv(both, pack)).toThrow(/may be day first or month first/);
    // One figure above twelve tells the order by itself.
    for (const [text, iso] of [
      ['13.03.2025 08:00', '2025-03-13T08:00'],
      ['03/13/2025 08:00', '2025-03-13T08:00'],
      ['2025-03-13 08:00', '2025-03-13T08:00'],
    ] as const)
      expect(clockSeconds(text)).toBe(Date.parse(iso) / 1000);
    expect(clockSeconds('01.03.2025', 'date-dmy')).toBe(new Date(2025, 2, 1).getTime() / 1000);
    expect(clockSeconds('01.03.2025', 'date-mdy')).toBe(new Date(2025, 0, 3).getTime() / 1000);
    expect(clockSeconds('31.02.2025', 'date-dmy')).toBeNaN();
    expect([clockSeconds('0'), clockSeconds('12.5')]).toEqual([0, 12.5]);
    const relative = readScanCsv(table(heading, [row('0'), row('30')]), pack);
    expect(relative.startEpochS).toBeUndefined();
    expect([...relative.voltageV[0]!.timeS]).toEqual([0, 30]);
  });

  it('which comes first is asked once for a heading, and remembered with it', () => {
    const names = ['timestamp', 'current_A', ...ids.map((i) => `${i}_V`)];
    const rows = ['01.03.2025 08:00', '02.03.2025 08:00'].map((t) => [t, '0', ...volts(3.7).map(String)]);
    const mapping = guessMapping(names, rows[0]!, pack);
    expect(previewTable(names, rows, mapping, pack, false).clear).toBe(false);
    const told = {
      ...mapping,
      targets: [{ kind: 'time' as const, unit: 'date-dmy' as const }, ...mapping.targets.slice(1)],
    };
    expect(previewTable(names, rows, told, pack, true).clear).toBe(true);
    const reader = new CsvScanReader(pack, [{ names, mapping: told }]);
    reader.push(table(names, rows));
    const r = reader.finish();
    expect(r.startEpochS).toBe(new Date(2025, 2, 1, 8).getTime() / 1000);
    expect(r.voltageV[0]!.timeS[1]).toBe(86_400);
  });

  it('several temperature sensors stay apart, with their mean beside them', () => {
    const r = readScanCsv(
      table(
        ['time_s', 'Temp 1 [C]', 'Temp 2 [C]', ...ids.map((i) => `${i}_V`)],
        [
          [0, 20, 24, ...volts(3.7)],
          [9, 21, 25, ...volts(3.7)],
        ],
      ),
      pack,
    );
    expect(r.sensors!.map((s) => s.name)).toEqual(['Temp 1 [C]', 'Temp 2 [C]']);
    expect([...r.temperatureC!.value]).toEqual([22, 23]);
  });

  it.each([
    [
      'a channel twice',
      ['time_s', 'g01_V', 'g01_V', ...ids.slice(1).map((i) => `${i}_V`)],
      /Two columns stand for g01/,
    ],
    ['a channel missing', ['time_s', ...ids.slice(1).map((i) => `${i}_V`)], /missing: g01/],
  ])('%s is told', (_name, heading, message) => {
    expect(() => readScanCsv(table(heading, [heading.map(() => 1)]), pack)).toThrow(message);
  });

  it('a mapping that somebody confirmed is used for the same heading, in any case of letters', () => {
    const names = ['when', ...ids.map((_, i) => `x${String.fromCharCode(97 + i)}`)];
    const mapping = {
      layout: 'wide' as const,
      delimiter: ',',
      decimal: '.' as const,
      targets: [
        { kind: 'time' as const, unit: 'min' as const },
        ...ids.map((_, channelIndex) => ({ kind: 'channel' as const, channelIndex, unit: 'mV' as const })),
      ],
    };
    const reader = new CsvScanReader(pack, [{ names, mapping }]);
    reader.push(
      table(
        names.map((n) => n.toUpperCase()),
        [
          [0, ...volts(3700)],
          [2, ...volts(3701)],
        ],
      ),
    );
    const r = reader.finish();
    expect([...r.voltageV[0]!.timeS]).toEqual([0, 120]);
    expect(r.voltageV[2]!.value[1]).toBeCloseTo(3.701002, 9);
    expect(() => readScanCsv(table(names, [[0, ...volts(3700)]]), pack)).toThrow(InputProblem);
  });
});

describe('a pack that runs on', () => {
  it('shows what the recorded simulation of the same course shows', () => {
    const sim = healthyPack(normalisePack(yardTug()), new Random(5), 0.9);
    sim.startSoc = 0.8;
    const legs = [
      { durationS: 60, currentA: 0, sampleS: 1 },
      { durationS: 300, currentA: 40, sampleS: 1 },
      { durationS: 120, currentA: -15, sampleS: 1 },
    ];
    const quiet = { ...sim, noiseV: 0 };
    const record = simulateRecord(quiet, legs, new Random(1));
    const live = new LivePack(quiet);
    for (const leg of legs) for (let t = 0; t < leg.durationS; t++) live.step(1, leg.currentA);
    for (const c of [0, 17, 99]) expect(live.readV(c)).toBeCloseTo(record.voltageV[c]!.value[480]!, 2);
    expect(live.socFraction).toBeCloseTo(0.8 - (40 * 300 - 15 * 120) / 3600 / sim.capacityAh, 9);
  });
});

it('a polled record and one read at once are joined on one time line', () => {
  const tug = normalisePack(yardTug());
  const make = (startSoc: number) => {
    const sim = healthyPack(tug, new Random(5), 0.9);
    sim.channels[30]!.deltaSoc -= 0.05;
    sim.startSoc = startSoc;
    return sim;
  };
  const rest = [{ durationS: 300, currentA: 0, sampleS: 5 }];
  const full = simulateRecord(make(0.92), rest, new Random(2));
  const polled = simulatePolled(
    make(0.25),
    [...rest, { durationS: 60, currentA: 20, sampleS: 1 }, ...rest],
    new Random(3),
  );
  const joined = joinRecords(
    [
      { record: full, startS: 0, startSocFraction: 0.92, endSocFraction: 0.92 },
      { record: polled, startS: 20_000, startSocFraction: 0.25, endSocFraction: 0.24 },
    ],
    58,
  );
  expect(joined.simultaneous).toBe(true);
  expect(joined.notices.join()).toMatch(/about 67 % of charge was drawn unrecorded/);
  const report = spreadReport(joined, tug);
  expect(report.findings[0]).toMatchObject({ channel: 'ch031', verdict: 'imbalance' });
});
