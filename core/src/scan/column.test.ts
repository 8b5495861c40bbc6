import fc from 'fast-check';
import { mean as statisticsMean } from 'simple-statistics';
import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../pack';
import { driveLegs, healthyPack, Random, simulatePolled, simulateRecord } from '../simpack';
import { diagnose, spreadReport } from '../diagnosis';
import { Column, columnFor, CsvScanReader, recordOf, writeScanCsv, type ScanRecord } from '.';

const filled = (by: 'mean' | 'first', most: number, values: readonly number[]) => {
  const passed: number[] = [];
  const column = new Column(by, most, (piece) => passed.push(...piece));
  values.forEach((v) => column.push(v));
  return { column, passed, course: column.done() };
};
const readings = fc.array(fc.oneof(fc.double({ min: -5, max: 5, noNaN: true }), fc.constant(NaN)), {
  maxLength: 400,
});

describe('a column', () => {
  it('is the readings themselves up to its most, and hands every one on in order', () => {
    fc.assert(
      fc.property(readings, (values) => {
        const { course, passed, column } = filled('mean', 400, values);
        expect([...course]).toEqual(values);
        expect(passed).toEqual(values);
        expect(column.length).toBe(values.length);
      }),
    );
  });

  it('keeps no more than its most however many come, and loses none on the way', () => {
    for (const count of [9, 64, 65, 1000, 20_000]) {
      const values = Array.from({ length: count }, (_, i) => Math.sin(i / 7));
      const { column, course, passed } = filled('mean', 64, values);
      expect(column.thinned).toBe(count > 64);
      expect(course.length).toBeLessThanOrEqual(64);
      expect(course.length).toBeGreaterThan(Math.min(count, 64) / 2 - 1);
      expect(passed).toEqual(values);
    }
  });

  it('stands for runs by their mean, as simple-statistics computes it', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 2, max: 5, noNaN: true }), { minLength: 33, maxLength: 64 }),
        (values) => {
          // 33 to 64 values in at most 16 places: runs of four.
          const { course } = filled('mean', 16, values);
          course.forEach((v, k) => expect(v).toBeCloseTo(statisticsMean(values.slice(4 * k, 4 * k + 4)), 12));
        },
      ),
    );
  });

  it('or by their first reading with its own time, where signals were read one after another', () => {
    const values = Array.from({ length: 100 }, (_, i) => i * 1.1);
    const { course } = filled('first', 16, values);
    expect([...course]).toEqual(values.filter((_, i) => i % 8 === 0));
  });

  it('leaves a figure that never moves exactly as it is, and gaps as gaps only where all is missing', () => {
    const stuck = filled('mean', 16, new Array<number>(1000).fill(3.947)).course;
    expect(new Set(stuck)).toEqual(new Set([3.947]));
    const gaps = filled('mean', 4, [1, NaN, NaN, 3, NaN, NaN, 5, 5]).course;
    expect([...gaps]).toEqual([1, 3, NaN, 5]);
  });
});

const pack = normalisePack({
  name: 'twelve groups',
  chemistry: 'nmc',
  ratedCapacityAh: 60,
  channels: Array.from({ length: 12 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: [1, 2, 3].map((m) => ({
    id: `M${m}`,
    channels: [1, 2, 3, 4].map((k) => `c${4 * (m - 1) + k}`),
  })),
  nominalGroupResistanceMilliohm: 1.2,
  ocv: defaultOcvTable('nmc'),
});

/** A day's log at 1 Hz, longer than what is kept of it, with a weak group and one that is out of balance. */
function dayLog(): ScanRecord {
  const random = new Random(31);
  const sim = healthyPack(pack, random);
  sim.startSoc = 0.95;
  sim.channels[5]!.capacityRatio = 0.85;
  sim.channels[5]!.deltaSoc = -(1 / 0.85 - 1) * 0.05;
  sim.channels[9]!.deltaSoc = -0.05;
  const legs = [
    { durationS: 1200, currentA: 0, sampleS: 1 },
    ...driveLegs(random, 7, 40, 1),
    { durationS: 1800, currentA: 0, sampleS: 1 },
  ];
  return simulateRecord(sim, legs, random);
}

describe('a record longer than what is kept of it', () => {
  const full = dayLog();
  const stored = new Map<string, number[]>();
  const reader = new CsvScanReader(pack, [], (signal, piece) => {
    const own = stored.get(signal) ?? [];
    stored.set(signal, own);
    for (const v of piece) own.push(v);
  });
  const text = writeScanCsv(full, 3);
  for (let i = 0; i < text.length; i += 100_000) reader.push(text.slice(i, i + 100_000));
  const kept = reader.finish();
  const rows = full.voltageV[0]!.timeS.length;

  it('hands every reading on under its stored name', () => {
    expect(rows).toBeGreaterThan(16_384);
    expect(reader.builder!.rows).toBe(rows);
    expect(kept.voltageV[0]!.value.length).toBeLessThanOrEqual(16_384);
    expect([...stored.keys()].sort()).toEqual(
      ['time', 'current', 'soc', 'sensor:temp_C', ...pack.channels.map((c) => `channel:${c.index}`)].sort(),
    );
    expect(stored.get('channel:3')).toEqual([...full.voltageV[3]!.value].map((v) => Number(v.toFixed(3))));
  });

  it('is the same to the last bit when its readings are taken back from where they are stored', () => {
    let thinned: true | undefined;
    const courses = new Map(
      [...stored].map(([name, values]) => {
        const column = columnFor(name, pack.channels.length, true);
        values.forEach((v) => column.push(v));
        const course = column.done();
        if (column.thinned) thinned = true;
        return [name, course] as const;
      }),
    );
    const again = recordOf(courses, {
      channelIds: kept.channelIds,
      simultaneous: true,
      notices: [],
      thinned,
    });
    expect([again.thinned, kept.thinned, full.thinned]).toEqual([true, true, undefined]);
    expect(again.voltageV).toEqual(kept.voltageV);
    expect(again.temperatureC).toEqual(kept.temperatureC);
    expect(spreadReport(again, pack)).toEqual(spreadReport(kept, pack));
  });

  it('tells what the whole record tells', () => {
    const told = (r: ScanRecord) =>
      diagnose(r, pack).findings.map((f) => ({
        channel: f.channel,
        verdict: f.verdict,
        ratio: f.estimate.capacityRatio ?? 1,
        gap: f.estimate.deltaSocPct ?? 0,
      }));
    const [ours, whole] = [told(kept), told(full)];
    expect(ours.map((f) => [f.channel, f.verdict])).toEqual(whole.map((f) => [f.channel, f.verdict]));
    ours.forEach((f, i) => {
      expect(f.ratio).toBeCloseTo(whole[i]!.ratio, 2);
      expect(f.gap).toBeCloseTo(whole[i]!.gap, 0);
    });
    expect(
      told(kept)
        .map((f) => `${f.channel} ${f.verdict}`)
        .sort(),
    ).toEqual(['c10 imbalance', 'c6 low-capacity']);
  });

  it('keeps every reading of a polled record with the time it was read at', () => {
    const random = new Random(8);
    const polled = simulatePolled(healthyPack(pack, random), driveLegs(random, 20, 0.5, 3), random);
    const column = columnFor('channel:0', pack.channels.length, false);
    polled.voltageV[0]!.value.forEach((v) => column.push(v));
    expect(column.done()).toEqual(polled.voltageV[0]!.value);
  });
});
