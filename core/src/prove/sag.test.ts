import { describe, expect, it } from 'vitest';
import { marramVan } from '../../../cli/src/demoPacks';
import { ngspice } from '../../../e2e/src/ngspice';
import { measured, normalisePack, notMeasured, ocvCurve } from '../pack';
import { healthyPack, physicsCase, Random, simulateRecord } from '../simpack';
import { fullLoadOf, spreadReport, type FullLoad } from '../diagnosis';
import { sagUnderLoad, simulatedSag } from '.';

const pack = normalisePack(marramVan());
const ohm = 0.9e-3;
const capacityAh = 100;
const course = { timeS: [0, 1, 3, 10, 20, 21, 30], currentA: [0, 150, 180, 120, 200, 60, 210] };
const load: FullLoad = {
  fromS: 0,
  atS: 30,
  currentA: 210,
  temperatureC: 22,
  course,
  quietV: 3.72,
  sagV: pack.channels.map(() => 0),
};
const held = measured(capacityAh, 1, 'a drive');
const at = (v: number): FullLoad => ({ ...load, sagV: pack.channels.map(() => v) });

describe('sag under a pull', () => {
  it('is that of the same circuit in ngspice: rest voltage by charge, one quick and two slow resistances', () => {
    const curve = ocvCurve(pack.profile.ocv);
    const soc0 = curve.socAt(load.quietV);
    // The curve over the little charge that flows, as a straight line between its two ends.
    const ah = course.timeS
      .slice(1)
      .reduce(
        (s, t, i) =>
          s + ((course.currentA[i + 1]! + course.currentA[i]!) / 2) * ((t - course.timeS[i]!) / 3600),
        0,
      );
    const soc1 = soc0 - ah / capacityAh;
    const farad = (capacityAh * 3600 * (soc0 - soc1)) / (curve.voltageAt(soc0) - curve.voltageAt(soc1));
    const [r1, r2] = [0.15 * ohm, 0.15 * ohm];
    const found = ngspice(
      `C0 o 0 ${farad} ic=${load.quietV}
R0 o a ${ohm}
R1 a b ${r1}
C1 a b ${25 / r1} ic=0
R2 b c ${r2}
C2 b c ${500 / r2} ic=0
I1 c 0 pwl(${course.timeS.map((t, i) => `${t} ${course.currentA[i]}`).join(' ')})`,
      'tran 5m 30 0 5m uic\nmeas tran v0 find v(c) at=0.0005\nmeas tran v1 find v(c) at=29.9999',
    );
    const theirs = found.get('v0')! - found.get('v1')!;
    expect(simulatedSag(load, ohm, capacityAh, pack).value / theirs).toBeCloseTo(1, 2);
  });
  it('within what resistances make it is told so; a newcomer that sags more is named, and its joints first', () => {
    const typical = measured(0.9, 0.02, 'a drive');
    const { value } = simulatedSag(load, ohm, capacityAh, pack);
    const newcomers = [
      {
        module: 'M07',
        channelIndices: pack.modules[6]!.channelIndices,
        resistanceMilliohm: 0.9,
        temperatureC: 21,
      },
    ];
    const check = (v: number, own = v) => {
      const l = at(v);
      for (const i of newcomers[0]!.channelIndices) l.sagV[i] = own;
      return sagUnderLoad(l, typical, 21, held, newcomers, pack)!;
    };
    expect(check(value).says).toBe('It sags as its resistances make it.');
    expect(check(value).rows.map((r) => r.off)).toEqual([null, null]);
    expect(check(value, 1.5 * value).says).toMatch(/^M07 sags more than its bench figure makes/);
    expect(check(1.6 * value, value).says).toMatch(/^The pack as a whole sags more/);
    // Nothing stands in for what was not measured.
    const open = notMeasured('no current', 'a drive');
    expect(sagUnderLoad(load, open, 21, held, [], pack)).toBeNull();
    expect(sagUnderLoad(null, typical, 21, held, newcomers, pack)).toBeNull();
    const bare = [{ ...newcomers[0]!, resistanceMilliohm: null }];
    expect(sagUnderLoad(at(value), typical, 21, held, bare, pack)!.rows.map((r) => r.of)).toEqual([
      'typical',
    ]);
  });
});

describe('what is not known', () => {
  const typical = measured(0.9, 0.02, 'a drive');
  const width = (c: Parameters<typeof sagUnderLoad>[3]): number => {
    // A long pull near empty, where the rest voltage falls with the charge.
    const pull = { ...at(0.3), quietV: 3.35, course: { timeS: [0, 1, 90], currentA: [0, 210, 210] } };
    const { low, high } = sagUnderLoad(pull, typical, 21, c, [], pack)!.rows[0]!.expectedMv;
    return high - low;
  };
  it('a capacity that nobody measured widens what is expected; the rating is never taken for it', () => {
    expect(width(notMeasured('no current', 'a drive'))).toBeGreaterThan(1.01 * width(held));
  });
  it('NiMH remembers where its voltage comes from: a pull is judged within its two branches', () => {
    const nimh = { ...pack, profile: { ...pack.profile, chemistry: 'nimh' as const } };
    const row = (volts: number) => sagUnderLoad(at(volts), typical, 21, held, [], nimh)!.rows[0]!;
    const lithium = sagUnderLoad(at(0.2), typical, 21, held, [], pack)!.rows[0]!.expectedMv;
    const { low, high } = row(0.2).expectedMv;
    expect(high - low).toBeGreaterThan(lithium.high - lithium.low);
    expect(row(3 * (high / 1000)).off).toBe('more');
  });
});

describe('the strongest pull of a record', () => {
  it('in single-particle cells, which have no resistor and capacitor in them: the resistance of the record expects the sag of its pull', () => {
    let [within, n] = [0, 0];
    for (let seed = 9121; seed <= 9150; seed++) {
      // A pack that stood has no pull.
      const c = physicsCase(seed, undefined, (kind) => kind !== 'long-rest');
      if (!c || !c.record.currentA) continue;
      const r = spreadReport(c.record, c.pack);
      const check = sagUnderLoad(
        r.fullLoad,
        r.resistanceMilliohm,
        r.fullLoad?.temperatureC ?? null,
        r.capacityAh,
        [],
        c.pack,
      );
      if (!check) continue;
      expect(r.fullLoad!.currentA).toBeGreaterThanOrEqual(0.3 * c.pack.profile.ratedCapacityAh);
      expect(check.lastedS).toBeLessThanOrEqual(90);
      n++;
      if (check.rows[0]!.off === null) within++;
    }
    expect(n).toBeGreaterThan(10);
    expect(within / n).toBeGreaterThanOrEqual(0.9);
  });
  it('is 320 A for a minute in a drive of 2 s rows with a ripple of 15 % that never stands still, and its sag is expected', () => {
    const random = new Random(8);
    const sim = healthyPack(pack, random, 0.9);
    const c = pack.profile.ratedCapacityAh;
    const ripple = (a: number): number => a * (1 + 0.15 * random.uniform(-1, 1));
    const steps = [
      ...Array.from({ length: 60 }, () => ({ durationS: 2, currentA: 0, sampleS: 2 })),
      // The strongest that begins where it stood is a third of what comes later.
      ...Array.from({ length: 30 }, () => ({ durationS: 2, currentA: ripple(0.8 * c), sampleS: 2 })),
      ...Array.from({ length: 150 }, () => ({ durationS: 2, currentA: ripple(0.25 * c), sampleS: 2 })),
      ...Array.from({ length: 30 }, () => ({ durationS: 2, currentA: ripple(2.4 * c), sampleS: 2 })),
      ...Array.from({ length: 60 }, () => ({ durationS: 2, currentA: ripple(0.25 * c), sampleS: 2 })),
    ];
    const record = simulateRecord(sim, steps, random);
    const load = fullLoadOf(record, pack)!;
    expect(load.currentA).toBeGreaterThan(2.3 * c);
    expect(load.atS - load.fromS).toBeLessThanOrEqual(90);
    const r = spreadReport(record, pack);
    const check = sagUnderLoad(r.fullLoad, r.resistanceMilliohm, null, r.capacityAh, [], pack)!;
    expect(check.currentA).toBe(load.currentA);
    expect(check.rows[0]!.off).toBeNull();
  });
  it('is none where nothing flows, or only little', () => {
    const random = new Random(3);
    const sim = healthyPack(pack, random, 0.9);
    const rest = simulateRecord(sim, [{ durationS: 600, currentA: 0, sampleS: 5 }], random);
    expect(fullLoadOf(rest, pack)).toBeNull();
    expect(fullLoadOf({ ...rest, currentA: null }, pack)).toBeNull();
  });
});
