import { scheduleByHighs as byHighs } from '../../../bench/src/peers/highs';
import { describe, expect, it } from 'vitest';
import { Random } from '../simpack';
import { benchDays, planChanges, type DaysAnswer, type DaysAsk } from './days';
import { scheduleBench, type ScheduleAnswer, type ScheduleAsk } from './schedule';

/** Every rule, looked at moment by moment, apart from the scheduler. */
function holds(ask: ScheduleAsk, a: ScheduleAnswer): void {
  const g = ask.gridH;
  const events: { from: number; to: number; kw: number; person: number; channel: number }[] = [];
  let end = 0;
  for (const m of ask.modules) {
    let t = m.releaseH;
    m.steps.forEach((s, k) => {
      const at = a.startH[m.id]![k]!;
      expect(at, `${m.id} ${s.name}`).toBeGreaterThanOrEqual(t - 1e-9);
      t = at + s.hours;
      if (s.attended)
        expect(ask.workingWindowsH.some(([x, y]) => at >= x - 1e-9 && t <= y + 1e-9)).toBe(true);
      events.push({
        from: at,
        to: t,
        kw: s.powerKw,
        person: s.attended ? 1 : 0,
        channel: !ask.holdChannel && s.channel ? 1 : 0,
      });
    });
    if (ask.holdChannel) events.push({ from: a.startH[m.id]![0]!, to: t, kw: 0, person: 0, channel: 1 });
    end = Math.max(end, t);
  }
  expect(end).toBeCloseTo(a.makespanH, 9);
  for (let t = 0; t < end; t += g) {
    const now = events.filter((e) => e.from <= t + 1e-9 && e.to > t + 1e-9);
    const sum = (k: 'kw' | 'person' | 'channel'): number => now.reduce((s, e) => s + e[k], 0);
    expect(sum('kw')).toBeLessThanOrEqual(ask.powerBudgetKw + 1e-9);
    expect(sum('person')).toBeLessThanOrEqual(ask.persons);
    expect(sum('channel')).toBeLessThanOrEqual(ask.channels);
  }
}

const random = (seed: number, n: number, hold = false): ScheduleAsk => {
  const r = new Random(seed);
  return {
    channels: 2,
    powerBudgetKw: 4,
    persons: 1,
    holdChannel: hold,
    gridH: 1,
    workingWindowsH: Array.from({ length: 40 }, (_, d): [number, number] => [24 * d + 8, 24 * d + 17]),
    modules: Array.from({ length: n }, (_, i) => ({
      id: `M${i}`,
      releaseH: r.integer(0, 6),
      steps: Array.from({ length: r.integer(2, 3) }, (__, k) => ({
        name: `s${k}`,
        hours: r.integer(1, 7),
        powerKw: r.integer(1, 3),
        attended: r.uniform() < 0.35,
        channel: r.uniform() < 0.8,
      })),
    })),
  };
};

describe('days on the bench', () => {
  it('are as short as HiGHS finds them on small benches', async () => {
    for (let seed = 1; seed <= 8; seed++) {
      const ask = random(seed, 3);
      const mine = scheduleBench(ask);
      holds(ask, mine);
      const truth = await byHighs(ask, mine.makespanH + 1);
      expect(mine.proved, `seed ${seed}`).toBe(true);
      expect(mine.makespanH, `seed ${seed}`).toBeCloseTo(truth, 6);
    }
  });

  it('keep every rule on a hundred modules, with a bound that is honest', () => {
    for (const hold of [false, true]) {
      const ask = { ...random(5, 100, hold), channels: 8, powerBudgetKw: 14, persons: 2 };
      const mine = scheduleBench(ask);
      holds(ask, mine);
      expect(mine.lowerBoundH).toBeLessThanOrEqual(mine.makespanH + 1e-9);
      expect(mine.makespanH / mine.lowerBoundH).toBeLessThan(1.6);
    }
  });

  it('hold a channel through the waits where the bench is so', () => {
    const one = {
      channels: 1,
      powerBudgetKw: 9,
      persons: 1,
      gridH: 0.5,
      workingWindowsH: [[8, 16]] as [number, number][],
      modules: ['a', 'b'].map((id) => ({
        id,
        releaseH: 0,
        steps: [
          { name: 'charge', hours: 2, powerKw: 1, attended: false, channel: true },
          { name: 'look', hours: 1, powerKw: 0, attended: true, channel: false },
        ],
      })),
    };
    expect(scheduleBench({ ...one, holdChannel: false })).toMatchObject({ makespanH: 10, proved: true });
    const held = scheduleBench({ ...one, holdChannel: true });
    holds({ ...one, holdChannel: true }, held);
    // The first keeps the channel until somebody looks at 8; the second begins then: 9, 11, 12.
    expect(held.makespanH).toBe(12);
    // What needs nobody runs before: a channel is not taken for a wait that can be had without.
    const third = { ...one.modules[0]!, id: 'c', steps: [{ ...one.modules[0]!.steps[0]!, hours: 6 }] };
    const three = { ...one, holdChannel: true, modules: [...one.modules, third] };
    const filled = scheduleBench(three);
    holds(three, filled);
    expect(filled.makespanH).toBe(12);
  });

  it('say what can never run', () => {
    const ask = random(1, 2);
    const bad = (more: Partial<ScheduleAsk>) => () => scheduleBench({ ...ask, ...more });
    expect(bad({ powerBudgetKw: 0.5 })).toThrow(/kW of 0.5 kW/);
    expect(bad({ gridH: 0.7 })).toThrow(/no multiple of 0.7 h/);
    expect(
      bad({
        modules: [
          {
            id: 'x',
            releaseH: 0,
            steps: [{ name: 'long', hours: 12, powerKw: 1, attended: true, channel: true }],
          },
        ],
      }),
    ).toThrow(/fits no working window/);
  });
});

describe('a plan that moves with what happens', () => {
  const ask: DaysAsk = {
    sets: ['S1', 'S2', 'S3', 'S4'],
    capacityAh: 6,
    voltageV: 8,
    channels: 2,
    channelA: 6,
    powerBudgetKw: 3,
    persons: 1,
    fromHour: 0,
    toHour: 24,
    workdays: [0, 1, 2, 3, 4, 5, 6],
    alone: true,
    transfer: false,
    startDay: 1,
    startHour: 8,
  };
  /** How many hold a channel at a moment. */
  const atOnce = (a: DaysAnswer, h: number): number =>
    a.modules.filter((m) => {
      const s = a.startH[m.id]!;
      return s[0]! <= h + 1e-9 && h + 1e-9 < s.at(-1)! + m.steps.at(-1)!.hours;
    }).length;

  it('leaves what runs where it is, and puts the others round it', () => {
    const running = [
      { id: 'R1', leftH: 2.1 },
      { id: 'R2', leftH: 0.3 },
    ];
    const a = benchDays({ ...ask, running });
    expect(a.startH.R1).toEqual([0]);
    expect(a.startH.R2).toEqual([0]);
    expect(a.handsAtH.map((x) => x.what).sort()).toEqual(['S1', 'S2', 'S3', 'S4']);
    expect(a.handsAtH[0]!.atH).toBeCloseTo(0.5, 9);
    expect(new Set(running.map((r) => a.channelOf[r.id]))).toEqual(new Set([0, 1]));
    for (let h = 0; h < a.makespanH; h += 0.25) expect(atOnce(a, h)).toBeLessThanOrEqual(2);
    // By hand: 3.25 h each; channels are free after 2.25 h and 0.5 h: 2.25 + 2 × 3.25 is the end.
    expect(a.makespanH).toBeCloseTo(2.25 + 2 * 3.25, 9);
    expect(a.lowerBoundH).toBeLessThanOrEqual(a.makespanH);
  });

  it('tells what slipped and what follows from it, and nothing of a few minutes', () => {
    const at = (h: number): number => h * 3_600_000;
    const before = {
      endMs: at(20),
      startMs: { S1: at(3), S2: at(6), S3: at(9) },
      overMs: { R1: at(3), R2: at(6) },
    };
    expect(planChanges(before, before)).toEqual({ endMinutes: 0, changes: [] });
    const now = {
      endMs: at(21),
      startMs: { S1: at(3.1), S3: at(10), S9: at(12) },
      overMs: { R1: at(4), S2: at(9) },
    };
    expect(planChanges(before, now)).toEqual({
      endMinutes: 60,
      changes: [
        { id: 'R1', what: 'runs longer', minutes: 60 },
        { id: 'S3', what: 'later', minutes: 60 },
        { id: 'S9', what: 'new', minutes: 0 },
      ],
    });
    expect(planChanges(before, { ...before, startMs: { S1: at(3), S2: at(6) } }).changes).toEqual([
      { id: 'S3', what: 'no longer planned', minutes: 0 },
    ]);
  });
});
