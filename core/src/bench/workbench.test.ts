import { describe, expect, it } from 'vitest';
import { ferryShuttle, marramVan } from '../../../cli/src/demoPacks';
import { Random } from '../simpack';
import { judgeCycles, type Cycle } from './cycles';
import { benchDays, type DaysAsk } from './days';
import { loadBank, type BankAsk, type Resistor } from './loadBank';
import { cutoffVPerCell, limitsCrossed, recipesFor } from './recipes';
import { analyseRun } from './run';
import { condenseRun, parseRunTable } from './runTable';

describe('recipes', () => {
  // IEC 61951-2, rated capacity: 0.1 C for 16 h, rest 1 h, 0.2 C down to 1.0 V a cell.
  it('hold the published procedure for the rated capacity of NiMH', () => {
    const profile = { ...ferryShuttle(), ratedCapacityAh: 6.5 };
    const rated = recipesFor(profile).find((r) => r.id === 'nimh-rated')!;
    const [, charge, rest, discharge] = rated.steps;
    expect(charge!.currentA).toBeCloseTo(-0.65, 9);
    expect(charge!.hours).toBe(16);
    expect(rest).toMatchObject({ currentA: 0, hours: 1 });
    expect(discharge!.currentA).toBeCloseTo(1.3, 9);
    expect(discharge!.limits.leastVPerCell).toBe(1.0);
  });

  it('have a limit of everything for every step, never beyond the maker’s current, and no conditioning for lithium', () => {
    const maker = { key: 'chargeMostA', value: 9, unit: 'A', source: 'the maker', mark: 'maker' } as const;
    const van = { ...marramVan(), limits: [maker] };
    for (const r of recipesFor(van))
      for (const s of r.steps) {
        expect(s.limits.mostHours).toBeGreaterThanOrEqual(s.hours);
        if (s.currentA < 0) expect(s.limits.mostA).toBeLessThanOrEqual(9);
        expect(s.limits.mostC).toBeLessThanOrEqual(45);
      }
    expect(recipesFor(van).map((r) => r.id)).not.toContain('hard-charge');
    const recover = recipesFor(van).find((r) => r.id === 'recover')!;
    expect(recover.steps.filter((s) => s.currentA !== 0).every((s) => s.attended)).toBe(true);
    expect(recover.says).toMatch(/^Scrap by default/);
  });

  it('name what another stage runs, with its figures: nothing of it is switched on from the bench', () => {
    // UN ECE R100, ISO 6469-3: 500 Ω/V where connected to alternating current. 96 cells of 4.2 V: 403.2 V.
    const elsewhere = recipesFor(marramVan()).filter((r) => r.on === 'elsewhere');
    expect(elsewhere.map((r) => [r.id, r.at, r.steps.length])).toEqual([
      ['insulation', 'insulation', 0],
      ['board-reply', 'rebuild', 0],
    ]);
    expect(elsewhere[0]!.says).toMatch(/at 404 V at least.*at least 0\.20 MΩ by 500 Ω\/V/);
    expect(limitsCrossed(elsewhere[0]!, 4, { hottestC: 90, endV: 1, currentA: 99, hours: 9 })).toEqual([]);
  });
  it('keep a NiMH stick within the maker’s current as well, taking longer, and stop it where its recipe says', () => {
    const limits = [
      { key: 'chargeMostA', value: 3, unit: 'A', source: 'the maker', mark: 'maker' },
      { key: 'dischargeMostA', value: 4, unit: 'A', source: 'the maker', mark: 'maker' },
    ] as const;
    const shuttle = { ...ferryShuttle(), limits: [...limits] };
    for (const r of recipesFor(shuttle))
      for (const s of r.steps) {
        expect(s.currentA).toBeGreaterThanOrEqual(-3);
        expect(s.currentA).toBeLessThanOrEqual(4);
      }
    const charge = (p: typeof shuttle) => recipesFor(p).find((r) => r.id === 'hard-charge')!.steps[1]!;
    // As much charge as at the full current.
    const free = { ...shuttle, limits: [] };
    expect(charge(shuttle).hours * 3).toBeCloseTo(charge(free).hours * 6.5, 9);
    const cutoff = (id: string) => cutoffVPerCell(recipesFor(shuttle).find((r) => r.id === id)!);
    // numbers of the trade: 10.8 V for a stick of twelve; IEC 61951-2: 1.0 V a cell.
    expect([12 * cutoff('capacity'), cutoff('nimh-rated')]).toEqual([expect.closeTo(10.8, 9), 1.0]);
  });

  it('say what a run tended by hand crossed', () => {
    const hard = recipesFor(ferryShuttle()).find((r) => r.id === 'hard-charge')!;
    const run = { hottestC: 52, endV: 17.9, currentA: 5, hours: 1 };
    expect(limitsCrossed(hard, 12, run)).toEqual(['52 °C, the limit is 50 °C.']);
    expect(limitsCrossed(hard, 12, { ...run, hottestC: 41 })).toEqual([]);
    expect(limitsCrossed(hard, 12, { ...run, hottestC: 41, hours: 30 })[0]).toMatch(/^30.0 h, the limit is/);
    expect(limitsCrossed(hard, 12, { ...run, hottestC: null, endV: 19.6 })[0]).toMatch(
      /19.60 V, the limit is 19.20 V/,
    );
  });
});

describe('what cycles say', () => {
  const once = (capacityAh: number, dropouts = 0): Cycle[] => [{ capacityAh, lowerBound: false, dropouts }];
  const many = (...ah: number[]): Cycle[] => ah.flatMap((a) => once(a));
  // Common practice, no source: sticks of 5.5 A·h that give 2.2, 2.4, 4.6 and 3.0 once.
  it('holds no warm run against a cool one: what gives less warm fails warm, whichever came last', () => {
    const at = (capacityAh: number, hottestC: number | null): Cycle => ({
      capacityAh,
      lowerBound: false,
      dropouts: 0,
      hottestC,
    });
    for (const order of [
      [at(3.9, 47), at(6.0, 24)],
      [at(6.0, 24), at(3.9, 47)],
    ])
      expect(judgeCycles(6.5, order)).toMatchObject({
        verdict: 'fails warm',
        says: '3.9 A·h at 47 °C, 6.0 at 24 °C: fails warm.',
      });
    // A heavy run is warm and gives less: that is its current.
    expect(
      judgeCycles(6.5, [
        { ...at(3.9, 47), currentA: 12 },
        { ...at(6.0, 24), currentA: 2 },
      ]).verdict,
    ).toBe('fit');
    // One that gives as much warm is judged by its last run; nothing is told of a gain between unlike runs.
    expect(judgeCycles(6.5, [at(5.9, 24), at(5.8, 45)]).verdict).toBe('fit');
    expect(judgeCycles(6.5, [at(2.6, 45), at(3.4, 24)])).toMatchObject({ verdict: 'fails warm' });
    expect(judgeCycles(6.5, [at(2.6, 24), at(3.4, 45)])).toMatchObject({ verdict: 'once more', gain: null });
    expect(judgeCycles(6.5, [at(2.6, null), at(3.4, 45)]).verdict).toBe('go on');
  });

  it('of one cycle calls nothing worn: it fits, or one more tells', () => {
    expect([2.2, 2.4, 4.6, 3.0].map((a) => judgeCycles(5.5, once(a)).verdict)).toEqual([
      'go on',
      'go on',
      'fit',
      'go on',
    ]);
    expect(judgeCycles(5.5, once(2.4, 2)).says).toMatch(/2 of its cells ran empty first: unbalanced/);
  });

  it('of several: what gains goes on, what gains nothing twice is worn, what falls stops', () => {
    expect(judgeCycles(5.5, many(2.6, 3.2, 4.3))).toMatchObject({
      verdict: 'go on',
      says: expect.stringMatching(/gains 34 % a cycle: one more, then it likely fits/) as string,
    });
    expect(judgeCycles(5.5, many(2.1, 2.2)).verdict).toBe('once more');
    expect(judgeCycles(5.5, many(2.1, 2.2, 2.2)).verdict).toBe('worn');
    expect(judgeCycles(5.5, many(3.4, 2.9)).verdict).toBe('falling');
    expect(judgeCycles(5.5, many(4.7, 4.8)).verdict).toBe('fit');
    expect(judgeCycles(5.5, []).verdict).toBe('not measured');
    // What falls by a fifth is not fit, though it still holds 82 %.
    expect(judgeCycles(5.5, many(5.5, 4.5)).verdict).toBe('falling');
  });

  it('of lithium promises no gain by cycling: its groups are levelled, then it is worn or not', () => {
    expect(judgeCycles(60, many(31), 'nmc')).toMatchObject({
      verdict: 'once more',
      says: expect.stringMatching(/Level its groups/) as string,
    });
    expect(judgeCycles(60, many(31, 31.5), 'lfp')).toMatchObject({ verdict: 'worn', nextAh: null });
    expect(judgeCycles(60, many(31, 44), 'nmc')).toMatchObject({ verdict: 'once more', nextAh: null });
    expect(judgeCycles(60, many(52), 'nmc').verdict).toBe('fit');
  });

  it('are held against each other only at like currents', () => {
    const at = (capacityAh: number, currentA: number | null): Cycle => ({
      capacityAh,
      currentA,
      lowerBound: false,
      dropouts: 0,
    });
    expect(judgeCycles(5.5, [at(2.6, 6), at(3.4, 1.3)])).toMatchObject({ verdict: 'once more', gain: null });
    expect(judgeCycles(5.5, [at(2.6, 6), at(3.4, 5.5)]).verdict).toBe('go on');
    expect(judgeCycles(5.5, [at(2.6, null), at(3.4, 5.5)]).verdict).toBe('go on');
  });

  it('a run that ended early is a bound: it can show that a stick fits, never that it is worn', () => {
    const bound = (a: number): Cycle => ({ capacityAh: a, lowerBound: true, dropouts: 0 });
    expect(judgeCycles(5.5, [...many(2.1, 2.1), bound(2.0)]).verdict).toBe('once more');
    expect(judgeCycles(5.5, [bound(4.9)]).verdict).toBe('fit');
    const r = new Random(8);
    for (let k = 0; k < 400; k++) {
      const list = Array.from({ length: 1 + Math.floor(r.uniform(0, 4)) }, (): Cycle => ({
        capacityAh: r.uniform(0.1, 6),
        lowerBound: r.uniform(0, 1) < 0.3,
        dropouts: 0,
      }));
      const { verdict } = judgeCycles(5.5, list);
      // Above the share it fits, or it fell on the way there.
      if (list.at(-1)!.capacityAh >= 0.8 * 5.5) expect(['fit', 'falling']).toContain(verdict);
      else expect(verdict).not.toBe('fit');
      if (verdict === 'falling') expect(list.at(-1)!.lowerBound).toBe(false);
      if (verdict === 'worn') expect(list.filter((c) => !c.lowerBound).length).toBeGreaterThan(2);
    }
  });
});

describe('the load bank', () => {
  /** Every way of putting resistors into strings, by growing strings of numbers; written apart from the search it checks. */
  function bruteForce({ resistors, fromV, toV, wantedA, fan }: BankAsk): number {
    let best = Infinity;
    const n = resistors.length;
    const grow = (code: number[], used: number): void => {
      if (code.length === n) {
        let siemens = 0;
        for (let k = 1; k <= used; k++) {
          const own = resistors.filter((_, i) => code[i] === k);
          const ohm = own.reduce((s, x) => s + x.ohm, 0);
          if (own.some((x) => (fromV / ohm) ** 2 * x.ohm > x.watt * (fan ? 1.6 : 1) * 0.8)) return;
          siemens += 1 / ohm;
        }
        if (siemens > 0) best = Math.min(best, Math.abs(siemens * ((fromV + toV) / 2) - wantedA));
        return;
      }
      for (let k = 0; k <= used + 1; k++) grow([...code, k], Math.max(used, k));
    };
    grow([], 0);
    return best;
  }
  const drawer = (seed: number, n: number): Resistor[] => {
    const r = new Random(seed);
    const kinds = [1, 2.2, 4.7, 10, 22];
    return Array.from({ length: n }, (_, i) => ({
      id: `R${i + 1}`,
      ohm: kinds[Math.floor(r.uniform(0, kinds.length))]!,
      watt: [50, 100, 300][Math.floor(r.uniform(0, 3))]!,
    }));
  };

  it('comes as near as every laying into strings does, on random drawers of up to seven', () => {
    let found = 0;
    for (let seed = 1; seed <= 60; seed++) {
      const ask = {
        resistors: drawer(seed, 3 + (seed % 5)),
        fromV: 28,
        toV: 22,
        wantedA: 2 + (seed % 7),
        capacityAh: 50,
        fan: seed % 2 === 0,
      };
      const truth = bruteForce(ask);
      if (!Number.isFinite(truth)) {
        expect(() => loadBank(ask)).toThrow(/No strings of these/);
        continue;
      }
      found++;
      const plan = loadBank(ask);
      expect(plan.proved).toBe(true);
      expect(Math.abs(25 / plan.ohm - ask.wantedA), `seed ${seed}`).toBeCloseTo(truth, 9);
      expect(plan.hardest.share).toBeLessThanOrEqual(0.8 + 1e-9);
      expect(plan.startA).toBeCloseTo(28 / plan.ohm, 9);
    }
    expect(found).toBeGreaterThan(30);
  });

  // Two of 10 Ω in series beside another two: 10 Ω; 25 V drive 2.5 A, 28 V load each with 28²/20²·10 = 19.6 W.
  it('lays twelve of the drawer out, alike ones once, and says how long, how hot and what each bears', () => {
    const twelve = Array.from({ length: 12 }, (_, i) => ({ id: `R${i + 1}`, ohm: 10, watt: 25 }));
    const plan = loadBank({
      resistors: twelve,
      fromV: 28,
      toV: 22,
      wantedA: 2.5,
      capacityAh: 50,
      fan: false,
    });
    expect(plan.ohm).toBeCloseTo(10, 9);
    expect(plan.hardest.watt).toBeCloseTo(19.6, 6);
    expect(plan.hours).toBeCloseTo(20, 6);
    expect(plan).toMatchObject({ proved: true });
    expect(() =>
      loadBank({ resistors: drawer(1, 13), fromV: 28, toV: 22, wantedA: 2, capacityAh: 5, fan: false }),
    ).toThrow(/At most 12/);
  });
});

describe('a run as a logger writes it', () => {
  const rows = (make: (k: number) => string): string =>
    Array.from({ length: 30 }, (_, k) => make(k)).join('\n');
  it('is read whatever its unit, tongue, separator and sign', () => {
    const plain = parseRunTable(
      `time_s,current_A,voltage_V,temp_C\n${rows((k) => `${k * 60},2,${8.2 - 0.02 * k},25`)}`,
    );
    expect(plain).toMatchObject({ notices: [] });
    expect(plain.timeS[10]).toBe(600);
    const other = parseRunTable(
      `Logger 4711\nZeit (min);Strom (mA);Spannung (mV)\n${rows((k) => `${k};-2000;${8200 - 20 * k}`)}`,
    );
    expect(other.timeS[10]).toBe(600);
    expect(other.currentA[3]).toBeCloseTo(2, 9);
    expect(other.voltageV[3]).toBeCloseTo(8.14, 9);
    expect(other.notices[0]).toMatch(/taken as a discharge/);
    const clock = parseRunTable(
      `Elapsed,Voltage (V),Current (A),Temp (F)\n${rows((k) => `0:${String(k).padStart(2, '0')}:00,${8.2 - 0.02 * k},2,77`)}`,
    );
    expect(clock.timeS[10]).toBe(600);
    expect(clock.temperatureC![0]).toBeCloseTo(25, 9);
  });

  it.each([
    ['nothing of it', 'hello\nworld', /No heading/],
    ['no current', 'time_s,voltage_V\n0,8\n1,8', /no column of current/],
    ['no figures', 'time,current,voltage\na,b,c', /No rows of figures/],
    ['time that falls', 'time,current,voltage\n0,1,8\n5,1,8\n3,1,8', /goes back in row 4/],
  ])('is refused with %s', (_n, text, says) => expect(() => parseRunTable(text)).toThrow(says));

  it('of two weeks at a reading a second is read and analysed, and its course keeps every peak', () => {
    const n = 1_200_000;
    const timeS = Array.from({ length: n }, (_, k) => k);
    const voltageV = timeS.map((t) => 16 - (2 * t) / n);
    voltageV[777_777] = 17.3;
    voltageV[333_333] = 9.9;
    const run = { timeS, currentA: timeS.map(() => 0.02), voltageV, notices: [] };
    const course = condenseRun(run);
    expect(course.timeS.length).toBeLessThanOrEqual(802);
    expect(Math.max(...course.voltageV)).toBe(17.3);
    expect(Math.min(...course.voltageV)).toBe(9.9);
    const told = analyseRun({
      ...run,
      currentA: timeS.map(() => 0.1),
      chemistry: 'nimh',
      cellsInSeries: 12,
      cutoffV: 5,
    });
    // 0.1 A for 1,199,999 s.
    expect(told.dischargedAh).toBeCloseTo((0.1 * 1_199_999) / 3600, 3);
  });
});

describe('days on the bench', () => {
  // Two packs of seven sets, 65 A·h, a charger of two channels at 30 A. A leg is 65/30 h, on the grid 2.25 h: 5.75 h a set with
  // connecting and rest, seven sets a channel: 40.25 h of channel at least, whatever the order.
  const ask: DaysAsk = {
    sets: Array.from({ length: 14 }, (_, i) => `set ${i + 1}`),
    capacityAh: 65,
    voltageV: 22,
    channels: 2,
    channelA: 30,
    powerBudgetKw: 3,
    persons: 1,
    fromHour: 8,
    toHour: 17,
    workdays: [1, 2, 3, 4, 5],
    alone: true,
    transfer: false,
    startDay: 1,
    startHour: 8,
  };
  it('are told with and without transfer, connecting only while somebody is there', () => {
    const plain = benchDays(ask);
    const paired = benchDays({ ...ask, transfer: true });
    expect(plain.makespanH).toBeGreaterThanOrEqual(7 * 5.75);
    // A pair takes 9 h for what takes 11.5 one by one; but a channel is filled twice a day with single sets and once with pairs,
    // so with hands from 8 to 17 nothing is won, and with hands round the clock it is.
    expect(Math.abs(paired.makespanH - plain.makespanH)).toBeLessThan(9);
    const round = { ...ask, persons: 2, fromHour: 0, toHour: 24, workdays: [0, 1, 2, 3, 4, 5, 6] };
    expect(benchDays(round).makespanH).toBeCloseTo(40.25, 6);
    expect(benchDays({ ...round, transfer: true }).makespanH).toBeCloseTo(36, 6);
    for (const answer of [plain, paired]) {
      expect(answer.lowerBoundH).toBeLessThanOrEqual(answer.makespanH + 1e-9);
      for (const { atH } of answer.handsAtH) {
        const hour = (atH + 8) % 24;
        expect(hour).toBeGreaterThanOrEqual(8);
        expect(hour + 0.25).toBeLessThanOrEqual(17);
        expect(Math.floor((atH + 8) / 24) % 7).toBeLessThan(5);
      }
      // No channel carries two at once.
      for (let c = 0; c < 2; c++) {
        const own = answer.modules
          .filter((m) => answer.channelOf[m.id] === c)
          .map(
            (m) => [answer.startH[m.id]![0]!, answer.startH[m.id]!.at(-1)! + m.steps.at(-1)!.hours] as const,
          )
          .sort((a, b) => a[0] - b[0]);
        own.slice(1).forEach(([from], i) => expect(from).toBeGreaterThanOrEqual(own[i]![1] - 1e-9));
      }
    }
  });
  it('pass over the days a workshop is closed, and connect no more at once than there are leads for', () => {
    const open = benchDays(ask);
    const closed = benchDays({ ...ask, closedDays: [1, 2] });
    expect(closed.handsAtH.some(({ atH }) => [1, 2].includes(Math.floor((atH + 8) / 24)))).toBe(false);
    expect(closed.makespanH).toBeGreaterThanOrEqual(open.makespanH);
    // One set of leads: as if there were one channel.
    const one = benchDays({ ...ask, leadSets: 1 });
    expect(one.makespanH).toBe(benchDays({ ...ask, channels: 1 }).makespanH);
    expect(new Set(Object.values(one.channelOf)).size).toBe(1);
  });
  it('are more where nothing may run alone, and none is planned where no window holds a leg', () => {
    expect(benchDays({ ...ask, alone: false }).makespanH).toBeGreaterThan(benchDays(ask).makespanH);
    expect(() => benchDays({ ...ask, alone: false, fromHour: 8, toHour: 9 })).toThrow(/no working window/);
  });
});
