import { describe, expect, it } from 'vitest';
import { yardTug } from '../../../../cli/src/demoPacks';
import { normalisePack } from '../../pack';
import { healthyPack, Random, simulateRecord, type Leg } from '../../simpack';
import { deviationMap } from '../record/deviationMap';
import { spreadReport } from '../report/report';
import { temperatureSpread } from '../record/temperatureSpread';

const pack = normalisePack(yardTug());
const REST: Leg[] = [{ durationS: 60, currentA: 0, sampleS: 5 }];
/** One rested snapshot in which channel 31 reads low: in truth (`cell`) or because its board is wrong. */
function lowChannel(truth: 'cell' | 'board') {
  const random = new Random(8);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.55;
  if (truth === 'cell') sim.channels[30]!.deltaSoc -= 0.06;
  else sim.channels[30]!.offsetV -= 0.05;
  const record = simulateRecord(sim, REST, random);
  const real = simulateRecord(
    { ...sim, noiseV: 0, channels: sim.channels.map((c) => ({ ...c, offsetV: 0 })) },
    REST,
    new Random(1),
  );
  /** What a meter at the terminals shows. */
  const meter = (c: number): { channelIndex: number; voltageV: number } => ({
    channelIndex: c,
    voltageV: real.voltageV[c]!.value[0]!,
  });
  return { record, meter };
}

describe('a meter at the terminals', () => {
  it('is asked for where one snapshot cannot tell the cause', () => {
    const { record } = lowChannel('board');
    const report = spreadReport(record, pack);
    expect(report.findings[0]).toMatchObject({ channel: 'ch031', verdict: 'undetermined' });
    expect(report.nextTest).toMatch(/^Meter ch031/);
  });

  it('that shows what the neighbours show proves the reading wrong', () => {
    const { record, meter } = lowChannel('board');
    const [finding] = spreadReport(record, pack, [meter(30), meter(29)]).findings;
    expect(finding).toMatchObject({ verdict: 'sense-fault', costAh: { measured: false } });
    expect(finding!.estimate.offsetMillivolt).toBeCloseTo(-50, -1);
    expect(finding!.reasons.join(' ')).toMatch(/the reading is wrong, not the cell/);
  });

  it('that shows what the scan shows rules the sense fault out, and is not asked for again', () => {
    const { record, meter } = lowChannel('cell');
    const before = spreadReport(record, pack).findings[0]!;
    const report = spreadReport(record, pack, [meter(30), meter(29)]);
    expect(before.alternatives.some((a) => a.verdict === 'sense-fault' && a.confidence > 0.05)).toBe(true);
    expect(report.findings[0]!.verdict).not.toBe('sense-fault');
    expect(
      report.findings[0]!.alternatives.find((a) => a.verdict === 'sense-fault')?.confidence ?? 0,
    ).toBeLessThan(0.02);
    expect(report.nextTest).not.toMatch(/^Meter ch031/);
  });

  it('takes out what the whole pack has moved since the scan', () => {
    const { record, meter } = lowChannel('cell');
    const moved = [30, 29, 40, 12].map(meter).map((m) => ({ ...m, voltageV: m.voltageV + 0.08 }));
    expect(spreadReport(record, pack, moved).findings[0]!.verdict).not.toBe('sense-fault');
  });

  it('far from a reading nobody suspected raises a sense fault of its own', () => {
    const { record, meter } = lowChannel('cell');
    const readings = [meter(60), meter(61), { ...meter(62), voltageV: meter(62).voltageV + 0.06 }];
    const found = spreadReport(record, pack, readings).findings.find((f) => f.channel === 'ch063');
    expect(found?.verdict).toBe('sense-fault');
  });
});

describe('a record taken all under load', () => {
  const random = new Random(4);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.8;
  sim.channels[25]!.ohmicRatio = 2.2;
  sim.channels[25]!.slowRatio = 2.2;
  const { ratedCapacityAh } = pack.profile;
  const legs = Array.from({ length: 40 }, (_, i): Leg => ({
    durationS: 5,
    currentA: ratedCapacityAh * (i % 3 === 2 ? -0.8 : 1.4),
    sampleS: 1,
  }));
  const record = simulateRecord(sim, legs, random);

  it('names the channel by its resistance and says that it holds no rest', () => {
    const report = spreadReport(record, pack);
    expect([report.nearFull, report.nearEmpty]).toEqual([null, null]);
    expect(report.findings[0]).toMatchObject({ channel: 'ch026', verdict: 'high-resistance' });
  });

  it('keeps its verdict when metered, and says why the meter could not be weighed in', () => {
    const [before] = spreadReport(record, pack).findings;
    const [metered] = spreadReport(record, pack, [{ channelIndex: 25, voltageV: 3.9 }]).findings;
    expect(metered).toMatchObject({ verdict: before!.verdict, confidence: before!.confidence });
    expect(metered!.reasons.at(-1)).toMatch(/The meter shows 3\.900 V.*holds no rest.*scan while/);
  });
});

describe('the picture of deviations', () => {
  it('keeps a short dip, however long the record', () => {
    const { record } = lowChannel('cell');
    const long = 40_000;
    const timeS = Float64Array.from({ length: long }, (_, i) => i);
    const flat = {
      ...record,
      currentA: null,
      temperatureC: null,
      reportedSocFraction: null,
      voltageV: pack.channels.map((_, c) => {
        const value = new Float64Array(long).fill(3.7);
        if (c === 5) value.fill(3.5, 20_000, 20_600);
        return { timeS, value };
      }),
    };
    const map = deviationMap(flat, pack, 100);
    expect(map.deviationMv[5]!.filter((v) => v === -200).length).toBeGreaterThan(0);
    expect(map.deviationMv[6]!.every((v) => v === 0)).toBe(true);
    expect(map.timeS).toHaveLength(100);
  });
});

it('temperature sensors: one that warms on its own is named', () => {
  const { record } = lowChannel('cell');
  const timeS = record.voltageV[0]!.timeS;
  const sensor = (name: string, to: number) => ({
    name,
    series: { timeS, value: Float64Array.from(timeS, (_, i) => 22 + ((to - 22) * i) / (timeS.length - 1)) },
  });
  const spread = temperatureSpread({
    ...record,
    sensors: [sensor('a', 24), sensor('b', 24.5), sensor('c', 33)],
  })!;
  expect(spread).toMatchObject({ hottest: 'c', odd: true });
  expect(spread.widestK).toBeCloseTo(9, 1);
  expect(temperatureSpread({ ...record, temperatureC: null })).toBeNull();
});
