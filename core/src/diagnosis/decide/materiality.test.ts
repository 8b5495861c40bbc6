import { describe, expect, it } from 'vitest';
import { defaultOcvTable, factsOf, normalisePack, ocvCurve, type Chemistry } from '../../pack';
import { driveLegs, healthyPack, Random, simulateRecord, type Leg, type SimPack } from '../../simpack';
import { diagnose } from '..';
import { negativeBehind } from '../cell/halfCells';
import { heldRatio } from '../cell/retainedCapacity';
import { HEALTHY, hypothesesFor } from '../channel/hypotheses';
import { isIdentifiable, HEALTHY_WITHIN, isMaterial, isSeen, loadChanges } from './materiality';
import { observe } from '../channel/deviations';

const packOf = (chemistry: Chemistry) =>
  normalisePack({
    name: 'sixteen groups',
    chemistry,
    ratedCapacityAh: 50,
    channels: Array.from({ length: 16 }, (_, i) => ({ id: `c${i + 1}`, cells: 1 })),
    modules: [1, 2].map((m) => ({
      id: `M${m}`,
      channels: Array.from({ length: 8 }, (_, k) => `c${8 * (m - 1) + k + 1}`),
    })),
    nominalGroupResistanceMilliohm: 1.4,
    ocv: defaultOcvTable(chemistry),
  });
const nmc = packOf('nmc');
const scatter = factsOf('nmc').healthy;
const named = (name: string) => hypothesesFor('nmc').find((h) => h.hypothesis.name === name)!.hypothesis;
const plain = { curve: ocvCurve(defaultOcvTable('nmc')), negative: null };
const theta = (at: number, value: number) => {
  const values = new Float64Array(11);
  values[at] = value;
  // Known as well as a reading knows it that says all.
  return { theta: values, info: Float64Array.from({ length: 121 }, (_, i) => (i % 12 === 0 ? 1e8 : 0)) };
};

describe('what is a fault and not only a difference', () => {
  it('lies further from the others than healthy channels do', () => {
    // A pack that is less even than usual: its healthy channels lie up to 2.8 standard deviations apart.
    const uneven = { ...scatter, socFraction: 0.01 };
    const edge = HEALTHY_WITHIN * uneven.socFraction;
    expect(isMaterial(named('imbalance'), theta(0, 0.98 * edge), uneven, nmc, plain)).toBe(false);
    expect(isMaterial(named('imbalance'), theta(0, -1.02 * edge), uneven, nmc, plain)).toBe(true);
    // Where a pack is as even as usual, what costs nothing is still no fault.
    const { matters } = factsOf('nmc');
    expect(isMaterial(named('imbalance'), theta(0, 0.9 * matters.socFraction), scatter, nmc, plain)).toBe(
      false,
    );
    expect(isMaterial(named('imbalance'), theta(0, 1.1 * matters.socFraction), scatter, nmc, plain)).toBe(
      true,
    );
    // Boards are off by 0.5 to 3 mV and 0.02 to 0.1 %, and a meter 10 to 20 mV apart is a sense fault: common practice,
    // no source. A few millivolts are no fault, however certain.
    expect(isMaterial(named('offset'), theta(5, 0.009), scatter, nmc, plain)).toBe(false);
    expect(isMaterial(named('offset'), theta(5, 0.011), scatter, nmc, plain)).toBe(true);
    const worse = { ...scatter, offsetV: 0.005 };
    expect(isMaterial(named('offset'), theta(5, 0.013), worse, nmc, plain)).toBe(false);
  });

  it('counts only what the explanation blames', () => {
    expect(isMaterial(named('offset'), theta(0, 0.2), scatter, nmc, plain)).toBe(false);
    expect(isMaterial(HEALTHY, theta(0, 0.2), scatter, nmc, plain)).toBe(false);
  });

  it('is a self-discharge above three per cent a month for lithium, twelve for nickel', () => {
    const leak = named('self-discharge');
    expect(isMaterial(leak, theta(4, 0.0009), scatter, nmc, plain)).toBe(false);
    expect(isMaterial(leak, theta(4, 0.002), scatter, nmc, plain)).toBe(true);
    expect(isMaterial(leak, theta(4, 0.002), factsOf('nimh').healthy, packOf('nimh'), plain)).toBe(false);
  });

  it('is a loss of lithium as large as it may well be, not only as it is likeliest', () => {
    const ocv = defaultOcvTable('nmc');
    const curve = ocvCurve(ocv);
    const observed = { curve, negative: negativeBehind(curve, 'nmc', ocv) };
    expect(observed.negative).not.toBeNull();
    // A loss of 2.5 %, where 5 % would matter.
    const slip = [...Array(200).keys()]
      .map((k) => k / 1000)
      .find((l) => heldRatio(observed, 0, l, 0) < 0.975)!;
    const known = (sd: number) => ({
      ...theta(6, slip),
      info: Float64Array.from({ length: 121 }, (_, i) => (i % 12 === 0 ? sd ** -2 : 0)),
    });
    const lost = hypothesesFor('nmc', true).find((h) => h.hypothesis.name === 'lithium lost')!.hypothesis;
    expect(isMaterial(lost, known(0.001), scatter, nmc, observed)).toBe(false);
    expect(isMaterial(lost, known(0.05), scatter, nmc, observed)).toBe(true);
    // A capacity that is less whatever it went with is told by its figure.
    const capacity = named('low capacity, level at the start');
    expect(
      isMaterial(capacity, { ...known(0.05), theta: theta(1, 0.025).theta }, scatter, nmc, observed),
    ).toBe(false);
  });
});

const rest = (hours: number, sampleS = 60): Leg => ({ durationS: hours * 3600, currentA: 0, sampleS });
function record(legs: (r: Random) => Leg[], change: (sim: SimPack) => void = () => undefined, seed = 5) {
  const random = new Random(seed);
  const sim = healthyPack(nmc, random, 0.9);
  sim.startSoc = 0.85;
  change(sim);
  return simulateRecord(sim, legs(random), random);
}

describe('what a record can speak for', () => {
  const still = observe(
    record(() => [rest(48, 1800)]),
    nmc,
  );
  const driven = observe(
    record((r) => [rest(0.2, 20), ...driveLegs(r, 30, 10, 10), rest(0.5, 20)]),
    nmc,
  );

  it('is no resistance where the load never changes: the current sensor’s own noise is none', () => {
    expect(isIdentifiable(named('joint'), still, nmc, 1)).toBe(false);
    expect(isIdentifiable(named('worn cell'), driven, nmc, 1)).toBe(true);
  });

  it('is resistance at a load that never changes too, though only one explanation among others', () => {
    const steady = observe(
      record(() => [{ durationS: 600, currentA: 30, sampleS: 10 }]),
      nmc,
    );
    expect(isIdentifiable(named('joint'), steady, nmc, 1)).toBe(true);
    expect(loadChanges(steady, nmc, 1)).toBe(false);
    expect(loadChanges(driven, nmc, 1)).toBe(true);
  });

  it('is self-discharge while it stands for half a day, and never within hours', () => {
    expect(isIdentifiable(named('self-discharge'), still, nmc, 1)).toBe(true);
    expect(isIdentifiable(named('self-discharge'), driven, nmc, 1)).toBe(false);
  });

  it('is everything else always', () => {
    for (const { hypothesis } of hypothesesFor('nmc').filter(
      (h) => !h.hypothesis.free.ohmic && !h.hypothesis.free.leak,
    ))
      expect(isIdentifiable(hypothesis, still, nmc, 1)).toBe(true);
  });
});

describe('a long and quiet record', () => {
  const day = (r: Random): Leg[] => [rest(1, 10), ...driveLegs(r, 10, 32, 10), rest(2, 10)];
  const exact = (change: (sim: SimPack) => void) =>
    diagnose(
      record(day, (sim) => {
        // Nothing but what is changed: no scatter, hardly any noise.
        sim.noiseV = 0.0002;
        for (const c of sim.channels)
          Object.assign(c, {
            deltaSoc: 0,
            capacityRatio: 1,
            ohmicRatio: 1,
            slowRatio: 1,
            offsetV: 0,
            leakPerDay: 0,
          });
        change(sim);
      }),
      nmc,
    ).findings.map((f) => `${f.channel} ${f.verdict}`);

  it('makes a healthy difference certain and still does not call it a fault', () => {
    expect(exact((s) => (s.channels[3]!.deltaSoc = -0.008))).toEqual([]);
    expect(exact((s) => (s.channels[3]!.capacityRatio = 0.975))).toEqual([]);
    expect(exact((s) => (s.channels[3]!.offsetV = 0.002))).toEqual([]);
  });

  it('and names what lies beyond', () => {
    expect(exact((s) => (s.channels[3]!.deltaSoc = -0.03))).toEqual(['c4 imbalance']);
    expect(exact((s) => (s.channels[3]!.capacityRatio = 0.9))).toEqual(['c4 low-capacity']);
    expect(exact((s) => (s.channels[3]!.offsetV = 0.015))).toEqual(['c4 sense-fault']);
  });

  it('is read right also where the bend of the curve traps a fit: each of many gaps is found', () => {
    for (const gap of [-0.09, -0.07, -0.05, -0.035, 0.04, 0.06])
      for (const seed of [1, 2, 3])
        expect(
          diagnose(
            record(
              (r) => driveLegs(r, 25, 6, 2),
              (s) => (s.channels[7]!.deltaSoc += gap),
              seed,
            ),
            nmc,
          ).findings.map((f) => f.channel),
          `gap ${gap}, seed ${seed}`,
        ).toContain('c8');
  });
});

describe('a wrong reading', () => {
  it('has to be seen: an offset that an opposite charge hides in every reading accuses nobody', () => {
    const offset = named('offset');
    const still = { ohmicV: new Float64Array(50), slowV: new Float64Array(50) };
    const reading = (deviationV: number[]) => ({
      at: Int32Array.from(deviationV.keys()),
      deviationV: Float64Array.from(deviationV),
    });
    const seen = (deviationV: number[]) => isSeen(offset, theta(5, -0.03), reading(deviationV), still, 1);
    expect(seen(Array.from({ length: 50 }, (_, k) => -0.03 + 0.0002 * k))).toBe(true);
    // Seen near full only: capacity hides it later.
    expect(seen(Array.from({ length: 50 }, (_, k) => (k < 8 ? -0.018 : 0.006)))).toBe(true);
    expect(seen(Array.from({ length: 50 }, (_, k) => 0.006 - 0.0002 * k))).toBe(false);
    expect(seen(Array.from({ length: 50 }, () => 0.03))).toBe(false);
    // What the load drops is resistance: taken off, nothing of a wrong reading is left.
    const loaded = { ...still, ohmicV: new Float64Array(50).fill(0.05) };
    const worn = theta(5, -0.03);
    worn.theta[2] = 0.6;
    expect(isSeen(offset, worn, reading(Array.from({ length: 50 }, () => -0.03)), loaded, 1)).toBe(false);
    // Only a wrong reading is asked.
    expect(isSeen(named('imbalance'), theta(0, -0.05), reading([0]), still, 1)).toBe(true);
  });
});
