import { describe, expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack } from '../pack';
import { Random } from '../simpack';
import { oddOnes } from './alike';
import { insulationReport } from './report';
import type { InsulationObservation } from './types';

const pack = normalisePack(pilotCar());
const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
type Tester = Extract<InsulationObservation, { kind: 'tester' }>;
const test = (from: string, gigaOhm: number, more: Partial<Tester> = {}, to = from): Tester => ({
  kind: 'tester',
  tested: { part: 'section', from, to },
  setV: 500,
  points: [15, 30, 60].map((timeS, i) => ({ timeS, ohm: gigaOhm * 1e9 * [0.6, 0.8, 1][i]!, voltageV: 500 })),
  temperatureC: 22,
  mounted: true,
  contactProven: true,
  ...more,
});
const report = (...observations: InsulationObservation[]) =>
  insulationReport(pack, observations, { moduleV: pack.modules.map(() => 29) });
const like = [12, 13, 14, 15, 16].map((r, i) => test(order[i]!, r));

// Comparing like with like is common practice of the trade, no source.
describe('like with like', () => {
  it('7 GΩ among 12 to 16 is odd, though far above its limit', () => {
    const odd = report(...like, test('M07', 7)).odd!;
    expect(odd.map((o) => o.says)).toEqual([
      'M07 has 7 GΩ, the 5 others 12 GΩ to 16 GΩ: odd, though above its limit.',
    ]);
    expect(report(...like, test('M07', 11)).odd).toBeUndefined();
  });

  it('a part is compared by what each of its modules has', () => {
    // Three of 14 GΩ side by side are 4.7.
    expect(report(...like, test('M07', 14 / 3, {}, 'M09')).odd).toBeUndefined();
    expect(report(...like, test('M07', 6 / 3, {}, 'M09')).odd![0]!.says).toMatch(
      /^M07 to M09 has 6 GΩ a module/,
    );
  });

  it('loose is not compared with mounted, wet not with dry, nor seconds with a minute', () => {
    for (const other of [{ mounted: false }, { wetted: true }, { setV: 1000 }] as Partial<Tester>[])
      expect(report(...like, test('M07', 7, other)).odd).toBeUndefined();
    const short = test('M07', 7);
    expect(report(...like, { ...short, points: short.points.slice(0, 2) }).odd).toBeUndefined();
    // Two others are too few.
    expect(report(like[0]!, like[1]!, test('M07', 7)).odd).toBeUndefined();
  });

  it('accuses few of those that are alike: the scatter of a tester within ± 30 % (IEC 61557-2)', () => {
    const random = new Random(6);
    let odd = 0;
    for (let k = 0; k < 400; k++)
      odd += oddOnes(
        report(...order.map((m) => test(m, 10 * Math.exp(random.normal(0, 0.15))))).tests,
      ).length;
    expect(odd / (400 * order.length)).toBeLessThan(0.005);
  });
});

describe('a tester that was locked out', () => {
  it('is told as such, counts as no test, and points at the voltage that it met', () => {
    const r = report({ ...test('M01', 1), points: [], lockedOutV: 87 });
    expect(r.tests[0]!.result).toMatchObject({ verdict: 'not valid', ohm: null });
    expect(r.tests[0]!.result.reasons[0]).toMatch(/met 87 V and gave none of its own: no test/);
    expect(r.coverage!.proven).toEqual([]);
  });
});

describe('a piece of a module', () => {
  it('that leaks names its module; one that passes covers nothing', () => {
    const half = (piece: string, gigaOhm: number): InsulationObservation => ({
      ...test('M05', gigaOhm),
      tested: { part: 'inside', module: 'M05', piece },
    });
    const leaks = report(half('half A', 1e-5));
    expect(leaks).toMatchObject({ found: 'M05', title: 'At M05' });
    expect(leaks.tests[0]!.label).toBe('M05, half A');
    const passes = report(half('half B', 3));
    expect(passes.found).toBeNull();
    expect(passes.coverage).toMatchObject({ proven: [], complete: false });
  });
});

describe('what came with water', () => {
  const wet: InsulationObservation = {
    kind: 'vehicle',
    ohm: 90_000,
    signalV: null,
    wetted: true,
    after: 'rain',
  };
  it('and passes dry proves nothing: it is to be wetted, and where first', () => {
    const dry = report(wet, test('M01', 3, {}, 'M12'));
    expect(dry.wetTest).toMatch(/dry it passes: that proves nothing\. Wet it \(valves, seams/);
    const seen = report(wet, test('M01', 3, {}, 'M12'), {
      kind: 'ways',
      ways: ['V2, rear right'],
      of: 'valve',
      state: 'torn',
    });
    expect(seen.wetTest).toMatch(/the breather valve V2, rear right first/);
    const wetted = test('M01', 3, { wetted: true }, 'M12');
    expect(report(wet, test('M01', 3, {}, 'M12'), wetted).wetTest).toBeUndefined();
    expect(report(test('M01', 3, {}, 'M12')).wetTest).toBeUndefined();
  });
});
