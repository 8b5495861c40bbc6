import { describe, expect, it } from 'vitest';
import { defaultOcvTable, factsOf, normalisePack, ocvCurve } from '../../pack';
import {
  beadGraphiteCase,
  driveLegs,
  healthyPack,
  physicsCase,
  Random,
  shakenCase,
  simulateRecord,
  type SimPack,
} from '../../simpack';
import { diagnose } from '../decide/diagnose';
import { OPEN } from '../channel/hypotheses';
import { logDeterminant } from '../../numerics/linearAlgebra';
import { observe } from '../channel/deviations';
import { populationSpread } from './populationSpread';
import { slopesOf } from '../channel/channelTerms';

const pack = normalisePack({
  name: 'forty-eight groups',
  chemistry: 'nmc',
  ratedCapacityAh: 50,
  channels: Array.from({ length: 48 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
  modules: [{ id: 'M1', channels: Array.from({ length: 48 }, (_, i) => `c${i + 1}`) }],
  nominalGroupResistanceMilliohm: 1.4,
  ocv: defaultOcvTable('nmc'),
});
const { healthy } = factsOf('nmc');

/** What a pack is told to scatter by, from a drive over a third of its charge. */
function told(change: (sim: SimPack, random: Random) => void) {
  const random = new Random(11);
  const sim = healthyPack(pack, random, 0.9);
  sim.startSoc = 0.9;
  change(sim, random);
  const rest = { durationS: 600, currentA: 0, sampleS: 10 };
  const record = simulateRecord(sim, [rest, ...driveLegs(random, 35, 16, 10), rest], random);
  const observed = observe(record, pack);
  const all = [...pack.channels.keys()];
  return populationSpread(observed, slopesOf(observed), pack, all, healthy, OPEN.free, 0.001);
}

describe('how far the healthy channels of a pack differ', () => {
  it('is told by the pack: boards that are three times worse than usual, and no others', () => {
    const usual = told(() => undefined);
    const worse = told((sim, random) => {
      for (const c of sim.channels) c.offsetV = random.normal(3 * healthy.offsetV);
    });
    expect(worse.offsetV / (3 * healthy.offsetV)).toBeGreaterThan(0.7);
    expect(worse.offsetV / (3 * healthy.offsetV)).toBeLessThan(1.5);
    expect(usual.offsetV).toBeLessThan(2 * healthy.offsetV);
    expect(worse.resistance / usual.resistance).toBeCloseTo(1, 0);
  });

  it('is not moved by a channel that is faulty', () => {
    const usual = told(() => undefined);
    for (const fault of [
      (sim: SimPack) => (sim.channels[7]!.offsetV = 0.06),
      (sim: SimPack) => (sim.channels[7]!.capacityRatio = 0.8),
      (sim: SimPack) => (sim.channels[7]!.ohmicRatio = 3),
    ]) {
      const with1 = told(fault);
      for (const key of ['offsetV', 'capacity', 'resistance'] as const)
        expect(with1[key] / usual[key], key).toBeLessThan(1.6);
    }
  });

  it.each([
    ['sixteen cells', beadGraphiteCase, 781_124],
    ['twenty-four cells', physicsCase, 783_040],
    ['twelve sticks, by a wire on a bar that carries the current,', shakenCase, 783_166],
  ])('is not taken from two wrong readings among %s whose curves are not alike', (_, make, seed) => {
    const { record, pack: own, faults } = make(seed)!;
    const wrong = faults.map((f) => own.channels[f.channelIndex]!.id).sort();
    expect(wrong).toHaveLength(2);
    const { findings } = diagnose(record, own);
    expect(findings.map((f) => f.channel).sort()).toEqual(wrong);
    for (const f of findings) expect(f.verdict).toBe('sense-fault');
  });

  it('is not taken from a worn cell, whose drift in a record of hours looks like leakage', () => {
    const { record, pack: own, faults } = shakenCase(610_530)!;
    expect(faults).toHaveLength(1);
    const { findings } = diagnose(record, own);
    expect(findings.map((f) => [f.channel, f.verdict])).toEqual([
      [own.channels[faults[0]!.channelIndex]!.id, 'high-resistance'],
    ]);
  });

  it('is the usual one where few channels speak', () => {
    const random = new Random(3);
    const observed = observe(
      simulateRecord(healthyPack(pack, random), [{ durationS: 600, currentA: 0, sampleS: 10 }], random),
      pack,
    );
    expect(
      populationSpread(observed, slopesOf(observed), pack, [0, 1, 2], healthy, OPEN.free, 0.001),
    ).toEqual(healthy);
  });

  it('needs a determinant: 44 for a matrix expanded by hand', () => {
    expect(Math.exp(logDeterminant(Float64Array.of(4, 2, 0, 2, 5, 1, 0, 1, 3)))).toBeCloseTo(44, 9);
  });
});

describe('the rest curve of this very pack', () => {
  it('follows what the pack shows where its table lies beside it', () => {
    // The table of another cell: 25 mV higher around 70 %, as a bump.
    const truth = ocvCurve(defaultOcvTable('nmc'));
    const bumped = normalisePack({
      ...pack.profile,
      ocv: defaultOcvTable('nmc').map(([s, v]): [number, number] => [
        s,
        v + 0.025 * Math.exp(-0.5 * ((s - 0.7) / 0.05) ** 2),
      ]),
    });
    const random = new Random(5);
    const sim = healthyPack(pack, random, 0.9);
    sim.startSoc = 0.95;
    const rest = { durationS: 900, currentA: 0, sampleS: 10 };
    const record = simulateRecord(sim, [rest, ...driveLegs(random, 20, 24, 10), rest], random);
    const { curve } = observe(record, bumped);
    const table = ocvCurve(bumped.profile.ocv);
    const rise = (c: typeof curve): number => c.voltageAt(0.7) - (c.voltageAt(0.58) + c.voltageAt(0.82)) / 2;
    expect(Math.abs(rise(curve) - rise(truth))).toBeLessThan(0.4 * Math.abs(rise(table) - rise(truth)));
  });
});

describe('a pack whose channels differ by more than screening shows', () => {
  it.each([
    // Nickel sticks and a flat curve, with errors the diagnosis does not know.
    [110_094, 0],
    [50_062, 1],
  ])('is not full of faults (%i)', (seed, most) => {
    const { pack: own, record, faults } = shakenCase(seed)!;
    const faulty = new Map(faults.map((f) => [own.channels[f.channelIndex]!.id, f.verdict]));
    const { findings } = diagnose(record, own);
    expect(findings.filter((f) => !faulty.has(f.channel)).length).toBeLessThanOrEqual(most);
    for (const [channel, verdict] of faulty)
      expect(findings.find((f) => f.channel === channel)).toMatchObject({ verdict });
  });

  it('is looked at as one whose boards differ more: eight of twenty nickel sticks had been wrong readings', () => {
    const { pack: own, record, faults } = shakenCase(800_694)!;
    expect(faults).toHaveLength(1);
    const low = own.channels[faults[0]!.channelIndex]!.id;
    const others = diagnose(record, own).findings.filter((f) => f.channel !== low);
    expect(others.length).toBeLessThanOrEqual(1);
  });

  it('does not hide those that are: six of forty-eight, each in a module of its own', () => {
    const random = new Random(12);
    const many = normalisePack({
      ...pack.profile,
      channels: Array.from({ length: 48 }, (_, i) => ({ id: `n${i}`, cells: 1 })),
      modules: Array.from({ length: 12 }, (_, i) => ({
        id: `M${i + 1}`,
        channels: Array.from({ length: 4 }, (__, j) => `n${4 * i + j}`),
      })),
    });
    const sim = healthyPack(many, random, 0.9);
    sim.startSoc = 0.95;
    for (const c of [1, 9, 18, 27, 33, 42]) sim.channels[c]!.capacityRatio *= 0.82;
    const rest = { durationS: 900, currentA: 0, sampleS: 10 };
    const record = simulateRecord(sim, [rest, ...driveLegs(random, 20, 24, 10), rest], random);
    const found = diagnose(record, many).findings.filter((f) => f.verdict === 'low-capacity');
    expect(found.map((f) => f.channel).sort()).toEqual(['n1', 'n18', 'n27', 'n33', 'n42', 'n9']);
  });
});
