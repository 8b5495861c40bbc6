import { describe, expect, it } from 'vitest';
import { defaultOcvTable, normalisePack } from '../../pack';
import { healthyPack, Random, simulatePolled } from '../../simpack';
import { diagnose } from './diagnose';

/** A pack of lithium groups that was polled for twenty seconds, with a joint or a wrong reading in the sixth. */
function polled(chemistry: 'nmc' | 'lmo', count: number, seed: number) {
  const ids = Array.from({ length: count }, (_, i) => `c${i + 1}`);
  const pack = normalisePack({
    name: 'polled for seconds',
    chemistry,
    ratedCapacityAh: 26,
    channels: ids.map((id) => ({ id, cells: 1 })),
    modules: [{ id: 'M1', channels: ids }],
    nominalGroupResistanceMilliohm: 2.4,
    ocv: defaultOcvTable(chemistry),
  });
  const random = new Random(seed);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.7;
  if (seed % 2) sim.channels[5]!.ohmicRatio *= 2;
  else sim.channels[5]!.offsetV += 0.03;
  const legs = Array.from({ length: 14 }, () => ({
    durationS: 1.5,
    currentA: random.pick([0, 40, -20, 60, 20]),
    sampleS: 1,
  }));
  return diagnose(simulatePolled(sim, legs, random), pack).findings;
}

describe('a record that was polled for seconds', () => {
  it('accuses few sound channels: followed by as many lags as a long one it had been three times as many', () => {
    let found = 0;
    let accused = 0;
    for (const [chemistry, count] of [
      ['nmc', 12],
      ['lmo', 14],
    ] as const)
      for (let seed = 1; seed <= 100; seed++)
        for (const { channel } of polled(chemistry, count, seed))
          if (channel === 'c6') found++;
          else accused++;
    expect(found).toBeGreaterThanOrEqual(160);
    expect(accused).toBeLessThanOrEqual(8);
  });
});
