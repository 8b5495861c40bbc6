import highsLoader from 'highs';
import { describe, expect, it } from 'vitest';
import { Random } from '../simpack';
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

/** The same as a time-indexed integer programme for HiGHS (npm `highs`). */
async function byHighs(ask: ScheduleAsk, horizon: number): Promise<number> {
  const g = ask.gridH;
  const H = Math.round(horizon / g);
  const rows: string[] = [];
  const binary: string[] = [];
  const use: { kw: string[]; person: string[]; channel: string[] }[] = Array.from({ length: H }, () => ({
    kw: [],
    person: [],
    channel: [],
  }));
  ask.modules.forEach((m, j) => {
    m.steps.forEach((s, k) => {
      const dur = Math.round(s.hours / g);
      const names: string[] = [];
      for (let t = Math.ceil(m.releaseH / g); t + dur <= H; t++) {
        if (
          s.attended &&
          !ask.workingWindowsH.some(([a, b]) => t * g >= a - 1e-9 && (t + dur) * g <= b + 1e-9)
        )
          continue;
        const x = `x${j}_${k}_${t}`;
        names.push(x);
        binary.push(x);
        for (let i = t; i < t + dur; i++) {
          use[i]!.kw.push(`${s.powerKw} ${x}`);
          if (s.attended) use[i]!.person.push(x);
          if (s.channel) use[i]!.channel.push(x);
        }
      }
      const start = names.map((x) => `${x.split('_')[2]!} ${x}`).join(' + ');
      rows.push(`${names.join(' + ')} = 1`);
      rows.push(`${start} - s${j}_${k} = 0`);
      if (k > 0) rows.push(`s${j}_${k} - s${j}_${k - 1} >= ${Math.round(m.steps[k - 1]!.hours / g)}`);
      rows.push(`c - s${j}_${k} >= ${dur}`);
    });
  });
  for (const u of use) {
    if (u.kw.length) rows.push(`${u.kw.join(' + ')} <= ${ask.powerBudgetKw}`);
    if (u.person.length) rows.push(`${u.person.join(' + ')} <= ${ask.persons}`);
    if (u.channel.length) rows.push(`${u.channel.join(' + ')} <= ${ask.channels}`);
  }
  const lp = `Minimize\n obj: c\nSubject To\n${rows.map((r, i) => ` r${i}: ${r}`).join('\n')}\nBinary\n ${binary.join(' ')}\nEnd\n`;
  const highs = await highsLoader();
  return highs.solve(lp).ObjectiveValue * g;
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
