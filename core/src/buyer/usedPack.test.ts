import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { yardTug } from '../../../cli/src/demoPacks';
import { defaultOcvTable, normalisePack } from '../pack';
import { driveLegs, healthyPack, Random, simulateRecord } from '../simpack';
import { spreadReport } from '../diagnosis';
import { buyersFacts, comesTo, LOOK_IDS, LOOKS, usedPack, type Look, type UsedPackAsk } from '.';

// A pack that goes 380 km when new: the figures below are worked by hand.
const pack = normalisePack({ ...yardTug(), ratedRangeKm: 380 });
const looked = Object.fromEntries(LOOK_IDS.map((l) => [l, 'good'])) as Record<Look, 'good'>;
const ask: UsedPackAsk = {
  report: null,
  facts: { odometerKm: 61_000, ageYears: 2, insulationOhm: null, codes: [] },
  shown: {
    deltaMv: 26,
    socFraction: 0.6,
    healthFraction: 0.894,
    coldestC: 18,
    warmestC: 21,
    storedMonths: 2,
  },
  looked,
  offer: {
    price: 4000,
    taxFraction: 0.2,
    deposit: 500,
    depositBack: 'yes',
    freight: 300,
    ownHours: 5,
    hourRate: 80,
  },
  use: { keepsYears: 6, distanceKmPerYear: 15_000, insteadCost: 12_000, insteadYears: 10 },
};
const verdictOf = (other: Partial<UsedPackAsk>) => usedPack({ ...ask, ...other }, pack);

describe('a whole used pack', () => {
  it('adds up what it comes to, with a deposit that nobody promised back as gone', () => {
    // 4000 · 1.2 + 300 + 5 · 80 = 5500.
    expect(comesTo(ask.offer!)).toEqual({ low: 5500, likely: 5500, high: 5500 });
    expect(comesTo({ ...ask.offer!, depositBack: 'no' }).likely).toBe(6000);
    expect(comesTo({ ...ask.offer!, depositBack: 'unsure' })).toEqual({
      low: 5500,
      likely: 6000,
      high: 6000,
    });
  });

  it('says how long it lasts by both schools, a reported health as reported', () => {
    const { lasts, lines } = verdictOf({});
    // 1 − 61 000/380 000 − 0.06 = 0.7795 left, 15 000/380 000 + 0.03 = 0.06947 a year.
    expect(lasts.bySubtraction!.likely).toBeCloseTo(0.77947 / 0.069474, 3);
    // (0.3/0.106)² · 2 − 2 with the square root of time, 0.3/0.106 · 2 − 2 in a straight line.
    expect(lasts.byHealth!.likely).toBeCloseTo(14.02, 2);
    expect(lasts.byHealth!.inLine).toBeCloseTo(3.66, 2);
    // Two standard deviations of what is reported: 0.834 and 0.954.
    expect(lasts.byHealth!.low).toBeCloseTo(2 * ((0.3 / 0.166) ** 2 - 1), 6);
    expect(lasts.byHealth!.reported).toBe(true);
    expect(lines.find((l) => l.what === 'Health')!.shows).toBe('89.4 % as it reports, not measured');
    expect(lines.find((l) => l.what === 'Lasts, by health')!.shows).toMatch(
      /if 89.4 % as it reports is true/,
    );
  });

  it('buys at most for what makes it as dear a year as what would be done instead', () => {
    const { verdict, atMost, perYear } = verdictOf({});
    // 12 000 over the six years it is kept: 2000 a year. Six of the careful 11.2 years: 12 000 − 700 before tax.
    expect(atMost!.likely).toBeCloseTo((2000 * 6 - 700) / 1.2, 6);
    // No longer than the least of both, 4.53 years by the reported health.
    expect(atMost!.least).toBeCloseTo((2000 * 2 * ((0.3 / 0.166) ** 2 - 1) - 700) / 1.2, 4);
    expect(verdict).toBe('buy');
    expect(perYear!.instead.p50).toBeCloseTo(2000, 9);
    expect(perYear!.this.p50).toBeGreaterThanOrEqual(5500 / 6);
    expect(perYear!.cheaper).toBeGreaterThan(0.95);
    const between = verdictOf({ offer: { ...ask.offer!, price: 8000 } });
    expect(between.verdict).toBe('at most');
    expect(between.because).toMatch(/^Worth what is asked if it lasts/);
    expect(verdictOf({ offer: { ...ask.offer!, price: 9600 } }).because).toMatch(/more than it saves/);
    expect(verdictOf({ use: { ...ask.use!, insteadCost: 400 } }).verdict).toBe('leave it');
  });

  it('passes nothing that nobody looked at', () => {
    for (const look of ['case', 'dry', 'origin', 'fits'] as const) {
      const unseen = { ...looked };
      delete (unseen as Partial<typeof unseen>)[look];
      const v = verdictOf({ looked: unseen });
      expect(v.verdict).toBe('cannot tell yet');
      expect(v.lacking).toHaveLength(1);
      expect(v.changes).toEqual([]);
    }
    expect(verdictOf({ shown: { ...ask.shown, deltaMv: null } }).verdict).toBe('cannot tell yet');
    expect(verdictOf({ shown: { ...ask.shown, socFraction: null } }).lacking).toEqual([
      'The charge at which that delta shows.',
    ]);
    expect(verdictOf({ offer: null }).atMost).toBeNull();
    const blind = verdictOf({
      facts: { ...ask.facts, ageYears: null },
      shown: { ...ask.shown, healthFraction: null },
    });
    expect(blind).toMatchObject({ verdict: 'cannot tell yet', atMost: null, perYear: null });
    expect(blind.lasts).toEqual({ bySubtraction: null, byHealth: null });
  });

  it('leaves what was struck, wet, crashed, does not fit, leaks or is worn, whatever the price', () => {
    const gift = { ...ask.offer!, price: 0 };
    for (const look of LOOK_IDS.filter((l) => LOOKS[l].leaves))
      expect(verdictOf({ looked: { ...looked, [look]: 'bad' }, offer: gift }).verdict).toBe('leave it');
    const leaking = verdictOf({ facts: { ...ask.facts, insulationOhm: 20_000 }, offer: gift });
    expect(leaking.verdict).toBe('leave it');
    expect(verdictOf({ shown: { ...ask.shown, healthFraction: 0.71 }, offer: gift }).verdict).toBe(
      'leave it',
    );
    // 78 000 miles of a 107 mile pack in 8 years leave 3 % (common practice, no source).
    const old = normalisePack({ ...yardTug(), ratedRangeKm: 107 });
    expect(
      usedPack(
        {
          ...ask,
          facts: { ...ask.facts, odometerKm: 78_000, ageYears: 8 },
          shown: { ...ask.shown, healthFraction: null },
        },
        old,
      ).verdict,
    ).toBe('leave it');
    expect(verdictOf({ looked: { ...looked, plugs: 'bad' } }).because).toMatch(
      /^To settle first: A plug is loose/,
    );
  });

  it('weighs a scan before what is shown: a dead group is left, a measured capacity stands for the reported one', () => {
    const random = new Random(21);
    const reportOf = (change: (s: ReturnType<typeof healthyPack>) => void) => {
      const sim = healthyPack(pack, random, 0.9);
      sim.startSoc = 0.95;
      change(sim);
      const rest = { durationS: 900, currentA: 0, sampleS: 15 };
      return spreadReport(
        simulateRecord(
          sim,
          [rest, ...driveLegs(random, 30, sim.capacityAh * 0.72, 15), { ...rest, durationS: 2400 }],
          random,
        ),
        pack,
      );
    };
    const good = verdictOf({
      report: reportOf(() => undefined),
      shown: { ...ask.shown, healthFraction: 0.99 },
    });
    expect(good.lasts.byHealth!.reported).toBe(false);
    expect(good.lines.some((l) => l.what === 'Health')).toBe(false);
    expect(good.lines.some((l) => l.what === 'Delta near empty')).toBe(true);
    expect(verdictOf({ report: reportOf((s) => (s.channels[9]!.fixedV = 0.1)) }).verdict).toBe('leave it');
  });

  it('says millivolts in charge, and on a flat curve that they say nothing', () => {
    const lfp = normalisePack({
      ...yardTug(),
      chemistry: 'lfp',
      ocv: defaultOcvTable('lfp'),
      ratedRangeKm: 380,
    });
    expect(verdictOf({}).lines[0]!.shows).toMatch(/^26 mV at 60 %: \d+\.\d A·h apart/);
    const flat = usedPack({ ...ask, shown: { ...ask.shown, deltaMv: 12, socFraction: 0.5 } }, lfp).lines[0]!;
    expect(flat).toMatchObject({ judged: 'unknown' });
    expect(flat.why).toMatch(/curve is flat/);
  });

  it('what would change it does change it (random offers)', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 500, max: 14_000 }),
        fc.integer({ min: 75, max: 99 }),
        fc.integer({ min: 2, max: 12 }),
        fc.constantFrom('yes' as const, 'no' as const, 'unsure' as const),
        (price, health, keepsYears, depositBack) => {
          const mine: UsedPackAsk = {
            ...ask,
            offer: { ...ask.offer!, price, depositBack },
            shown: { ...ask.shown, healthFraction: health / 100 },
            use: { ...ask.use!, keepsYears },
          };
          const now = usedPack(mine, pack);
          for (const c of now.changes) {
            const h = /health is measured as ([\d.]+) %/.exec(c.if);
            const k = /kept for ([\d.]+) years/.exec(c.if);
            const d = /deposit (comes|does not)/.exec(c.if);
            const i = /costs (\d+) % (less|more)/.exec(c.if);
            const other: UsedPackAsk = {
              ...mine,
              ...(h && { shown: { ...mine.shown, healthFraction: Number(h[1]) / 100 } }),
              ...(k && { use: { ...mine.use!, keepsYears: Number(k[1]) } }),
              ...(d && {
                offer: { ...mine.offer!, depositBack: d[1] === 'comes' ? ('yes' as const) : ('no' as const) },
              }),
              ...(i && {
                use: {
                  ...mine.use!,
                  insteadCost:
                    mine.use!.insteadCost * (1 + ((i[2] === 'less' ? -1 : 1) * Number(i[1])) / 100),
                },
              }),
            };
            expect(usedPack(other, pack).verdict).not.toBe(now.verdict);
          }
          // Up to the least price it is bought, beyond it is not.
          if (now.verdict === 'buy') expect(price).toBeLessThanOrEqual(now.atMost!.least);
          if (now.verdict === 'at most') expect(price).toBeGreaterThan(now.atMost!.least);
        },
      ),
      { numRuns: 60 },
    );
  });
});

describe('codes of what is offered', () => {
  it('are those of intake and those that were read of it since, each once; none read is not none', () => {
    expect(buyersFacts(null, []).codes).toBeNull();
    expect(buyersFacts({ codes: [], codesRead: true }, []).codes).toEqual([]);
    const both = buyersFacts({ codes: ['P0A80'], codesRead: true }, ['P0A80', 'P0AA6']);
    expect(both.codes!.map((c) => c.code)).toEqual(['P0A80', 'P0AA6']);
  });
});
