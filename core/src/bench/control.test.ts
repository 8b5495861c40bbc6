import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { normalisePack, type PackProfile } from '../pack';
import {
  beginControl,
  decide,
  setpointOf,
  type BenchReading,
  type ControlState,
  type Decided,
} from './control';
import { cannotRun, planOf, raisedCutoffV, type PlanStep } from './plan';
import { mayRecover, mustNotBeDead } from './recovery';
import { benchProposes, type BenchSaid } from './proposes';
import { recipesFor, type RecipeId } from './recipes';

const read = (file: string): PackProfile =>
  JSON.parse(readFileSync(join(import.meta.dirname, '../../../demo/packs', file), 'utf8')) as PackProfile;
const ferry = read('ferry-shuttle.json');
const marram = read('marram-3-van.json');
const recipe = (p: PackProfile, id: RecipeId, mostA: number | null = null) =>
  recipesFor(p, { mostA }).find((r) => r.id === id)!;

/** Feeds readings a model gives until a step is over; the model is told the set point and how long it lasts. */
function feed(
  plan: readonly PlanStep[],
  model: (set: ReturnType<typeof setpointOf>, s: number) => BenchReading,
  everyS: number,
  mostS = 1e6,
): { state: ControlState; last: Decided; steps: { says: string; timeS: number }[] } {
  let state = beginControl();
  let last: Decided = { state, does: 'stay', says: '', limit: null };
  const steps: { says: string; timeS: number }[] = [];
  for (let t = 0; t < mostS; t += everyS) {
    last = decide(plan, state, model(setpointOf(plan, state), everyS), everyS);
    state = last.state;
    if (last.says) steps.push({ says: last.says, timeS: state.timeS });
    if (last.does === 'done' || last.does === 'off') break;
  }
  return { state, last, steps };
}
const STEP: PlanStep = {
  name: 'discharge',
  mode: 'discharge',
  currentA: 2,
  limits: {
    mostV: 10,
    leastV: 6,
    mostA: 2.2,
    mostC: 45,
    mostCPerMin: null,
    minusDeltaV: null,
    mostAh: 100,
    mostS: 1e6,
  },
  then: {
    'high voltage': 'off',
    'low voltage': 'next',
    current: 'off',
    heat: 'off',
    warming: 'off',
    'minus delta V': 'off',
    charge: 'off',
    time: 'off',
  },
  lastsS: null,
  tapersToA: null,
};

describe('the charge that is counted', () => {
  it('is C·(V₀ − I·R − V₁) of a capacitor behind a resistor, in closed form', () => {
    const [farad, ohm, v0] = [3000, 0.05, 9];
    let ah = 0;
    const { state } = feed(
      [STEP],
      (set, s) => {
        ah += (set.currentA * s) / 3600;
        return {
          voltageV: v0 - (ah * 3600) / farad - set.currentA * ohm,
          currentA: set.currentA,
          temperatureC: 25,
        };
      },
      1,
    );
    expect(state.outAh).toBeCloseTo((farad * (v0 - 2 * ohm - 6)) / 3600, 2);
  });

  it('is full at constant voltage when the current has fallen, in closed form: I₀·exp(−t/RC)', () => {
    const [farad, ohm] = [3000, 0.05];
    const charge: PlanStep = {
      ...STEP,
      mode: 'charge',
      currentA: 10,
      limits: { ...STEP.limits, mostV: 9, leastV: 5, mostA: 11 },
      tapersToA: 1,
    };
    let v = 8.5;
    const { state, last } = feed(
      [charge],
      (set, s) => {
        const amperes = Math.min(set.currentA, (9 - v) / ohm);
        v += (amperes * s) / farad;
        return { voltageV: Math.min(9, v + amperes * ohm), currentA: -amperes, temperatureC: 25 };
      },
      1,
    );
    expect(last).toMatchObject({
      does: 'done',
      says: expect.stringMatching(/the current fell to .*: full/) as string,
    });
    expect(state.timeS).toBeCloseTo(ohm * farad * Math.log(10), -1);
  });
});

describe('recipes as a charger runs them', () => {
  it('rates NiMH as IEC 61951-2 has it: 16 h at 0.1 C, a rest, 0.2 C to 1.0 V a cell', () => {
    const [charge, rest, discharge] = planOf(recipe(ferry, 'nimh-rated'), ferry, 6);
    const c = ferry.ratedCapacityAh;
    expect(charge!.currentA).toBeCloseTo(0.1 * c, 9);
    expect(charge!.lastsS).toBe(16 * 3600);
    expect(rest).toMatchObject({ mode: 'rest', lastsS: 3600 });
    expect(discharge!.currentA).toBeCloseTo(0.2 * c, 9);
    expect(discharge!.limits.leastV).toBeCloseTo(6, 9);
  });

  it('keeps within the instrument, and takes longer then', () => {
    const [charge] = planOf(recipe(ferry, 'nimh-rated', 0.4), ferry, 6);
    expect(charge!.currentA).toBe(0.4);
    expect(charge!.lastsS! / 3600).toBeCloseTo((16 * 0.1 * ferry.ratedCapacityAh) / 0.4, 6);
    const plan = planOf(recipe(ferry, 'capacity'), ferry, 6);
    expect(cannotRun(plan, { charges: true, discharges: false, mostV: 60, mostA: 50 })).toEqual([
      'It cannot discharge.',
    ]);
    expect(cannotRun(plan, { charges: true, discharges: true, mostV: 5, mostA: 1 })).toHaveLength(2);
    expect(cannotRun(plan, { charges: true, discharges: true, mostV: 60, mostA: 50 })).toEqual([]);
  });

  it('stops a string earlier whose cell ran empty before: on the plateau of the others', () => {
    const before = planOf(recipe(ferry, 'capacity'), ferry, 6).at(-1)!.limits.leastV;
    const after = planOf(recipe(ferry, 'capacity'), ferry, 6, 2).at(-1)!.limits.leastV;
    expect(before).toBeCloseTo(5.4, 9);
    expect(after).toBe(raisedCutoffV(6));
    // Five cells on a plateau of 1.15 to 1.2 V and one at zero are still seen.
    expect(after).toBeGreaterThanOrEqual(5 * 1.15);
    expect(after).toBeLessThan(6 * 1.1);
  });

  it('every step of every recipe of every chemistry has every limit, finite, and says what it does', () => {
    for (const profile of [
      ferry,
      marram,
      ...(['lfp', 'lmo', 'nca'] as const).map((chemistry) => ({ ...marram, chemistry })),
    ])
      for (const r of recipesFor(profile))
        for (const s of planOf(r, profile, 6)) {
          for (const k of ['mostV', 'leastV', 'mostA', 'mostC', 'mostAh', 'mostS'] as const)
            expect(Number.isFinite(s.limits[k])).toBe(true);
          expect(s.limits.mostV).toBeGreaterThan(s.limits.leastV);
          expect(Object.keys(s.then)).toHaveLength(8);
          for (const hard of ['high voltage', 'current'] as const) expect(s.then[hard]).toBe('off');
          // A pack that is woken has no end of its own but an answer: its limits take it off.
          if (s.mode === 'charge' && profile.chemistry !== 'nimh' && r.id !== 'wake')
            expect(s.tapersToA).toBeGreaterThan(0);
          expect(s.lastsS ?? s.limits.mostS).toBeLessThanOrEqual(s.limits.mostS * 1.0001);
        }
  });
});

describe('what a reading decides', () => {
  const plan = planOf(recipe(ferry, 'capacity'), ferry, 6);
  const first = plan[0]!;
  const reading = (more: Partial<BenchReading> = {}): BenchReading => ({
    voltageV: 8,
    currentA: -first.currentA,
    temperatureC: 25,
    ...more,
  });
  const after = (readings: BenchReading[], tookS = 10): Decided => {
    let state = beginControl();
    let d!: Decided;
    for (const r of readings) {
      d = decide(plan, state, r, tookS);
      state = d.state;
      if (d.does !== 'stay') break;
    }
    return d;
  };

  it.each<[string, Partial<BenchReading>, RegExp]>([
    ['more volts than a limit', { voltageV: 9.2 }, /9\.20 V, the limit is 9\.00 V/],
    ['more amperes', { currentA: -20 }, /20\.00 A, the limit is/],
    ['heat', { temperatureC: 46 }, /46 °C, the limit is 45 °C/],
    ['no number', { voltageV: NaN }, /something else/],
    ['no sensor on the module', { temperatureC: null }, /no current flows without a sensor/],
    ['a sensor that cannot be', { temperatureC: 400 }, /cannot be: the sensor/],
  ])('output off at once: %s', (_what, more, says) => {
    expect(after([reading(), reading(more)])).toMatchObject({
      does: 'off',
      says: expect.stringMatching(says) as string,
    });
  });

  it('a source that gives something else is put up with for seconds, not longer', () => {
    const stray = reading({ currentA: -first.currentA / 2 });
    expect(after([reading(), stray])).toMatchObject({ does: 'stay' });
    expect(after([reading(), stray, stray, stray])).toMatchObject({
      does: 'off',
      says: expect.stringMatching(/where .* A were set/) as string,
    });
  });

  it('NiMH is full at 10 mV a cell below its peak, not by a fall in the first minutes or by noise', () => {
    const rise = Array.from({ length: 60 }, (_, i) => reading({ voltageV: 8 + 0.01 * i }));
    const fall = (mv: number): BenchReading[] =>
      Array.from({ length: 30 }, () => reading({ voltageV: 8.59 - mv / 1000 }));
    expect(after([...rise, ...fall(40)])).toMatchObject({ does: 'stay' });
    expect(after([...rise, ...fall(75)])).toMatchObject({ does: 'next', limit: 'minus delta V' });
    expect(
      after([reading({ voltageV: 8.3 }), ...Array.from({ length: 20 }, () => reading({ voltageV: 8.1 }))]),
    ).toMatchObject({
      does: 'stay',
    });
  });

  it('NiMH is full when it warms by more than a degree a minute; a slow warming is no end', () => {
    const warms = (perMin: number): BenchReading[] =>
      Array.from({ length: 60 }, (_, i) =>
        reading({ voltageV: 7.6 + 0.004 * i, temperatureC: 22 + (perMin * i * 10) / 60 }),
      );
    expect(after(warms(1.4))).toMatchObject({ does: 'next', limit: 'warming' });
    expect(after(warms(0.7))).toMatchObject({ does: 'stay' });
  });

  it('a step that would begin too warm waits until it has cooled', () => {
    const hard = planOf(recipe(ferry, 'hard-charge'), ferry, 6);
    let state = beginControl();
    const one = (temperatureC: number, currentA: number): Decided => {
      const d = decide(hard, state, { voltageV: 8.4, currentA, temperatureC }, 60);
      state = d.state;
      return d;
    };
    one(30, -hard[0]!.currentA);
    expect(one(50.5, -hard[0]!.currentA)).toMatchObject({ does: 'next', limit: 'heat' });
    expect(setpointOf(hard, state)).toMatchObject({ mode: 'rest', currentA: 0 });
    expect(one(47, 0)).toMatchObject({ does: 'stay' });
    expect(setpointOf(hard, state).mode).toBe('rest');
    one(34, 0);
    expect(setpointOf(hard, state)).toMatchObject({ mode: 'charge' });
  });
});

describe('an over-discharged module', () => {
  const good = {
    cells: 6,
    restV: 6 * 1.8,
    emptyDays: 3,
    ageYears: 4,
    swollen: false,
    leaked: false,
    outdoors: true,
    somebodyStays: true,
  };
  it('may be tried only where everything speaks for it; what is not known counts as no', () => {
    expect(mayRecover(marram, good)).toEqual({ may: true, against: [] });
    for (const [key, value] of Object.entries({
      restV: 6 * 1.4,
      emptyDays: null,
      ageYears: null,
      swollen: null,
      leaked: true,
      outdoors: false,
      somebodyStays: false,
    }))
      expect(mayRecover(marram, { ...good, [key]: value })).toMatchObject({
        may: false,
        against: [expect.any(String)],
      });
    // numbers.md: below 1.5 V a cell, scrap.
    expect(mayRecover(marram, { ...good, restV: 6 * 1.49 }).against[0]).toMatch(/Scrap/);
  });
  it('is refused every ordinary run, also one of a single cell below the floor on average', () => {
    const module = normalisePack(marram).modules[0]!.groupIndices.length;
    for (const r of recipesFor(marram).filter((x) => x.id !== 'recover')) {
      expect(() => mustNotBeDead(marram, r, module * 1.99, module)).toThrow(/floor/);
      expect(() => mustNotBeDead(marram, r, module * 3.3, module)).not.toThrow();
    }
  });
  it('that falls back below the floor after its charge does not hold: that is its end, and its answer', () => {
    const plan = planOf(recipe(marram, 'recover'), marram, 6);
    expect(plan.map((s) => s.name)).toEqual(['low charge', 'hold']);
    let state: ControlState = { ...beginControl(), step: 1 };
    state = decide(plan, state, { voltageV: 6 * 2.9, currentA: 0, temperatureC: 20 }, 30).state;
    expect(decide(plan, state, { voltageV: 6 * 1.9, currentA: 0, temperatureC: 20 }, 30)).toMatchObject({
      does: 'done',
      limit: 'low voltage',
      state: { emptied: true },
    });
    // Below where it began while it is charged it is no answer: the output comes off, and somebody looks.
    expect(
      decide(plan, beginControl(), { voltageV: 6 * 1.2, currentA: -2.3, temperatureC: 20 }, 30),
    ).toMatchObject({ does: 'off', limit: 'low voltage', state: { emptied: false } });
  });
});

describe('what follows for the list of measures', () => {
  const said = (by: Partial<BenchSaid>): BenchSaid => ({
    place: 'S07',
    cycles: null,
    hold: null,
    recovered: null,
    ...by,
  });
  const lines = (by: Partial<BenchSaid>, chemistry: 'nimh' | 'nmc' = 'nimh') =>
    benchProposes([said(by)], chemistry).map((l) => l.kind);
  // Common practice, no source: the worst that is known of a module counts.
  it('is the worst that is known of a module, and nothing where it fits or cannot be told', () => {
    const fit = { verdict: 'fit', says: '' } as const;
    expect(lines({ cycles: fit })).toEqual([]);
    expect(lines({})).toEqual([]);
    expect(lines({ cycles: fit, hold: 'inconclusive' })).toEqual([]);
    expect(lines({ cycles: fit, hold: 'pass', recovered: true })).toEqual([]);
    expect(lines({ cycles: fit, hold: 'fail' })).toEqual(['replace-module']);
    expect(lines({ cycles: fit, recovered: false })).toEqual(['replace-module']);
    expect(lines({ cycles: { verdict: 'go on', says: '' } })).toEqual(['condition']);
    expect(lines({ cycles: { verdict: 'worn', says: '' } })).toEqual(['replace-module']);
  });
  it('is no conditioning of lithium: its groups are levelled', () => {
    expect(lines({ cycles: { verdict: 'once more', says: '' } }, 'nmc')).toEqual(['balance']);
  });
});
