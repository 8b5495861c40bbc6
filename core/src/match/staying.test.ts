import { describe, expect, it } from 'vitest';
import { defaultOcvTable, measured, normalisePack, notMeasured, type Measured } from '../pack';
import { Random } from '../simpack/random';
import { heldByModule, stayingCandidates, typicalOfStaying, withMeasuredAlone } from '.';

const sticks = Array.from({ length: 28 }, (_, i) => `S${String(i + 1).padStart(2, '0')}`);
const pack = normalisePack({
  name: 'sticks',
  chemistry: 'nimh',
  ratedCapacityAh: 6.5,
  channels: sticks.map((_, i) => ({ id: `c${i}`, cells: 6 })),
  modules: sticks.map((id, i) => ({ id, channels: [`c${i}`] })),
  nominalGroupResistanceMilliohm: 12,
  ocv: defaultOcvTable('nimh'),
});
const unknown = notMeasured('no current', 'a drive');
const report = (capacityAh: Measured, ratios: Record<number, number> = {}) => ({
  capacityAh,
  resistanceMilliohm: measured(12, 0.5, 'a drive'),
  channels: Object.entries(ratios).map(
    ([i, value]) =>
      ({
        channelIndex: Number(i),
        capacityRatio: { value, sd: 0.01 },
        deltaSoc: { value: 0, sd: 0.01 },
      }) as never,
  ),
});

describe('what stays in the pack', () => {
  it('a full discharge of a module counts before what a scan says of its channels', () => {
    const held = heldByModule(pack, report(measured(5, 0.05, 'a drive'), { 2: 0.8, 3: 0.9 }), { S03: 3.2 });
    expect(held.slice(1, 5)).toEqual([5, 3.2, 4.5, 5]);
  });

  it('without a scan only what was measured alone is known; nothing stands in for the rest', () => {
    expect(heldByModule(pack, null, { S02: 4.1 }).slice(0, 3)).toEqual([null, 4.1, null]);
    expect(heldByModule(pack, report(unknown), { S02: 4.1 })[0]).toBe(null);
    expect(stayingCandidates(pack, report(unknown), { S02: 4.1, S05: 4.4 }, ['S05'])).toEqual([
      { id: 'stays S02', capacityAh: 4.1, resistanceMilliohm: 12, restVoltageV: 0 },
    ]);
    expect(stayingCandidates(pack, null, { S02: 4.1 }, [])).toEqual([]);
  });

  it('the typical capacity is measured once half of what stays is, never from fewer', () => {
    const some = (n: number) => Object.fromEntries(sticks.slice(0, n).map((id, i) => [id, 4 + (i % 3) / 10]));
    const of = (n: number, leaving: string[] = []) =>
      typicalOfStaying(pack, report(unknown), some(n), leaving);
    expect(of(13).measured).toBe(false);
    expect(of(14)).toMatchObject({ measured: true, value: 4.1 });
    // What comes out says nothing of what stays.
    expect(of(14, sticks.slice(0, 4)).measured).toBe(false);
    expect(typicalOfStaying(pack, null, some(2), []).measured).toBe(false);
  });

  it('its interval holds the truth 19 times of 20: modules drawn from a known workshop, seed 41', () => {
    // Standard error of a median of a Gaussian sample, 1.2533 σ/√n (Kendall & Stuart, from memory).
    const random = new Random(41);
    let held = 0;
    const rounds = 2000;
    for (let r = 0; r < rounds; r++) {
      const alone = Object.fromEntries(sticks.map((id) => [id, 4.2 + random.normal(0.3, 6)]));
      const t = typicalOfStaying(pack, null, alone, []);
      if (t.measured && t.low <= 4.2 && t.high >= 4.2) held++;
    }
    expect(held / rounds).toBeGreaterThan(0.9);
    expect(held / rounds).toBeLessThan(0.99);
  });

  it('how full a group is stays as it was; what it holds is what was measured', () => {
    const states = sticks.map(() => ({ capacityAh: 5, socFraction: 0.4 }));
    const next = withMeasuredAlone(states, pack, { S28: 2.9 });
    expect(next[27]).toEqual({ capacityAh: 2.9, socFraction: 0.4 });
    expect(next[0]).toEqual(states[0]);
  });
});
