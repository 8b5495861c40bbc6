import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { islandBus } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { linksInOrder } from '../safety/exposure';
import { coverageOf, missingCaseParts, missingRuns, whyNotCounted } from './coverage';
import { reachOf } from './reach';
import { insulationReport } from './report';
import type { InsulationObservation, Terminals, TestedPart } from './types';

const pack = normalisePack(islandBus());
const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
const n = order.length;
const half = n >> 1;
const middle = linksInOrder(pack)[half - 1]?.id ?? '';

interface How {
  terminals?: Terminals;
  openLinks?: string[];
  mounted?: boolean;
  contactProven?: boolean | null;
  wetted?: boolean;
  toS?: number;
  ohm?: number;
}
const test = (
  tested: TestedPart,
  { mounted = true, toS = 60, ohm = 3e9, ...how }: How = {},
): InsulationObservation => ({
  kind: 'tester',
  tested,
  setV: 1000,
  points: [15, 30, 60]
    .filter((t) => t <= toS)
    .map((timeS, i) => ({ timeS, ohm: ohm * [0.6, 0.8, 1][i]!, voltageV: 1000 })),
  temperatureC: 22,
  mounted,
  ...how,
});
const section = (from: number, to: number): TestedPart => ({
  part: 'section',
  from: order[from]!,
  to: order[to]!,
});
const lower = section(0, half - 1);
const upper = section(half, n - 1);
const whole: TestedPart = { part: 'pack' };
const link = (id: string, open: boolean): InsulationObservation => ({ kind: 'link', link: id, open });
const missing = (observations: InsulationObservation[]): string =>
  missingRuns(pack, coverageOf(pack, observations));

// What a tester reaches is common practice of the trade, no source; the resistor network below is Ohm's law.
describe('what tests cover', () => {
  it('no test of the string reaches the parts of the case: they are told beside it until each was tested', () => {
    const board: TestedPart = { part: 'other', which: 'contactor board' };
    const parts = (...o: InsulationObservation[]) => coverageOf(pack, o).caseParts!;
    expect(parts(test(whole, { terminals: 'both' })).missing).toContain('the contactor board');
    // The string from one side and the connector from the other reach what lies between them.
    const connector: TestedPart = { part: 'other', which: 'pack connector' };
    const joined = test(connector, { terminals: 'both' });
    const both = coverageOf(pack, [test(whole, { terminals: 'both' }), joined]);
    expect(both.caseParts!.missing).toEqual([]);
    expect(missingCaseParts(both)).toBe('');
    expect(parts(joined).missing).toEqual(['the contactor board', 'the cables in the case']);
    expect(parts(test(whole), joined, test(board, { ohm: 4000 })).missing).toEqual(['the contactor board']);
    expect(parts(test(whole), test(connector, { terminals: 'both', toS: 30 })).proven).toEqual([]);
    // From one pole, or from one that nobody named, it reached half of it.
    expect(parts(test(whole), test(connector, { terminals: 'negative' })).proven).toEqual([]);
    expect(parts(test(whole), test(connector)).proven).toEqual([]);
    expect(missingCaseParts(coverageOf(pack, [test(whole)]))).toMatch(/^Not covered yet: the pack connector/);
    expect(parts(test(board)).proven).toEqual(['the contactor board']);
    expect(parts(test(board), test(board, { ohm: 4000 })).proven).toEqual([]);
    expect(parts(test(board, { toS: 30 })).proven).toEqual([]);
  });

  it('two clean halves, each from its own pole, cover the pack whatever stands between them', () => {
    const halves = [link(middle, true), test(lower), test(upper)];
    expect(coverageOf(pack, halves)).toMatchObject({ complete: true, missing: [], proven: order });
    const poles = [
      link(middle, true),
      test(whole, { terminals: 'negative' }),
      test(whole, { terminals: 'positive' }),
    ];
    expect(coverageOf(pack, poles).complete).toBe(true);
  });
  it('one half leaves the other, by name', () => {
    expect(missing([test(lower)])).toBe(`${order[half]} to ${order[n - 1]}`);
  });
  it('the whole pack at once covers it, but from one pole not across a link that is out', () => {
    expect(middle).not.toBe('');
    expect(missing([test(whole)])).toBe('');
    const across = coverageOf(pack, [link(middle, true), test(whole)]);
    expect(missingRuns(pack, across)).toBe(`${order[0]} to ${order[n - 1]}`);
    expect(whyNotCounted(across).join()).toMatch(/which pole is not on record/);
    expect(missing([link(middle, true), test(whole, { terminals: 'negative' })])).toBe(
      `${order[half]} to ${order[n - 1]}`,
    );
    // From both poles, with a second link out, the part between them hangs on nothing.
    const second = linksInOrder(pack)[half + 1]!.id;
    expect(missing([link(middle, true), link(second, true), test(whole, { terminals: 'both' })])).toBe(
      `${order[half]} to ${order[half + 1]}`,
    );
  });
  it('what is open counts as it was said with the test', () => {
    expect(missing([test(whole, { terminals: 'positive', openLinks: [middle] })])).toBe(
      `${order[0]} to ${order[half - 1]}`,
    );
  });
  it('a link that was moved afterwards undoes what was tested', () => {
    const halves = [link(middle, true), test(lower), test(upper), link(middle, false)];
    expect(coverageOf(pack, halves).proven).toEqual([]);
  });
  it('everything but one covers everything but one, and it alone the rest', () => {
    const rest = test({ part: 'except', module: order[3]! });
    expect(missing([rest])).toBe(order[3]);
    expect(missing([rest, test(section(3, 3))])).toBe('');
  });
  it.each([
    [{ mounted: false }, /loose: no leak seen; test it again mounted/],
    [{ toS: 15 }, /tested for 15 s: no leak so far/],
    [{ contactProven: false }, /not proven to touch metal/],
  ])('%o covers nothing, and says why', (more, why) => {
    const coverage = coverageOf(pack, [test(whole, more)]);
    expect(coverage.proven).toEqual([]);
    expect(coverage.tests[0]).toMatchObject({ index: 0, valid: false, reached: order });
    expect(whyNotCounted(coverage).join()).toMatch(why);
  });
  it('a leak takes back what an earlier test said, of what it was found in, and a pass after it is asked of', () => {
    const leak = [test(whole), test(section(2, 2), { ohm: 4000 })];
    expect(missing(leak)).toBe(order[2]);
    const again = [...leak, test(section(2, 2))];
    expect(missing(again)).toBe(order[2]);
    const answers = (yes: Partial<Record<string, boolean>>): InsulationObservation[] =>
      (['contact', 'dry', 'condensation', 'disturbed'] as const).map((question) => ({
        kind: 'answer',
        question,
        yes: yes[question] ?? question === 'contact',
      }));
    expect(missing([...again, ...answers({})])).toBe('');
    expect(missing([...again, ...answers({ dry: true })])).toBe(order[2]);
    // Dried on purpose: wetted again and clean, it is not the drying that hides it.
    const wetted = test(section(2, 2), { wetted: true, contactProven: true });
    const disturbed: InsulationObservation = { kind: 'answer', question: 'disturbed', yes: false };
    expect(whyNotCounted(coverageOf(pack, again)).join()).toMatch(/leaked before: answer first/);
    expect(missing([...again, ...answers({ dry: true }), wetted, disturbed])).toBe('');
    // Answers from before the pass say nothing of it.
    expect(missing([...leak, ...answers({}), test(section(2, 2))])).toBe(order[2]);
  });
  it('what leaked after wetting is not proven by a dry pass, but by a wetted one', () => {
    const leak = test(whole, { wetted: true, ohm: 4000 });
    const dry = coverageOf(pack, [leak, test(whole)]);
    expect(dry.proven).toEqual([]);
    expect(whyNotCounted(dry).join()).toMatch(/a dry pass says nothing of that; test it wetted/);
    expect(missing([leak, test(whole, { wetted: true })])).toBe('');
  });
  it('a test that is not valid takes nothing back', () => {
    const flat = { ...test(whole), setV: 100 } as InsulationObservation;
    expect(missing([test(whole), flat])).toBe('');
    expect(missing([flat])).not.toBe('');
  });
  it('none leaves all', () => {
    expect(missing([])).toBe(`${order[0]} to ${order[n - 1]}`);
  });
  it('the report says of each what it reached, and the map is filled by it', () => {
    const report = insulationReport(pack, [link(middle, true), test(whole, { terminals: 'negative' })], {
      moduleV: pack.modules.map(() => 30),
    });
    expect(report.coverage!.tests[0]).toMatchObject({ valid: true, reached: order.slice(0, half) });
    expect(report.modules.map((m) => m.state === 'clean')).toEqual(order.map((_, i) => i < half));
    expect(report.title).toBe('No leak so far');
  });
});

/** Current out of the tester into each place's own leak, A: nodal analysis of the string with its links as resistors. */
function leakCurrents(
  count: number,
  open: ReadonlySet<number>,
  at: { negative: number; positive: number },
  terminals: Terminals,
): number[] {
  const [joint, leak, lead] = [1e-4, 1e6, 1e-3].map((r) => 1 / r) as [number, number, number];
  const g = Array.from({ length: count }, () => new Array<number>(count).fill(0));
  const rhs = new Array<number>(count).fill(0);
  for (let i = 0; i < count; i++) {
    g[i]![i]! += leak;
    if (i + 1 < count && !open.has(i)) {
      g[i]![i]! += joint;
      g[i + 1]![i + 1]! += joint;
      g[i]![i + 1]! -= joint;
      g[i + 1]![i]! -= joint;
    }
  }
  const clipped = terminals === 'both' ? [at.negative, at.positive] : [at[terminals]];
  for (const i of clipped) {
    g[i]![i]! += lead;
    rhs[i]! += 500 * lead;
  }
  for (let c = 0; c < count; c++)
    for (let r = c + 1; r < count; r++) {
      const f = g[r]![c]! / g[c]![c]!;
      if (f === 0) continue;
      for (let k = c; k < count; k++) g[r]![k]! -= f * g[c]![k]!;
      rhs[r]! -= f * rhs[c]!;
    }
  const v = new Array<number>(count).fill(0);
  for (let r = count - 1; r >= 0; r--) {
    let s = rhs[r]!;
    for (let k = r + 1; k < count; k++) s -= g[r]![k]! * v[k]!;
    v[r] = s / g[r]![r]!;
  }
  return v.map((x) => x * leak);
}

describe('what a lead reaches', () => {
  it('is what carries the tester’s current in the resistor network, for 2,000 strings, links and poles', () => {
    fc.assert(
      fc.property(
        fc.uniqueArray(fc.nat(n - 2), { maxLength: 6 }),
        fc.constantFrom<Terminals>('negative', 'positive', 'both'),
        fc.boolean(),
        fc.nat(n - 1),
        fc.nat(n - 1),
        (out, terminals, isPack, a, b) => {
          const links = linksInOrder(pack);
          const known = out.filter((i) => links[i]);
          const [from, to] = isPack ? [0, n - 1] : [Math.min(a, b), Math.max(a, b)];
          const tested: TestedPart = isPack ? whole : section(from, to);
          const open = new Set(known);
          // A part that is tested apart hangs on nothing at its ends.
          if (!isPack) for (const end of [from - 1, to]) if (end >= 0 && end < n - 1) open.add(end);
          const carried = leakCurrents(n, open, { negative: from, positive: to }, terminals).flatMap(
            (x, i) => (x > 1e-9 ? [i] : []),
          );
          const { certain, possible } = reachOf(pack, {
            tested,
            terminals,
            open: known.map((i) => links[i]!.id),
          });
          expect(certain).toEqual(carried);
          expect(possible).toEqual(carried);
        },
      ),
      { numRuns: 2000, seed: 35 },
    );
  });
});
