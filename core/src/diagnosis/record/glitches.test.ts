import { describe, expect, it } from 'vitest';
import type { ScanRecord } from '../../scan';
import { physicsCase } from '../../simpack';
import { glitchesOf } from '..';

/** A copy in which the readings of a channel leap at some moments. */
function leaping(record: ScanRecord, channel: number, moments: number[], byV: number): ScanRecord {
  const voltageV = record.voltageV.map((s) => ({ timeS: s.timeS, value: Float64Array.from(s.value) }));
  for (const k of moments) voltageV[channel]!.value[k]! += byV;
  return { ...record, voltageV };
}

describe('readings that leap while the pack stands still', () => {
  it('are none in packs of particle cells, whose boards are late, noisy and leave readings out', () => {
    let [looked, told] = [0, 0];
    for (let seed = 9401; seed <= 9424; seed++) {
      const c = physicsCase(seed);
      const found = c && glitchesOf(c.record, c.pack);
      if (!found) continue;
      looked++;
      told += found.length;
      // The same record with one of its channels leaping there and back twice, in the middle of its last rest.
      const n = c.record.voltageV[0]!.timeS.length;
      const at = [n - 8, n - 4];
      const again = glitchesOf(leaping(c.record, 3, at, 0.03), c.pack)!;
      const own = again.find((j) => j.channelIndex === 3);
      if (c.recordClass === 'two-rests') {
        expect([seed, own?.count]).toEqual([seed, expect.toSatisfy((k: number) => k >= 3)]);
        expect(own!.mostMv).toBeGreaterThan(24);
      }
    }
    expect(looked).toBeGreaterThan(4);
    expect(told).toBe(0);
  });
  it('are not looked for where channels were read apart, hardly at rest, or too seldom', () => {
    // One that is looked at, so that each of what follows is what keeps it from being.
    let c = null;
    for (let seed = 9401; c?.recordClass !== 'two-rests'; seed++) c = physicsCase(seed);
    const { record, pack } = c;
    expect(glitchesOf(record, pack)).not.toBeNull();
    const part = (from: number, to: number): ScanRecord => ({
      ...record,
      voltageV: record.voltageV.map((s) => ({
        timeS: s.timeS.slice(from, to),
        value: s.value.slice(from, to),
      })),
    });
    expect(glitchesOf(part(0, 5), pack)).toBeNull();
    const [first, ...rest] = record.voltageV;
    const apart = {
      ...record,
      voltageV: [{ timeS: first!.timeS.slice(1), value: first!.value.slice(1) }, ...rest],
    };
    expect(glitchesOf(apart, pack)).toBeNull();
    const seldom = {
      ...record,
      voltageV: record.voltageV.map((s) => ({ timeS: s.timeS.map((t) => 1000 * t), value: s.value })),
    };
    expect(glitchesOf(seldom, pack)).toBeNull();
    // In means of several readings a leap goes under.
    expect(glitchesOf({ ...record, thinned: true }, pack)).toBeNull();
  });
});
