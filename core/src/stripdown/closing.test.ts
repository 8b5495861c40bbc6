import { describe, expect, it } from 'vitest';
import { marramVan, islandBus } from '../../../cli/src/demoPacks';
import { normalisePack, ocvCurve } from '../pack';
import { bags, cureHours, judgeLeakTest } from './closing';
import { jointHistory, jointsToRemake } from './joints';
import { liftPlan, NO_EQUIPMENT } from './lift';
import { judgeWake, wakeOfLive, wakeUnit, type Wake } from './wake';

const pack = normalisePack(marramVan());
const cell = ocvCurve(pack.profile.ocv).voltageAt(0.5);
const n = pack.channels.length;
const good: Wake = {
  replies: n,
  highestV: cell + 0.004,
  lowestV: cell - 0.005,
  sumV: cell * n,
  packV: cell * n + 0.8,
  coldestC: 19,
  warmestC: 21,
  codes: [],
};
const stateOf = (w: Wake, id: string): string => judgeWake(pack, w).points.find((p) => p.id === id)!.state;

describe('the closed pack that is woken', () => {
  it('passes when all of it is there and right, and what nobody looked at does not pass', () => {
    expect(judgeWake(pack, good)).toMatchObject({ passed: true });
    expect(judgeWake(pack, good).deltaMv).toBeCloseTo(9, 6);
    const missing: [keyof Wake, string][] = [
      ['replies', 'replies'],
      ['highestV', 'bounds'],
      ['lowestV', 'delta'],
      ['packV', 'sum'],
      ['coldestC', 'temperatures'],
      ['codes', 'codes'],
    ];
    for (const [key, id] of missing) {
      expect(stateOf({ ...good, [key]: null }, id), key).toBe('missing');
      expect(judgeWake(pack, { ...good, [key]: null }).passed, key).toBe(false);
    }
  });

  it('looks at each by itself first: agreeing at 0.01 V is dead, not level', () => {
    const dead: Wake = { ...good, highestV: 0.012, lowestV: 0.01, sumV: 0.011 * n, packV: 0.011 * n };
    expect(judgeWake(pack, dead)).toMatchObject({ passed: false });
    expect(stateOf(dead, 'bounds')).toBe('wrong');
    expect(stateOf({ ...good, replies: n - 1 }, 'replies')).toBe('wrong');
    expect(stateOf({ ...good, lowestV: good.highestV! + 1 }, 'bounds')).toBe('wrong');
    expect(stateOf({ ...good, warmestC: 48, coldestC: 46 }, 'temperatures')).toBe('wrong');
    expect(stateOf({ ...good, coldestC: 10 }, 'temperatures')).toBe('wrong');
  });

  // 0.5 % + 1 V: at 353.6 V of pack, 2.77 V.
  it('holds pack against sum within 0.5 % and a volt, by the extremes where there is no sum', () => {
    const tolerance = 0.005 * good.packV! + 1;
    for (const [off, state] of [
      [tolerance * 0.98, 'right'],
      [tolerance * 1.02, 'wrong'],
    ] as const)
      expect(stateOf({ ...good, sumV: good.packV! - off }, 'sum')).toBe(state);
    expect(stateOf({ ...good, sumV: null }, 'sum')).toBe('right');
    expect(stateOf({ ...good, sumV: null, packV: cell * (n - 1) }, 'sum')).toBe('wrong');
  });

  it('takes the limit of a delta by charge, the maker’s before the usual, and says where a flat curve tells nothing', () => {
    expect(stateOf({ ...good, lowestV: good.highestV! - 0.2 }, 'delta')).toBe('wrong');
    const lfp = normalisePack(islandBus());
    expect(lfp.profile.chemistry).toBe('lfp');
    const flat = ocvCurve(lfp.profile.ocv).voltageAt(0.6);
    const woken: Wake = {
      ...good,
      replies: lfp.channels.length,
      highestV: flat + 0.004,
      lowestV: flat - 0.004,
      sumV: flat * lfp.channels.length,
      packV: flat * lfp.channels.length,
    };
    const judged = judgeWake(lfp, woken);
    expect(judged.points.find((p) => p.id === 'delta')).toMatchObject({ state: 'open' });
    expect(judged.passed).toBe(true);
    expect(judged.deltaAh!.high).toBeGreaterThan(0.05 * lfp.profile.ratedCapacityAh);
    // Where even the least that it can be is a tenth of the charge it is not level, though its volts are within their limit.
    const curve = ocvCurve(lfp.profile.ocv);
    const apart = { ...woken, highestV: curve.voltageAt(0.75), lowestV: curve.voltageAt(0.4) };
    const delta = judgeWake(lfp, apart).points.find((p) => p.id === 'delta')!;
    expect(delta).toMatchObject({
      state: 'wrong',
      says: expect.stringMatching(/limit 20 at this charge/) as string,
    });
  });

  it('knows a sum that its own extremes cannot make, and packs whose channels hold different counts of cells', () => {
    const slip = { ...good, sumV: good.sumV! + 12, packV: good.packV! + 12 };
    expect(stateOf(slip, 'sum')).toBe('wrong');
    const { profile } = pack;
    const channels = profile.channels.map((c, i) => ({ ...c, cells: i % 2 ? 2 : 1 }));
    const mixed = normalisePack({ ...profile, channels });
    expect(wakeUnit(mixed)).toEqual({ cells: 1, count: 144 });
    const woken = { ...good, sumV: cell * 144, packV: cell * 144 };
    expect(judgeWake(mixed, woken)).toMatchObject({ passed: true });
    expect(judgeWake(mixed, { ...woken, sumV: null }).passed).toBe(true);
  });
});

describe('closing it', () => {
  // Gay-Lussac: 200 kPa absolute at 25 °C is 200 · 288.15 / 298.15 = 193.292 kPa at 15 °C.
  it('takes warmth out of a pressure test by the gas law', () => {
    const gauge = 200 - 101.325;
    const cold = {
      startKpa: gauge,
      endKpa: 193.292 - 101.325,
      startC: 25,
      endC: 15,
      minutes: 10,
      allowedKpa: 1,
    };
    expect(judgeLeakTest(cold)).toMatchObject({ passed: true });
    expect(judgeLeakTest(cold).dropKpa).toBeCloseTo(0, 2);
    // The same drop at one temperature is a leak; a warmer circuit hides one.
    expect(judgeLeakTest({ ...cold, endC: 25 }).passed).toBe(false);
    expect(judgeLeakTest({ ...cold, endKpa: gauge, endC: 35 }).dropKpa).toBeCloseTo(
      200 * (308.15 / 298.15 - 1),
      2,
    );
    expect(judgeLeakTest({ ...cold, startC: null }).says).toMatch(/temperature not taken/);
    expect(() => judgeLeakTest({ ...cold, startKpa: NaN })).toThrow(/no figures/);
  });

  it('cures at half the pace ten degrees colder, and not at all in the cold', () => {
    expect(cureHours(24, 23)).toBeCloseTo(24, 9);
    expect(cureHours(24, 13)).toBeCloseTo(48, 9);
    expect(() => cureHours(24, 0)).toThrow(/does not cure/);
    expect(() => cureHours(NaN, 20)).toThrow(/no time/);
  });

  it('keeps the number of a bag whatever is taken off or back after it', () => {
    const off = (part: string) => ({ part, off: true, minutes: null });
    const on = (part: string) => ({ part, off: false, minutes: null });
    expect([...bags([off('lid'), off('L1'), on('L1'), off('L2')])]).toEqual([
      ['lid', 1],
      ['L2', 3],
    ]);
  });

  it('names joints that stand out as they were last made', () => {
    const links = ['a', 'b', 'c'].map((id) => ({ id, kind: 'busbar' }));
    const on = (part: string, microohm: number | null) => ({ part, off: false, microohm });
    const bad = [on('a', 50), on('b', 52), on('c', 120)];
    expect(jointsToRemake(bad, links)).toEqual(['c']);
    expect(jointsToRemake([...bad, { part: 'c', off: true }], links)).toEqual([]);
    expect(jointsToRemake([...bad, { part: 'c', off: true }, on('c', 51)], links)).toEqual([]);
  });
});

describe('before it comes down', () => {
  const body = { massKg: 148, sizeMm: [1450, 620, 240] as [number, number, number] };
  const here = {
    ...NO_EQUIPMENT,
    liftTableKg: 180,
    crateMm: [800, 1600, 400] as [number, number, number],
    doorMm: [900, 2100] as [number, number],
  };
  const of = (what: string, b = body, has = here) => liftPlan(b, has).find((r) => r.what === what);

  it('never lets a pack be carried by hand that two cannot, and loads a table to four fifths of what it bears', () => {
    expect(of('persons')).toMatchObject({ fits: false });
    expect(of('persons', { ...body, massKg: 50 })).toMatchObject({ fits: true });
    expect(of('lift table')).toMatchObject({ fits: false });
    expect(of('lift table', { ...body, massKg: 144 })).toMatchObject({ fits: true });
    expect(of('hoist')).toBeUndefined();
  });

  it('turns it about the upright alone, with clearance, and says what it does not know', () => {
    expect(of('crate')).toMatchObject({
      fits: true,
      says: 'Needs 1550 × 720 × 340 mm with clearance, has 1600 × 800 × 400.',
    });
    expect(of('crate', { ...body, sizeMm: [1501, 620, 240] })).toMatchObject({ fits: false });
    expect(of('crate', body, { ...here, crateMm: [1600, 800, 330] })).toMatchObject({ fits: false });
    expect(of('crate', body, { ...here, crateKg: 120 } as typeof here)).toMatchObject({ fits: false });
    expect(of('door')).toMatchObject({ fits: true });
    expect(liftPlan({}, here).every((r) => r.fits !== true)).toBe(true);
  });
});

describe('a woken pack as the vehicle tells it', () => {
  const live = (more: object = {}) => ({
    voltageV: pack.channels.map(() => 3.7 as number | null),
    sensorsC: { front: 19, rear: 22 },
    codes: [] as { code: string }[],
    codesRead: true,
    ...more,
  });
  it('says nothing of what it has not told: a silent channel, one temperature, codes not asked', () => {
    const n = pack.channels.length;
    expect(wakeOfLive(pack, live())).toMatchObject({ replies: n, packV: null, coldestC: 19, codes: [] });
    expect(judgeWake(pack, wakeOfLive(pack, live())).passed).toBe(false);
    const some = live({
      voltageV: pack.channels.map((_, i) => (i === 0 ? null : 3.7)),
      sensorsC: { front: 19 },
    });
    expect(wakeOfLive(pack, some)).toMatchObject({
      replies: n - 1,
      sumV: null,
      coldestC: null,
      warmestC: null,
    });
    expect(wakeOfLive(pack, live({ codesRead: false })).codes).toBe(null);
    expect(wakeOfLive(pack, live({ voltageV: pack.channels.map(() => null) }))).toMatchObject({
      replies: 0,
      highestV: null,
      lowestV: null,
    });
  });
});

describe('joints over a job', () => {
  const on = (part: string, microohm: number | null, more: object = {}) => ({
    part,
    off: false,
    microohm,
    ...more,
  });
  it('one that was made anew has what it measured before and after', () => {
    const ticks = [on('L3', 395), on('L4', 51), { part: 'L3', off: true }, on('L3', 49, { torqueNm: 9 })];
    expect(jointHistory(ticks)).toEqual([
      { joint: 'L3', firstMicroohm: 395, lastMicroohm: 49, remade: true, torqueNm: 9 },
      { joint: 'L4', firstMicroohm: 51, lastMicroohm: 51, remade: false, torqueNm: null },
    ]);
  });
  it('a tick that was a mistake, and one without a figure, count for nothing', () => {
    expect(jointHistory([on('L3', 395, { mistake: true }), on('L3', null), on('L3', 50)])).toEqual([
      { joint: 'L3', firstMicroohm: 50, lastMicroohm: 50, remade: false, torqueNm: null },
    ]);
  });
});
