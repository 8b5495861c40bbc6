import highsLoader from 'highs';
import { describe, expect, it } from 'vitest';
import { marramVan, yardTug } from '../../../cli/src/demoPacks';
import { checkProfile, normalisePack, type BuildPart, type Pack } from '../pack';
import { Random } from '../simpack';
import { leastWork } from './least';
import type { StripProblem } from './problem';
import { defaultBuild } from './build';
import { judgeJoints } from './joints';
import {
  atHand,
  inTheWay,
  offNow,
  planStripdown,
  rebuildOrder,
  seenTimes,
  tooEarly,
  type Tick,
} from './plan';

/**
 * The same question as a mixed-integer programme for HiGHS (npm `highs`): which parts come off, by which alternative, with
 * an order that makes no circle. Tools are left out: without changes of tools minutes are all that count.
 */
async function byHighs(problem: StripProblem): Promise<number> {
  const { parts, targets } = problem;
  const at = new Map(parts.map((p, i) => [p.id, i]));
  const n = parts.length;
  const rows: string[] = [];
  const binary: string[] = [];
  const order: string[] = [];
  parts.forEach((p, i) => {
    binary.push(`x${i}`);
    order.push(`0 <= u${i} <= ${n}`);
    const ways = p.after.length === 0 ? [[]] : p.after;
    rows.push(`${ways.map((_, k) => `y${i}_${k}`).join(' + ')} - x${i} >= 0`);
    ways.forEach((set, k) => {
      binary.push(`y${i}_${k}`);
      for (const id of set) {
        const j = at.get(id)!;
        rows.push(`x${j} - y${i}_${k} >= 0`);
        rows.push(`u${i} - u${j} - ${n + 1} y${i}_${k} >= ${1 - (n + 1)}`);
      }
    });
  });
  const lp = `Minimize\n obj: ${parts.map((p, i) => `${p.minutes} x${i}`).join(' + ')}\nSubject To\n${[
    ...rows,
    ...targets.map((t) => `x${at.get(t)!} >= 1`),
  ]
    .map((r, i) => ` c${i}: ${r}`)
    .join('\n')}\nBounds\n ${order.join('\n ')}\nBinary\n ${binary.join(' ')}\nEnd\n`;
  const highs = await highsLoader();
  const { ObjectiveValue, Status } = highs.solve(lp);
  return Status === 'Optimal' ? ObjectiveValue : Infinity;
}

describe('the least work, held against HiGHS', () => {
  it('is the same on forty parts with alternatives', async () => {
    let reached = 0;
    for (let seed = 1; seed <= 10; seed++) {
      const r = new Random(300 + seed);
      const upTo = (k: number): number => Math.floor(r.uniform(0, 1) * k);
      const n = 40;
      const problem: StripProblem = {
        toolChangeMin: 0,
        targets: [`p${n - 1}`, `p${n - 2}`],
        parts: Array.from({ length: n }, (_, i) => ({
          id: `p${i}`,
          minutes: 1 + upTo(15),
          tool: `t${upTo(4)}`,
          after:
            i < 4
              ? []
              : Array.from({ length: 1 + upTo(3) }, () =>
                  Array.from({ length: 1 + upTo(3) }, () => `p${upTo(8) === 0 ? upTo(n) : upTo(i)}`),
                ),
        })),
      };
      const truth = await byHighs(problem);
      if (!Number.isFinite(truth)) continue;
      reached++;
      const plan = leastWork(problem);
      expect(plan.proved, `seed ${seed}`).toBe(true);
      expect(plan.minutes, `seed ${seed}`).toBeCloseTo(truth, 6);
    }
    expect(reached).toBeGreaterThan(6);
  });
});

const van = normalisePack(marramVan());
const volts = (pack: Pack): number[] => pack.modules.map((m) => m.groupIndices.length * 3.7);
const plan = (pack: Pack, targets: string[], ticks: Tick[] = []) =>
  planStripdown(pack, { targets, moduleV: volts(pack), ticks });
const standing = (ticks: Tick[] = [], open: string[] = []) => ({ ticks, moduleV: volts(van), open });
const done = (part: string, off = true, minutes: number | null = null): Tick => ({ part, off, minutes });

describe('what comes off', () => {
  it('keeps the rules of the trade whatever is aimed at', () => {
    for (const pack of [van, normalisePack(yardTug())])
      for (const m of pack.modules) {
        const { steps, proved } = plan(pack, [m.id]);
        const at = (test: (s: (typeof steps)[number]) => boolean): number => steps.findIndex(test);
        const lid = at((s) => s.kind === 'lid');
        const sense = at((s) => s.kind === 'sense-plug');
        const power = at((s) => s.kind === 'link' && !s.name.startsWith('Service'));
        expect(proved).toBe(true);
        expect(at((s) => s.name.startsWith('Service'))).toBe(0);
        expect(lid).toBeLessThan(sense);
        expect(sense).toBeLessThan(power);
        // No module is moved while any part of the string holds more than 60 V.
        for (const s of steps.filter((x) => x.kind === 'module'))
          expect(s.leftV, `${m.id} ${s.id}`).toBeLessThanOrEqual(60);
        expect(steps.at(-1)!.id).toBe(m.id);
        // Links come first among what costs the same: the voltage is down as soon as it may be.
        const lastLink = steps.map((s) => s.kind).lastIndexOf('link');
        expect(steps.slice(0, lastLink).some((s) => s.kind === 'module')).toBe(false);
      }
  });

  it('lifts what lies over it first, by as many as it takes', () => {
    const heavy = marramVan();
    heavy.modules = heavy.modules.map((m) => ({ ...m, massKg: 34 }));
    const pack = normalisePack(heavy);
    const upper = pack.modules.find((m) => m.place.tier === 1)!;
    const under = pack.modules.find(
      (m) => m.place.tier === 0 && m.place.row === upper.place.row && m.place.column === upper.place.column,
    )!;
    const { steps } = plan(pack, [under.id]);
    expect(steps.map((s) => s.id)).toEqual(expect.arrayContaining(['bracket-2', upper.id]));
    expect(steps.find((s) => s.id === upper.id)).toMatchObject({
      persons: 2,
      target: false,
      for: `in the way of ${under.id}`,
    });
  });

  it('goes on from what was done, in whatever order that was, and counts no step twice', () => {
    const target = van.modules[6]!.id;
    const first = plan(van, [target]);
    const some = first.steps.slice(0, 4).map((s) => done(s.id, true, 3));
    const then = plan(van, [target], some);
    expect(then.steps.map((s) => s.id).sort()).toEqual(first.steps.map((s) => s.id).sort());
    expect(then.steps.filter((s) => s.done)).toHaveLength(4);
    expect(then.leftMin).toBeLessThan(first.leftMin);
    expect(then.steps.filter((s) => s.done).map((s) => s.minutes)).toEqual([3, 3, 3, 3]);
    // What was done and timed by nobody has no minutes: the usual ones are not what it took.
    expect(plan(van, [target], [done('L8')]).steps[0]).toMatchObject({ id: 'L8', done: true, minutes: null });
    // All of it done: nothing is left, also when something more was taken off than had to be.
    const all = [...first.steps.map((s) => done(s.id)), done(van.modules[7]!.id)];
    expect(plan(van, [target], all)).toMatchObject({ leftMin: 0 });
  });

  it('says what another module would add while one is there, and what has to be at hand', () => {
    const { more, order } = plan(van, [van.modules[6]!.id]);
    expect(more.length).toBeGreaterThan(0);
    for (const m of more) {
      const both = plan(van, [van.modules[6]!.id, m.id]);
      expect(both.leftMin).toBeCloseTo(plan(van, [van.modules[6]!.id]).leftMin + m.minutes, 6);
    }
    expect(order).toEqual([{ what: 'lid seal', count: 1, for: ['Lid'] }]);
  });

  it('takes the way that its profile tells, and the shop’s own times', () => {
    const profile = marramVan();
    const id = profile.modules[6]!.id;
    profile.build = [
      { id: 'hatch', kind: 'cover', minutes: 4, tool: 'T20', after: [[]] },
      { id: 'rail', kind: 'bracket', minutes: 6, tool: 'T20', after: [['hatch']] },
      ...defaultBuild(van).map((p) =>
        p.id === id
          ? { ...p, minutes: 5, after: [...p.after!, ['hatch', 'rail', 'sense-plug', 'L6', 'L7']] }
          : p,
      ),
    ];
    const pack = normalisePack(profile);
    const told = planStripdown(pack, { targets: [id], moduleV: volts(pack), ticks: [] });
    expect(told.usual).toBe(false);
    const seen = seenTimes([30, 34, 90].map((minutes) => ({ part: 'lid', minutes })));
    expect(seen.lid).toMatchObject({ n: 3, medianMin: 34 });
    const timed = planStripdown(pack, { targets: [id], moduleV: volts(pack), ticks: [], seen });
    expect(timed.steps.find((s) => s.id === 'lid')).toMatchObject({ minutes: 34, timed: 3 });
    expect(() => plan(pack, ['nothing'])).toThrow(/has no nothing/);
  });

  it('is put back the other way round, and says what was skipped', () => {
    const ticks = [done('lid'), done('sense-plug'), done('L6'), done('L6', false), done('L7'), done('L6')];
    expect(offNow(ticks)).toEqual(['lid', 'sense-plug', 'L7', 'L6']);
    expect(rebuildOrder(van, ticks).map((p) => p.id)).toEqual(['L6', 'L7', 'sense-plug', 'lid']);
    expect(tooEarly(van, ticks, 'lid').map((p) => p.id)).toEqual(['L6', 'L7', 'sense-plug']);
    expect(tooEarly(van, ticks, 'L6')).toEqual([]);
    expect(inTheWay(van, standing(), 'sense-plug').map((p) => p.id)).toEqual(['lid']);
    expect(inTheWay(van, standing(ticks), 'sense-plug')).toEqual([]);
  });
});

describe('no module is moved while any part holds more than 60 V', () => {
  const m07 = van.modules[6]!.id;
  const order = plan(van, [m07]).steps.map((s) => s.id);
  it('whatever its own ends: every link that is lacking is in the way', () => {
    const own = ['L8', 'lid', 'sense-plug', 'L6', 'L7'];
    const lacking = inTheWay(van, standing(own.map((p) => done(p))), m07).map((p) => p.id);
    expect(lacking.length).toBeGreaterThan(2);
    expect(lacking.every((id) => order.includes(id))).toBe(true);
    expect(inTheWay(van, standing(order.slice(0, -1).map((p) => done(p))), m07)).toEqual([]);
    // A link that was pulled to find a leak is out without a tick.
    const [first, ...rest] = order.slice(0, -1);
    expect(
      inTheWay(
        van,
        standing(
          rest.map((p) => done(p)),
          [first!],
        ),
        m07,
      ),
    ).toEqual([]);
  });
  it('also where the build that somebody told leaves links out', () => {
    const profile = marramVan();
    profile.build = [
      { id: 'hatch', kind: 'lid', minutes: 5 },
      ...profile.modules.map((m) => ({ id: m.id, kind: 'module' as const, minutes: 5, after: [['hatch']] })),
    ];
    const pack = normalisePack(profile);
    const { steps, endV } = planStripdown(pack, { targets: [m07], moduleV: volts(pack), ticks: [] });
    expect(steps.filter((s) => s.kind === 'link').length).toBeGreaterThan(3);
    expect(endV).toBeLessThanOrEqual(60);
  });
  it('and says where no link that is known can help', () => {
    const profile = marramVan();
    profile.links = [];
    const pack = normalisePack(profile);
    const { endV } = planStripdown(pack, { targets: [m07], moduleV: volts(pack), ticks: [] });
    expect(endV).toBeGreaterThan(300);
  });
});

describe('the way back', () => {
  it('has the management plug after all that carries power inside, whenever it came off', () => {
    const late = ['L8', 'lid', 'L6', 'sense-plug', 'L7', 'M07'].map((p) => done(p));
    expect(rebuildOrder(van, late).map((p) => p.id)).toEqual(['M07', 'L7', 'L6', 'sense-plug', 'lid', 'L8']);
  });
});

describe('a build that somebody tells', () => {
  const faultsOf = (build: BuildPart[]): string[] =>
    checkProfile({ ...marramVan(), build })
      .faults.filter((f) => f.level === 'error')
      .map((f) => f.what);
  const part = (id: string, after: string[][] = [], kind: BuildPart['kind'] = 'other'): BuildPart => ({
    id,
    kind,
    minutes: 1,
    after,
  });
  it('is refused where it names what is not there, twice, or waits for itself', () => {
    expect(faultsOf([part('lid'), part('lid')])).toEqual(['lid is in the build twice.']);
    expect(faultsOf([part('lid', [['hatsch']])])).toEqual([
      expect.stringMatching(/comes after hatsch, which is nowhere/),
    ]);
    expect(faultsOf([part('M99', [], 'module')])[0]).toMatch(/module M99/);
    expect(faultsOf([part('a', [['b']]), part('b', [['a']])])).toEqual([
      expect.stringMatching(/a can never come off/),
      expect.stringMatching(/b can never come off/),
    ]);
    expect(faultsOf(defaultBuild(van))).toEqual([]);
  });
});

describe('a joint', () => {
  const joint = (name: string, microohm: number, kind = 'bus-bar') => ({ joint: name, kind, microohm });
  it('is made again where it has more than twice the median of its like', () => {
    const judged = judgeJoints([
      ...[52, 48, 55, 50].map((v, i) => joint(`L${i}`, v)),
      joint('L9', 140),
      joint('C1', 300, 'cable'),
    ]);
    expect(judged.filter((j) => j.remake).map((j) => j.joint)).toEqual(['L9']);
    // One cable alone is compared with nothing.
    expect(judged.at(-1)).toMatchObject({ medianMicroohm: null, remake: null });
  });
  it('hides behind no middle that it moves itself', () => {
    expect(judgeJoints([joint('a', 50), joint('b', 52), joint('c', 140)]).map((j) => j.remake)).toEqual([
      false,
      false,
      true,
    ]);
    expect(judgeJoints([joint('a', 50), joint('b', 140)]).map((j) => j.remake)).toEqual([null, null]);
  });
});

it('knows what is at hand by its words', () => {
  const shelf = ['Lid seal, long', 'LID SEAL', 'thermal pad', ''];
  expect(atHand('lid seal', shelf)).toBe(2);
  expect(atHand('thermal pad', shelf)).toBe(1);
  expect(atHand('lock nut', shelf)).toBe(0);
});
