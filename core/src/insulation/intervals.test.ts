import { describe, expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { Random } from '../simpack';
import { knownResistor, togetherOhm } from './knownResistor';
import { locateLeak } from './location';
import { insulationReport } from './report';

/** Conductances from points of a floating string to the chassis; the share is counted from the negative end. */
type Branches = { share: number; siemens: number }[];

/**
 * Where the chassis lies along the string, by Kirchhoff's current law: what flows out of the chassis node through all
 * branches adds up to nothing. Written down on its own; `location.test` holds the same circuits against ngspice.
 */
const chassisShare = (branches: Branches): number =>
  branches.reduce((s, b) => s + b.share * b.siemens, 0) / branches.reduce((s, b) => s + b.siemens, 0);

interface Unseen {
  packV: number;
  leak: { share: number; ohm: number };
  branches: Branches;
  meterOhm: number;
  readings: { packV: number; negativeV: number; positiveV: number; v1WithR0: number };
  r0Ohm: number;
  /** Ri of the regulation with a perfect meter, Ω. */
  regulationOhm: number;
}

/** A random pack with a leak, poles that leak a little, and a meter that errs within its class. */
function unseen(random: Random): Unseen {
  const packV = random.uniform(48, 800);
  const leak = { share: random.uniform(0, 1), ohm: 10 ** random.uniform(3.7, 6.7) };
  // Healthy poles: from one megohm up.
  const residual = (): number => 1 / 10 ** random.uniform(6.02, 9);
  const branches = [
    { share: leak.share, siemens: 1 / leak.ohm },
    { share: 0, siemens: residual() },
    { share: 1, siemens: residual() },
  ];
  const meterOhm = 10e6 * (1 + random.uniform(-0.015, 0.015));
  const reads = (v: number): number =>
    Math.max(0, v * (1 + random.uniform(-0.005, 0.005)) + random.uniform(-0.1, 0.1));
  const meter = (share: number): Branches => [...branches, { share, siemens: 1 / meterOhm }];
  const negativeV = packV * chassisShare(meter(0));
  const positiveV = packV * (1 - chassisShare(meter(1)));
  const higherShare = negativeV >= positiveV ? 0 : 1;
  const r0 = 10 ** random.uniform(4, 5.7);
  const withR0 = chassisShare([
    ...meter(higherShare),
    { share: higherShare, siemens: 1 / (r0 * (1 + random.uniform(-0.01, 0.01))) },
  ]);
  const open = chassisShare(branches);
  const total = branches.reduce((s, b) => s + b.siemens, 0);
  return {
    packV,
    leak,
    branches,
    meterOhm,
    r0Ohm: r0,
    readings: {
      packV: reads(packV),
      negativeV: reads(negativeV),
      positiveV: reads(positiveV),
      v1WithR0: reads(packV * (higherShare === 0 ? withR0 : 1 - withR0)),
    },
    // The least resistance that a person at either pole would find: all there is, over the larger share.
    regulationOhm: 1 / total / Math.max(open, 1 - open),
  };
}

const inside = (x: number, i: { low: number; high: number }): boolean => x >= i.low && x <= i.high;

describe('stated intervals on circuits never seen', () => {
  const random = new Random(771);
  const cases = Array.from({ length: 3000 }, () => unseen(random));
  const share = (of: (c: Unseen) => boolean | null): number => {
    const told = cases.map(of).filter((x) => x !== null);
    return told.filter(Boolean).length / told.length;
  };
  const located = (c: Unseen) => locateLeak({ ...c.readings, meterOhm: 10e6 });

  it('hold the place, the size of all there is and the size of the leak in 95 of 100 cases', () => {
    expect(share((c) => inside(c.leak.share, located(c).fraction))).toBeGreaterThanOrEqual(0.95);
    const all = (c: Unseen): number => 1 / c.branches.reduce((s, b) => s + b.siemens, 0);
    expect(share((c) => inside(all(c), located(c).equivalentOhm))).toBeGreaterThanOrEqual(0.95);
    expect(share((c) => inside(c.leak.ohm, located(c).leakOhm))).toBeGreaterThanOrEqual(0.95);
  });

  it('are worth something where the leak stands out: a fifth of the string or less for leaks up to 30 kΩ', () => {
    const plain = cases.filter((c) => c.leak.ohm < 3e4);
    const widths = plain.map((c) => located(c).fraction).map((f) => f.high - f.low);
    expect(widths.filter((w) => w < 0.2).length / widths.length).toBeGreaterThan(0.8);
  });

  it('are narrower where a known resistor has told the size, and still hold', () => {
    const small = cases.filter((c) => c.leak.ohm < 3e4);
    const pairs = small.flatMap((c) => {
      const { packV, negativeV, positiveV, v1WithR0 } = c.readings;
      const [v1, v2] = [Math.max(negativeV, positiveV), Math.min(negativeV, positiveV)];
      if (v1WithR0 <= 0 || v1WithR0 > v1) return [];
      const k = knownResistor({ v1, v2, v1WithR0, r0Ohm: c.r0Ohm, packV });
      const both = locateLeak({ ...c.readings, meterOhm: 10e6, togetherOhm: togetherOhm(k) });
      return [{ c, both, alone: located(c) }];
    });
    const width = (l: ReturnType<typeof located>): number => l.fraction.high - l.fraction.low;
    const mean = (of: (p: (typeof pairs)[number]) => number): number =>
      pairs.reduce((s, p) => s + of(p), 0) / pairs.length;
    expect(mean((p) => width(p.both))).toBeLessThan(0.7 * mean((p) => width(p.alone)));
    expect(mean((p) => (inside(p.c.leak.share, p.both.fraction) ? 1 : 0))).toBeGreaterThanOrEqual(0.95);
  });

  it('merged from the vehicle, two voltages and the known resistor hold the leak, and judge none wrongly', () => {
    const pack = normalisePack(pilotCar());
    const vehicle = new Random(772);
    const rows = cases.slice(0, 1500).flatMap((c) => {
      const { packV, negativeV, positiveV, v1WithR0 } = c.readings;
      const [v1, v2] = [Math.max(negativeV, positiveV), Math.min(negativeV, positiveV)];
      if (v1WithR0 <= 0 || v1WithR0 > v1) return [];
      const total = 1 / c.branches.reduce((s, b) => s + b.siemens, 0);
      const r = insulationReport(
        pack,
        [
          { kind: 'vehicle', ohm: total * (1 + vehicle.uniform(-0.18, 0.18)), signalV: null },
          { kind: 'poles', side: 'pack', packV, negativeV, positiveV, meterOhm: 10e6 },
          { kind: 'known-resistor', higher: 'negative', v1, v2, v1WithR0, r0Ohm: c.r0Ohm, packV },
        ],
        { moduleV: pack.modules.map(() => packV / pack.modules.length) },
      );
      const right =
        r.judged!.verdict === 'uncertain' ||
        (r.judged!.verdict === 'below') === c.regulationOhm < r.judged!.leastOhm;
      return [{ inside: inside(c.leak.ohm, r.sizes!.size), agree: r.sizes!.agree, right }];
    });
    const of = (k: 'inside' | 'agree' | 'right'): number => rows.filter((x) => x[k]).length / rows.length;
    expect(of('inside')).toBeGreaterThanOrEqual(0.95);
    expect(of('agree')).toBeGreaterThan(0.95);
    expect(of('right')).toBeGreaterThan(0.995);
  });

  it('name no place where the poles may leak as much as the leak does', () => {
    const faint = cases.filter((c) => c.leak.ohm > 3e6);
    expect(faint.filter((c) => !located(c).identifiable).length / faint.length).toBeGreaterThan(0.95);
    const plain = cases.filter((c) => c.leak.ohm < 1e5);
    expect(plain.every((c) => located(c).identifiable)).toBe(true);
  });

  it('hold the regulation’s figure by the known resistor', () => {
    expect(
      share((c) => {
        const { packV, negativeV, positiveV, v1WithR0 } = c.readings;
        const [v1, v2] = [Math.max(negativeV, positiveV), Math.min(negativeV, positiveV)];
        // A resistor far too large for the leak tells nothing, and says so.
        if (v1WithR0 <= 0 || v1WithR0 > v1) return null;
        return inside(
          c.regulationOhm,
          knownResistor({ v1, v2, v1WithR0, r0Ohm: c.r0Ohm, packV }).regulationOhm,
        );
      }),
    ).toBeGreaterThanOrEqual(0.95);
  });
});

describe('a healthy pack', () => {
  it('is told healthy: megohms, the chassis half-way, nothing to look for', () => {
    const pack = normalisePack(pilotCar());
    const moduleV = pack.modules.map(() => 348 / pack.modules.length);
    const of = (branches: Branches, vehicleOhm: number | null = null) => {
      const meterOhm = 10e6;
      const meter = (share: number): Branches => [...branches, { share, siemens: 1 / meterOhm }];
      return insulationReport(
        pack,
        [
          {
            kind: 'poles',
            side: 'pack',
            packV: 348,
            negativeV: 348 * chassisShare(meter(0)),
            positiveV: 348 * (1 - chassisShare(meter(1))),
            meterOhm,
          },
          ...(vehicleOhm === null ? [] : [{ kind: 'vehicle' as const, ohm: vehicleOhm, signalV: null }]),
        ],
        { moduleV },
      );
    };
    const poles = (ohm: number): Branches => [
      { share: 0, siemens: 1 / ohm },
      { share: 1, siemens: 1 / ohm },
    ];
    expect(of(poles(6e6)).title).toBe('No leak shows');
    // A vehicle that warns has seen something else.
    expect(of(poles(6e6), 9e3).title).not.toBe('No leak shows');
    // A leak of 300 kΩ beside the same poles is one, wherever it sits.
    expect(of([...poles(6e6), { share: 0.5, siemens: 1 / 3e5 }]).title).not.toBe('No leak shows');
    // Megohms all at one end are no pack's own insulation.
    expect(of([...poles(2e7), { share: 0.02, siemens: 1 / 1.5e6 }]).title).not.toBe('No leak shows');
  });
});

describe('a known resistor', () => {
  it('speaks for the voltages it was put on with, not for others', () => {
    const pack = normalisePack(pilotCar());
    const moduleV = pack.modules.map(() => 348 / pack.modules.length);
    const poles = {
      kind: 'poles',
      side: 'pack',
      packV: 318,
      negativeV: 132.3,
      positiveV: 185.5,
      meterOhm: 10e6,
    } as const;
    const resistor = (v1: number, v2: number) =>
      ({
        kind: 'known-resistor',
        higher: 'positive',
        v1,
        v2,
        v1WithR0: 114.6,
        r0Ohm: 1e4,
        packV: 318,
      }) as const;
    const width = (observations: Parameters<typeof insulationReport>[1]): number => {
      const { low, high } = insulationReport(pack, observations, { moduleV }).location!.fraction;
      return high - low;
    };
    const alone = width([poles]);
    expect(width([poles, resistor(185.5, 132.3)])).toBeLessThan(0.5 * alone);
    // Taken before a part was parted: another leak, perhaps.
    expect(width([poles, resistor(240, 77)])).toBe(alone);
  });
});
