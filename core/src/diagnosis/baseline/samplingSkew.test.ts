import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '../../pack';
import type { ScanRecord } from '../../scan';
import { beadGraphiteCase, driveLegs, healthyPack, physicsCase, Random, simulateRecord } from '../../simpack';
import { diagnose } from '../decide/diagnose';

const pack = normalisePack(
  JSON.parse(
    readFileSync(new URL('../../../../demo/packs/island-bus.json', import.meta.url), 'utf8'),
  ) as PackProfile,
);
const CHANNEL = 7;
const rest = { durationS: 900, currentA: 0, sampleS: 30 };

/** A drive of a healthy pack; `spoil` changes it, or one channel's readings. */
function drive(
  spoil: (sim: ReturnType<typeof healthyPack>) => void,
  legs = driveLegs(new Random(3), 60, 40, 30),
): ScanRecord {
  const random = new Random(21);
  const sim = healthyPack(pack, random);
  sim.startSoc = 0.95;
  spoil(sim);
  return simulateRecord(sim, [rest, ...legs, rest], random);
}
const readingsLeft = (record: ScanRecord): { at: number[]; found: string[] } => {
  const { observed, findings } = diagnose(record, pack);
  const { count } = observed.channels[CHANNEL]!;
  return {
    at: [...count.keys()].filter((k) => count[k] === 0),
    found: findings.map((f) => `${f.channel} ${f.verdict}`),
  };
};

describe('a reading that came late', () => {
  it.each(['first', 'last'])('in the %s step of current loses its weight, and no other does', (which) => {
    const record = drive(() => undefined);
    const voltage = record.voltageV[CHANNEL]!;
    const before = readingsLeft(record);
    // What was read before the current changed is shown once more.
    const steps = [...voltage.value.keys()].filter(
      (k) => k > 0 && Math.abs(voltage.value[k]! - voltage.value[k - 1]!) > 0.05,
    );
    const at = which === 'first' ? steps[0]! : steps.at(-1)!;
    voltage.value[at] = voltage.value[at - 1]!;
    expect(before).toEqual({ at: [], found: [] });
    expect(readingsLeft(record)).toEqual({ at: [at], found: [] });
  });

  it('makes no finding among particles, and hides none', () => {
    for (const seed of [770_220, 770_226]) {
      const { record, pack: own, faults } = physicsCase(seed)!;
      expect(diagnose(record, own).findings.map((f) => [f.channel, f.verdict])).toEqual(
        faults.map((f) => [own.channels[f.channelIndex]!.id, f.verdict]),
      );
    }
    // A tap wire between two channels, one of them with a late reading.
    const { record, pack: own } = beadGraphiteCase(770_276)!;
    expect(diagnose(record, own).findings.map((f) => f.verdict)).toEqual(['sense-fault', 'sense-fault']);
  });
});

describe('the only reading under load', () => {
  it('is not late, however a bad joint drops in it', () => {
    const pull = [{ durationS: 30, currentA: 120, sampleS: 30 }];
    const record = drive((sim) => (sim.channels[CHANNEL]!.ohmicRatio *= 3), pull);
    const { at, found } = readingsLeft(record);
    expect(at).toEqual([]);
    expect(found).toEqual([`${pack.channels[CHANNEL]!.id} high-resistance`]);
  });
});
