import { describe, expect, it } from 'vitest';
import { pilotCar } from '../../../cli/src/demoPacks';
import { normalisePack, withLimit } from '../pack';
import { Random } from '../simpack';
import { leakCauses } from './causes';
import { judgeOhmPerVolt, judgeVehicleFigure } from './limits';
import { lowestTyped } from './parts';
import { insulationReport } from './report';
import type { InsulationObservation } from './types';

const pack = normalisePack(pilotCar());
const moduleV = pack.modules.map(() => 29);
const order = pack.stringOrder.map((m) => pack.modules[m]!.id);
const report = (observations: InsulationObservation[]) => insulationReport(pack, observations, { moduleV });
const test = (
  from: string,
  to: string,
  leaks: boolean,
  ohm = leaks ? 6200 : 2.1e9,
): InsulationObservation => ({
  kind: 'tester',
  tested: { part: 'section', from, to },
  setV: 500,
  points: leaks
    ? [{ timeS: 30, ohm, voltageV: 21 }]
    : [15, 30, 60].map((timeS, i) => ({ timeS, ohm: ohm * [0.6, 0.8, 1][i]!, voltageV: 500 })),
  temperatureC: 22,
  mounted: true,
});
const poles = (fraction: number, ohm: number, packV = 348): InsulationObservation => {
  const share = 10e6 / (10e6 + ohm);
  return {
    kind: 'poles',
    side: 'pack',
    packV,
    negativeV: fraction * packV * share,
    positiveV: (1 - fraction) * packV * share,
    meterOhm: 10e6,
  };
};

/** Follows the planner to the leak and counts what it takes. */
function follow(
  truth: number,
  observations: InsulationObservation[],
): { tests: number; found: string | null } {
  const seen = [...observations];
  for (let tests = 0; tests < 14; tests++) {
    const r = report(seen);
    if (r.found) return { tests, found: r.found };
    if (r.next.kind !== 'split') return { tests, found: r.found };
    const [from, to] = r.next.split!.modules;
    const inside = truth >= order.indexOf(from) && truth <= order.indexOf(to);
    for (const link of r.next.split!.opens) seen.push({ kind: 'link', link, open: true });
    seen.push(test(from, to, inside));
  }
  return { tests: 14, found: null };
}

describe('a pack in which nothing points at a leak', () => {
  const whole: InsulationObservation = {
    ...test(order[0]!, order[0]!, false),
    tested: { part: 'pack' },
  } as never;
  it('has no word of one', () => {
    expect(report([whole])).toMatchObject({
      title: 'No leak shows',
      text: 'The whole pack is clean.',
      found: null,
    });
  });
  const half = order.length / 2;
  const [front, rear] = [
    test(order[0]!, order[half - 1]!, false),
    test(order[half]!, order.at(-1)!, false),
  ] as Extract<InsulationObservation, { kind: 'tester' }>[];
  it('has none so far while a part of it was tested for seconds, or loose', () => {
    const short = { ...rear!, points: rear!.points.slice(0, 1) };
    const early = report([front!, short]);
    expect(early.title).toBe('No leak so far');
    expect(early.text).toMatch(new RegExp(`are clean. No leak so far at ${order[half]} to .* \\(15 s\\)`));
    expect(early.next).toMatchObject({
      kind: 'nothing',
      text: expect.stringContaining(`: ${order[half]} to`),
    });
    expect(early.modules.map((m) => m.state)).toEqual(order.map((_, i) => (i < half ? 'clean' : 'so far')));
    expect(report([front!, { ...rear!, mounted: false }]).title).toBe('No leak so far');
    expect(report([front!, rear!])).toMatchObject({ title: 'No leak shows', suspected: false });
    // What was tested again since, mounted, is not told of twice.
    expect(report([front!, { ...rear!, mounted: false }, rear!]).text).not.toMatch(/so far/);
  });
  it('is suspected where a test is doubtful, or the vehicle came with a lamp or a code of it', () => {
    const pinned = {
      ...test(order[3]!, order[3]!, true, 2e6),
      points: [{ timeS: 60, ohm: null, voltageV: 400 }],
    } as InsulationObservation;
    expect(report([front!, rear!, pinned])).toMatchObject({ suspected: true });
    const told = insulationReport(pack, [front!, rear!], { moduleV, reported: true });
    expect(told).toMatchObject({ suspected: true, title: 'Perhaps outside the pack' });
    expect(told.next.kind).toBe('sides');
  });
  it('leaks all the same where it leaked loose, or within seconds', () => {
    const loose = { ...test(order[3]!, order[3]!, true), mounted: false } as InsulationObservation;
    expect(report([loose])).toMatchObject({ found: order[3], suspected: true });
  });
  it('is perhaps not the leak where the vehicle warns all the same', () => {
    const warns: InsulationObservation = { kind: 'vehicle', ohm: 34_000, signalV: null } as never;
    expect(report([whole, warns]).title).not.toBe('No leak shows');
  });
});

describe('a leak in the middle of the string', () => {
  it('is found in three tests or fewer with the terminal voltages, wherever it is', () => {
    const counts = order.map((id, i) => {
      const { tests, found } = follow(i, [poles((i + 0.5) / 12, 6200)]);
      expect(found).toBe(id);
      return tests;
    });
    expect(Math.max(...counts)).toBeLessThanOrEqual(3);
    const blind = order.map(
      (_, i) =>
        follow(i, [{ kind: 'poles', side: 'pack', packV: 348, negativeV: 20, positiveV: 20, meterOhm: 1e5 }])
          .tests,
    );
    const mean = (v: number[]): number => v.reduce((a, b) => a + b, 0) / v.length;
    expect(mean(counts)).toBeLessThan(mean(blind));
  });

  it('reads as the readings say: place, size, limit', () => {
    const r = report([{ kind: 'vehicle', ohm: 9000, signalV: null }, poles(0.42, 6200)]);
    expect(r.vehicle!.state).toBe('stops');
    expect(r.location!.fraction.value).toBeCloseTo(0.42, 6);
    expect(r.title).toMatch(/M06/);
    expect(r.next.kind).toBe('split');
    expect(r.next.split!.expected.minutes).toBeLessThan(r.next.halving!.minutes);
    expect(r.next.halving!.tests).toBeLessThan(r.next.oneByOne!.tests);
  });

  it('measured in the vehicle is told apart from the vehicle side first where it sits at a pole', () => {
    const whole = (fraction: number) =>
      report([{ ...poles(fraction, 1e5), side: 'whole' } as InsulationObservation]);
    expect(whole(0.01).next.kind).toBe('sides');
    expect(whole(0.5).next.kind).toBe('split');
    const outside = report([
      { ...poles(0.01, 1e5), side: 'whole' } as InsulationObservation,
      { ...test('', '', true), tested: { part: 'vehicle' } } as InsulationObservation,
    ]);
    expect(outside.title).toBe('On the vehicle side');
  });
});

describe('two leaks', () => {
  it('are recognised when the string is opened, and the position is not trusted', () => {
    const r = report([poles(0.5, 5000), test('M01', 'M04', true), test('M09', 'M12', true)]);
    expect(r.trust.ok).toBe(false);
    expect(r.title).toBe('Position not to be trusted');
    expect(r.next.kind).toBe('split');
    const inside = report([poles(0.5, 5000), test('M05', 'M08', false), test('M01', 'M02', true)]);
    expect(inside.trust.why).toMatch(/more than one leak/);
  });

  it('are both found', () => {
    const r = report([
      poles(0.5, 5000),
      test('M02', 'M02', true),
      test('M10', 'M10', true),
      test('M03', 'M09', false),
    ]);
    expect(r.found).toBe('M02 and M10');
  });
});

describe('a pass that contradicts the vehicle', () => {
  it('is asked about before anything is called good', () => {
    const r = report([
      { kind: 'vehicle', ohm: 40_000, signalV: null },
      poles(0.4, 30_000),
      test('M01', 'M12', false),
    ]);
    expect(r.contradiction).toMatch(/vehicle reports a leak/);
    expect(r.falsePasses.map((f) => f.id)).toContain('mounted');
    const answered = report([{ kind: 'answer', question: 'mounted', yes: true }]);
    expect(answered.falsePasses.find((f) => f.id === 'mounted')!.yes).toBe(true);
    expect(answered.contradiction).toBe('');
  });
});

describe('limits', () => {
  it('are 100 Ω/V for direct current and 500 where connected to alternating current (R100, ISO 6469-3, FMVSS 305)', () => {
    const ohm = { value: 40_000, low: 39_000, high: 41_000 };
    expect(judgeOhmPerVolt(ohm, 348, pack, 'measured')).toMatchObject({
      verdict: 'within',
      leastOhm: 34_800,
    });
    // Unless somebody chooses otherwise, by the highest voltage the pack has at work: 84 groups of 4.2 V.
    expect(judgeOhmPerVolt(ohm, 348, pack)).toMatchObject({ by: 'working', leastOhm: 35_280 });
    const ac = normalisePack({ ...pilotCar(), acConnected: true });
    expect(judgeOhmPerVolt(ohm, 348, ac)).toMatchObject({ verdict: 'below', leastOhmPerV: 500 });
    expect(judgeOhmPerVolt({ value: 35_000, low: 30_000, high: 40_000 }, 348, pack).verdict).toBe(
      'uncertain',
    );
  });

  it('of the vehicle’s own figure come from the profile, or are usual ones', () => {
    // Met in practice on hybrids of about 300 V, no source: warns below 195 kΩ, no start at about 50 kΩ; of a 5 V
    // signal 4.35 V is fine and a fault is set near 2.5 V.
    expect(judgeVehicleFigure({ ohm: 300e3 }, pack).state).toBe('good');
    expect(judgeVehicleFigure({ ohm: 150e3 }, pack).state).toBe('warns');
    expect(judgeVehicleFigure({ ohm: 49e3 }, pack).state).toBe('stops');
    expect(judgeVehicleFigure({ signalV: 4.35 }, pack).state).toBe('good');
    expect(judgeVehicleFigure({ signalV: 2.5 }, pack).state).toBe('stops');
    const own = normalisePack(withLimit(pilotCar(), 'vehicleWarnOhm', 1e6));
    expect(judgeVehicleFigure({ ohm: 300e3 }, own).state).toBe('warns');
  });
});

describe('the voltage a limit is taken by', () => {
  it('is the highest at work unless somebody chooses the measured one, and both are told', () => {
    const low = poles(0.5, 34_900, 300);
    const careful = report([low]);
    expect(careful.judged!.by).toBe('working');
    expect(careful.judgedElse!.leastOhm).toBe(30_000);
    const chosen = report([low, { kind: 'limit-voltage', by: 'measured' }]);
    expect(chosen.judged!.leastOhm).toBe(30_000);
    expect(chosen.judgedElse!.by).toBe('working');
  });
});

describe('a part of the string measured at its ends', () => {
  // The disconnect is out: the half with the leak holds the chassis, the other shows next to nothing.
  const half = (
    from: string,
    to: string,
    packV: number,
    fraction: number,
    ohm: number,
  ): InsulationObservation => {
    const share = 10e6 / (10e6 + ohm);
    return {
      kind: 'poles',
      side: 'pack',
      section: { from, to },
      packV,
      negativeV: fraction * packV * share,
      positiveV: (1 - fraction) * packV * share,
      meterOhm: 10e6,
    };
  };
  const sum = (r: ReturnType<typeof report>, a: number, b: number): number =>
    r.modules.slice(a, b + 1).reduce((s, m) => s + m.probability, 0);

  it('names the half, and the place in it by its own ladder', () => {
    const r = report([half('M01', 'M06', 174, 0.75, 8000), half('M07', 'M12', 174, 0.5, 200e6)]);
    expect(r.parts.map((p) => p.outcome)).toEqual(['leak', 'pass']);
    expect(sum(r, 0, 5)).toBeGreaterThan(0.95);
    expect(r.modules[4]!.probability).toBeGreaterThan(0.4);
    // Voltages at work are no insulation test: nothing is called clean, but the search goes on in the other half.
    expect(r.modules.some((m) => m.state === 'clean')).toBe(false);
    expect(order.indexOf(r.next.split!.modules[1])).toBeLessThanOrEqual(5);
    // Parts measured apart have the link between them out.
    expect(r.openLinks).toEqual(['L6']);
    expect(r.next.kind).toBe('split');
  });

  it('tells two leaks from one in between', () => {
    const r = report([
      poles(0.5, 5000),
      half('M01', 'M06', 174, 0.5, 9000),
      half('M07', 'M12', 174, 0.5, 9000),
    ]);
    expect(r.trust).toMatchObject({ ok: false });
    expect(r.trust.why).toMatch(/M01 to M06 and M07 to M12 both leak/);
  });
});

describe('the search', () => {
  it('counts links out where parts were tested apart, until they are back in', () => {
    const apart = report([poles(0.4, 6200), test('M05', 'M08', false)]);
    expect(apart.openLinks).toEqual(['L4', 'L8']);
    const back = report([
      poles(0.4, 6200),
      test('M05', 'M08', false),
      { kind: 'link', link: 'L4', open: false },
    ]);
    expect(back.openLinks).toEqual(['L8']);
  });

  it('never tests again what is clean, and says what is left for every way of searching', () => {
    const r = report([poles(0.08, 6200), test('M03', 'M12', false)]);
    expect(r.next.split!.modules).toEqual(['M01', 'M01']);
    expect(r.next.oneByOne).toEqual({ tests: 1, minutes: r.next.oneByOne!.minutes });
    expect(r.next.halving).toEqual(r.next.oneByOne);
  });

  it('names a range where places are equally likely, and no module', () => {
    const blind = (observations: InsulationObservation[]) =>
      report([
        { kind: 'poles', side: 'pack', packV: 348, negativeV: 172, positiveV: 172, meterOhm: 1e5 },
        ...observations,
      ]);
    const even = report([
      { kind: 'poles', side: 'pack', packV: 348, negativeV: 60, positiveV: 60, meterOhm: 10e6 },
      { kind: 'vehicle', ohm: 40_000, signalV: null },
      test('M01', 'M12', true),
    ]);
    expect(even.location!.identifiable).toBe(false);
    expect(even.title).toBe('Anywhere in the string');
    expect(blind([test('M04', 'M09', true)]).title).toMatch(/M0\d/);
    const run = report([
      { kind: 'poles', side: 'pack', packV: 348, negativeV: 60, positiveV: 60, meterOhm: 10e6 },
      test('M04', 'M09', true),
    ]);
    expect(run.title).toBe('Between M04 and M09');
  });

  it('begins where a module stands low, by a scan or by typed voltages', () => {
    const typed = lowestTyped(
      pack,
      pack.modules.map((m) => ({ place: m.id, voltageV: m.id === 'M10' ? 28.955 : 29 })),
    );
    const at = pack.modules.findIndex((m) => m.id === 'M10');
    expect(typed[at]).toBeCloseTo(-45, 6);
    expect(typed.filter((v) => v === 0)).toHaveLength(11);
    const open: InsulationObservation[] = [test('M01', 'M12', true)];
    const hinted = insulationReport(pack, open, { moduleV, lowestMv: typed });
    const share = (r: ReturnType<typeof report>): number => r.modules[order.indexOf('M10')]!.probability;
    expect(share(hinted)).toBeGreaterThan(1.8 * share(report(open)));
    // Two figures compare with nothing.
    expect(
      lowestTyped(pack, [
        { place: 'M01', voltageV: 29 },
        { place: 'M02', voltageV: 20 },
      ]),
    ).toEqual(pack.modules.map(() => null));
  });
});

describe('the size of a leak by several sources', () => {
  it('is what all of them allow, or the whole range and that they do not agree', () => {
    const r = report([
      { kind: 'vehicle', ohm: 65_000, signalV: null },
      poles(0.42, 62_000),
      {
        ...test('M06', 'M06', true),
        points: [{ timeS: 60, ohm: 63_000, voltageV: 63 }],
      } as InsulationObservation,
    ]);
    expect(r.sizes!.sources.map((s) => s.from)).toEqual(['the vehicle', 'two voltages', 'the tester']);
    expect(r.sizes!.agree).toBe(true);
    expect(r.leakOhm!.low).toBeLessThan(62_000);
    expect(r.leakOhm!.low).toBeGreaterThan(48_000);
    expect(r.leakOhm!.high).toBeGreaterThan(62_000);
    expect(r.leakOhm!.high).toBeLessThan(94_000);
    // A vehicle's word may show that a limit is missed, never that it is kept.
    const wide = { ...poles(0.5, 60_000), meterOhm: 10e6 } as InsulationObservation;
    const alone = report([wide]);
    const told = report([{ kind: 'vehicle', ohm: 60_000, signalV: null }, wide]);
    expect(told.regulationOhm!.low).toBe(alone.regulationOhm!.low);
    expect(told.regulationOhm!.high).toBeLessThan(alone.regulationOhm!.high);
    const other = report([{ kind: 'vehicle', ohm: 400_000, signalV: null }, poles(0.42, 50_000)]);
    expect(other.sizes!.agree).toBe(false);
    expect(other.leakOhm!.low).toBeLessThan(50_000);
    expect(other.leakOhm!.high).toBeGreaterThan(400_000);
  });
});

describe('what is seen at a place', () => {
  const at = (id: string): number => pack.modules.findIndex((m) => m.id === id);
  it('ranks causes and names the place it came in by', () => {
    const wet = leakCauses(
      [
        { moduleIndex: at('M01'), evidence: 'water line' },
        { moduleIndex: at('M12'), evidence: 'rust' },
        { moduleIndex: at('M06'), evidence: 'clean and dry' },
      ],
      pack,
    );
    expect(wet.causes[0]!.cause).toBe('water');
    expect(wet.entry).toMatch(/M01, M12 .*at the front end/);
    const acid = leakCauses([{ moduleIndex: at('M06'), evidence: 'swollen or wet pouch' }], pack);
    expect(acid.causes[0]!.cause).toBe('electrolyte');
    expect(acid.entry).toBeNull();
  });

  it('moves the search towards it', () => {
    const blind = report([poles(0.5, 20_000)]);
    const seen = report([poles(0.5, 20_000), { kind: 'seen', module: 'M07', evidence: 'green residue' }]);
    const share = (r: ReturnType<typeof report>): number =>
      r.modules.find((m) => m.moduleIndex === at('M07'))!.probability;
    expect(share(seen)).toBeGreaterThan(share(blind));
  });
});

it('any order of observations gives a report with probabilities of one leak at least, none beyond 1', () => {
  const random = new Random(61);
  for (let k = 0; k < 60; k++) {
    const pick = (): InsulationObservation => {
      const [a, b] = [random.integer(0, 11), random.integer(0, 11)].sort((x, y) => x - y) as [number, number];
      return random.pick([
        test(order[a]!, order[b]!, random.uniform() < 0.5),
        poles(random.uniform(0, 1), 10 ** random.uniform(3, 7)),
        { kind: 'vehicle', ohm: 10 ** random.uniform(3, 7), signalV: null },
        { kind: 'seen', module: order[a]!, evidence: 'rust' },
        { kind: 'link', link: `L${random.integer(1, 11)}`, open: random.uniform() < 0.7 },
      ] as InsulationObservation[]);
    };
    const r = report(Array.from({ length: random.integer(1, 8) }, pick));
    const all = [...r.modules.map((m) => m.probability), r.vehicleSide.probability];
    expect(Math.min(...all)).toBeGreaterThanOrEqual(0);
    expect(Math.max(...all)).toBeLessThanOrEqual(1 + 1e-9);
    expect(all.reduce((a, b) => a + b, 0)).toBeGreaterThan(1 - 1e-6);
  }
});

// That a figure without its test voltage passes nothing is common practice, no source.
it('takes a jotted resistance as a hint where to look, never as a pass', () => {
  const inputs = { moduleV: pack.modules.map(() => 29) };
  const share = (report: ReturnType<typeof insulationReport>, id: string): number =>
    report.modules.find((m) => pack.modules[m.moduleIndex]!.id === id)!.probability;
  const bare = insulationReport(pack, [], inputs);
  const jotted = insulationReport(pack, [], {
    ...inputs,
    jotted: [
      { module: 'M04', ohm: 900e6 },
      { module: 'M07', ohm: 482e6 },
      { module: 'M07', ohm: 5000 },
    ],
  });
  expect(share(jotted, 'M07')).toBeGreaterThan(4 * share(bare, 'M07'));
  expect(share(jotted, 'M04')).toBeLessThan(share(bare, 'M04'));
  expect(share(jotted, 'M04')).toBeGreaterThan(0);
  expect(jotted.modules.every((m) => m.state !== 'clean')).toBe(true);
  expect(jotted.found).toBeNull();
  expect(jotted.jotted).toMatchObject([
    { module: 'M04', low: false, says: expect.stringMatching(/no pass/) as string },
    { module: 'M07', ohm: 5000, low: true },
  ]);
  expect(bare.jotted).toBeUndefined();
});

// What is measured at two moments is common practice of the trade, no source.
describe('figures of two moments', () => {
  const wet = (o: InsulationObservation): InsulationObservation =>
    ({ ...o, wetted: true }) as InsulationObservation;
  const whole = (leaks: boolean): InsulationObservation =>
    ({
      ...(test(order[0]!, order.at(-1)!, leaks, leaks ? 34_000 : 2.1e9) as object),
      kind: 'tester',
      tested: { part: 'pack' },
      ...(leaks ? { points: [{ timeS: 60, ohm: 34_000, voltageV: 40 }] } : {}),
    }) as InsulationObservation;

  it('dry and wet are told apart: the leak of the wet test stands, and what passed dry is no answer to it', () => {
    const r = report([whole(false), wet(whole(true))]);
    expect(r.suspected).toBe(true);
    expect(r.text).toMatch(/Measured wet\.$/);
    expect(r.other).toMatchObject({ state: 'dry', title: 'No leak shows' });
    expect(r.text).not.toMatch(/clean/);
    expect(r.passesNow).toBeUndefined();
    // The other way round as well.
    expect(report([wet(whole(true)), whole(false)])).toMatchObject({ title: r.title, text: r.text });
  });
  it('what leaked dry leaks wet: the place that was found dry stays the place', () => {
    expect(report([test('M06', 'M06', true), wet(whole(true))])).toMatchObject({
      title: 'At M06',
      found: 'M06',
    });
  });
  it('terminals within the limit and a vehicle that warns make no one sentence', () => {
    const r = report([poles(0.4, 3e6), { kind: 'vehicle', ohm: 34_000, signalV: null }]);
    expect(r.text).not.toMatch(/Within the published limit/);
    expect(r.text).toMatch(/not of one moment, or not of one place/);
    const apart = report([poles(0.4, 3e6), { kind: 'vehicle', ohm: 34_000, signalV: null, wetted: true }]);
    expect(apart.text).not.toMatch(/published limit/);
    expect(apart.other).toMatchObject({ state: 'dry' });
  });

  const leak = [test('M06', 'M06', true), { kind: 'seen', module: 'M06', evidence: 'white crust' } as const];
  it('a leak that left with its part is past: the pack as it is was not measured yet', () => {
    const fitted = [{ module: 'M06', after: 2 }];
    const r = insulationReport(pack, leak, { moduleV, fitted, reported: true });
    expect(r).toMatchObject({
      title: 'Not measured since M06 went out',
      found: null,
      before: { title: 'At M06', gone: ['M06'] },
      causes: [],
    });
    const after = insulationReport(pack, [...leak, whole(false)], { moduleV, fitted, reported: true });
    expect(after).toMatchObject({ title: 'No leak shows', found: null });
    expect(after.text).toMatch(/Before: at M06, which went out/);
    expect(after.coverage!.complete).toBe(true);
  });
  it('a leak at another place stays, whatever was replaced', () => {
    const r = insulationReport(pack, leak, { moduleV, fitted: [{ module: 'M03', after: 2 }] });
    expect(r).toMatchObject({ title: 'At M06', found: 'M06', before: null });
    expect(r.coverage!.proven).toEqual([]);
  });
});
