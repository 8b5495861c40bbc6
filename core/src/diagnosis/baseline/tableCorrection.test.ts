import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack, type Chemistry } from '../../pack';
import { driveLegs, healthyPack, type Leg, Random, simulateRecord } from '../../simpack';
import { CURVE_SHIFT_SD, USUAL_BENDS } from '../channel/curveErrors';
import type { ChannelFit } from '../channel/channelModel';
import { healthyBaselineOf } from './healthyBaseline';
import { observe } from '../channel/deviations';
import { tableCorrection } from './tableCorrection';
import { BENT } from '../channel/parameters';

const n = USUAL_BENDS.sd.length;

/** A fit that knows of the bends, beyond what is usual, just what is given: each for itself. */
const knowing = (values: readonly number[], sds: readonly number[]): ChannelFit => {
  const size = BENT + n;
  const info = new Float64Array(size * size);
  const theta = new Float64Array(size);
  for (let i = 0; i < size; i++) info[i * (size + 1)] = 1;
  values.forEach((v, i) => {
    const before = USUAL_BENDS.sd[i]! ** -2;
    const told = sds[i]! ** -2;
    info[(BENT + i) * (size + 1)] = before + told;
    theta[BENT + i] = (told * v) / (before + told);
  });
  return { theta, info } as unknown as ChannelFit;
};

describe('how a pack’s curve lies beside its table, by all of its channels', () => {
  it('is what is usual where no channel tells', () => {
    const { mean, sd } = tableCorrection([]);
    expect([...mean]).toEqual([...USUAL_BENDS.mean]);
    sd.forEach((s, i) => expect(s).toBeCloseTo(USUAL_BENDS.sd[i]!, 9));
  });

  it('is the mean weighed by information, prior once (normal errors: Gelman and others, Bayesian Data Analysis, 3rd ed., 2.5, from memory)', () => {
    const wide = USUAL_BENDS.sd.map((s) => 2 * s);
    const one = knowing([0.008, 0.002, 0, 0, 0], [...wide]);
    const two = knowing([0.004, 0.001, 0, 0, 0], [...wide]);
    const { mean, sd } = tableCorrection([one, two]);
    // Prior 1, each channel a quarter: (0 + 0.25 · 8 + 0.25 · 4) / 1.5 = 2 ‰ of charge, and 0.5 mV.
    expect(mean[0]).toBeCloseTo(0.002, 9);
    expect(mean[1]).toBeCloseTo(0.0005, 9);
    expect(sd[0]).toBeCloseTo(CURVE_SHIFT_SD / Math.sqrt(1.5), 9);
  });

  it('never leaves no doubt at all, however many tell of it', () => {
    const sure = knowing([0.008, 0, 0, 0, 0], [1e-6, 1e-7, 1e-7, 1e-7, 1e-7]);
    const { mean, sd } = tableCorrection([sure, sure, sure]);
    expect(mean[0]).toBeCloseTo(0.008, 5);
    sd.forEach((s, i) => expect(s / USUAL_BENDS.sd[i]!).toBeGreaterThanOrEqual(0.0999));
  });
});

describe('of a pack whose curve is another one than its table', () => {
  const packOf = (chemistry: Chemistry) =>
    normalisePack({
      name: 'twenty-four groups',
      chemistry,
      ratedCapacityAh: 40,
      channels: Array.from({ length: 24 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
      modules: [{ id: 'M1', channels: Array.from({ length: 24 }, (_, i) => `c${i + 1}`) }],
      nominalGroupResistanceMilliohm: 1.5,
      ocv: defaultOcvTable(chemistry),
    });

  /** What a drive of a healthy pack says of the bends of its curve. */
  const bendsAfter = (chemistry: Chemistry, legs: (random: Random) => Leg[]) => {
    const pack = packOf(chemistry);
    const random = new Random(7);
    const sim = healthyPack(pack, random, 0.9);
    sim.startSoc = 0.95;
    const record = simulateRecord(sim, legs(random), random);
    return healthyBaselineOf(record, pack, observe(record, pack), [...pack.channels.keys()]).observed.bends;
  };

  it('its channels leave little doubt of a shift along the charge once the steps of a flat curve are found', () => {
    const { mean, sd } = bendsAfter('lfp', (random) => driveLegs(random, 20, 24, 10))!;
    expect(sd[0]).toBeLessThan(0.5 * CURVE_SHIFT_SD);
    // The curve was bent to the pack's own course before: what is left of a shift is small.
    expect(Math.abs(mean[0]!)).toBeLessThan(0.5 * CURVE_SHIFT_SD);
  });

  it.each([
    ['a pack that stood', 'lfp', () => [{ durationS: 1800, currentA: 0, sampleS: 10 }]],
    ['a curve that is not flat', 'nmc', (random) => driveLegs(random, 20, 24, 10)],
    ['nickel, which has no one curve', 'nimh', (random) => driveLegs(random, 20, 20, 10)],
  ] as [string, Chemistry, (random: Random) => Leg[]][])(
    'and nothing is asked of %s',
    (_n, chemistry, legs) => {
      expect(bendsAfter(chemistry, legs)).toBeUndefined();
    },
  );
});
