import { describe, expect, it } from 'vitest';
import {
  CHECK_IDS,
  ENDING_IDS,
  EVIDENCE,
  EVIDENCE_IDS,
  MEASURE_KINDS,
  MEASURES,
  measureState,
  routeOf,
  STAGES,
  type Ending,
  type Measure,
  type MeasureKind,
  type RouteFacts,
} from './index';

// What a kind of job asks for, and in which order, is common practice of the trade, no source.

const NOTHING: RouteFacts = {
  complaint: 'drops to limp at 20 %',
  intake: false,
  scans: [],
  headline: '',
  leak: null,
  danger: null,
  output: null,
  stop: null,
  gate: { holds: false, begun: false, ever: false, stillLive: false },
  measures: null,
  elsewhere: '',
  chosen: [],
  levelled: [],
  fitted: [],
  disposed: [],
  checks: [],
  insulationProven: false,
  lockedEvidence: false,
  proved: null,
  comparisonPassed: false,
  handedOver: null,
  reopened: '',
  noted: [],
};
const measure = (kind: MeasureKind, place = '', more: Partial<Measure> = {}): Measure => ({
  id: `${kind} ${place}`,
  kind,
  place,
  why: '',
  closed: false,
  dropped: '',
  ...more,
});

/** What happens in a workshop, one thing after another. */
const HAPPENS: Record<string, (f: RouteFacts, place: string) => Partial<RouteFacts>> = {
  'scanned before': (f) => ({ scans: [...f.scans, { role: 'before' }], headline: 'M07 low capacity' }),
  'scanned after': (f) => ({ scans: [...f.scans, { role: 'after' }] }),
  'proven dead': () => ({ gate: { holds: true, begun: true, ever: true, stillLive: false } }),
  'gate closed again': () => ({ gate: { holds: false, begun: false, ever: true, stillLive: false } }),
  'donor chosen': (f, place) => ({ chosen: [...f.chosen, { place, part: 'S-014' }] }),
  'balance planned': (f, place) => ({ levelled: [...f.levelled, place] }),
  fitted: (f, place) => ({ fitted: [...f.fitted, { place, part: 'S-014' }] }),
  disposed: (f, place) => ({ disposed: [...f.disposed, place] }),
  'module taken out': (f) => ({ takenOut: (f.takenOut ?? 0) + 1 }),
  'insulation passed': () => ({ insulationProven: true }),
  'comparison out of its limits': () => ({ comparisonPassed: false }),
  proven: () => ({ proved: true, comparisonPassed: true }),
  'not proven': () => ({ proved: false }),
  'evidence kept': () => ({ lockedEvidence: true }),
};
const after = (list: Measure[] | null, ...happened: string[]): RouteFacts =>
  happened.reduce<RouteFacts>(
    (f, what) => {
      const [event, place = ''] = what.split(' @ ');
      const check = /^(not )?checked (.+)$/.exec(event!);
      if (check)
        return {
          ...f,
          checks: [
            ...f.checks.filter((c) => c.check !== check[2] || c.place !== place),
            { check: check[2]!, place, passed: !check[1] },
          ],
        };
      return { ...f, ...HAPPENS[event!]!(f, place) };
    },
    { ...NOTHING, measures: list },
  );

interface Story {
  job: string;
  list: Measure[];
  /** What happens, and what the board says is next once it has. */
  course: [happens: string, next: string][];
  ends: Ending;
}

const STORIES: Story[] = [
  {
    job: 'one module of a car is replaced',
    list: [measure('replace-module', 'M07')],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Strip down'],
      ['checked reached @ M07', 'Choose a module'],
      ['donor chosen @ M07', 'Plan balance'],
      ['balance planned @ M07', 'Fit it'],
      ['fitted @ M07', 'Tighten and mark'],
      ['checked joints @ M07', 'Bench-wake'],
      ['checked wakes', 'Test insulation'],
      ['insulation passed', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'flooded at a corner: a board, two modules dried, one replaced',
    list: [
      measure('replace-board', 'B2'),
      measure('dry', 'M05'),
      measure('dry', 'M06'),
      measure('replace-module', 'M07'),
    ],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Strip down'],
      ['checked reached @ B2', 'Strip down'],
      ['checked reached @ M05', 'Strip down'],
      ['checked reached @ M06', 'Strip down'],
      ['checked reached @ M07', 'Find the cause'],
      ['checked cause @ M05', 'Find the cause'],
      ['checked cause @ M06', 'Dry it'],
      ['checked dried @ M05', 'Dry it'],
      ['checked dried @ M06', 'Insulation of the part'],
      ['checked part-insulation @ M05', 'Insulation of the part'],
      ['checked part-insulation @ M06', 'Choose a module'],
      ['donor chosen @ M07', 'Plan balance'],
      ['balance planned @ M07', 'Fit it'],
      ['fitted @ M07', 'Tighten and mark'],
      ['checked joints @ M05', 'Tighten and mark'],
      ['checked joints @ M06', 'Tighten and mark'],
      ['checked joints @ M07', 'Board replies'],
      ['checked board-answers @ B2', 'Bench-wake'],
      ['checked wakes', 'Test insulation'],
      ['insulation passed', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'a joint is mended',
    list: [measure('mend-joint', 'L4')],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Strip down'],
      ['checked reached @ L4', 'Tighten and mark'],
      ['checked joints @ L4', 'Test insulation'],
      ['insulation passed', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'the vehicle balances it by itself',
    list: [measure('balance', 'M11', { closed: true })],
    course: [
      ['scanned before', 'Balance'],
      ['checked levelled @ M11', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'hybrid sticks are conditioned on the bench',
    list: [measure('condition', 'M02'), measure('condition', 'M03')],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Strip down'],
      ['checked reached @ M02', 'Strip down'],
      ['checked reached @ M03', 'Bench run'],
      ['checked bench-result @ M02', 'Bench run'],
      ['checked bench-result @ M03', 'Tighten and mark'],
      ['checked joints @ M02', 'Tighten and mark'],
      ['checked joints @ M03', 'Test insulation'],
      ['insulation passed', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'a pyro fuse that opened, and the valve that let water in',
    list: [measure('replace-fuse', 'pyro fuse'), measure('seal', 'valve 2')],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Strip down'],
      ['checked reached @ pyro fuse', 'Find the cause'],
      ['checked cause @ valve 2', 'Fit it'],
      ['fitted @ pyro fuse', 'Continuity'],
      ['checked continuity @ pyro fuse', 'Seal it'],
      ['checked sealed @ valve 2', 'Test insulation'],
      ['insulation passed', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'coolant in the pack',
    list: [measure('coolant', 'plate 1')],
    course: [
      ['proven dead', 'Leak test'],
      ['checked coolant-tight @ plate 1', 'Test insulation'],
      ['insulation passed', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'over-discharged, brought up under watch',
    list: [measure('recover', 'M01')],
    course: [
      ['proven dead', 'Supervised charge'],
      ['checked recovery @ M01', 'Hold test'],
      ['not checked hold-test @ M01', 'Hold test'],
      ['checked hold-test @ M01', 'Test insulation'],
      ['insulation passed', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'a whole used pack goes in',
    list: [measure('whole-pack')],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Check the pack'],
      ['checked pack-chosen', 'Fit the pack'],
      ['checked pack-fitted', 'Test insulation'],
      ['insulation passed', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'work was done by another workshop, proven here',
    list: [measure('replace-module', 'M07')],
    course: [
      ['scanned before', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
  {
    job: 'aged but even',
    list: [measure('monitor')],
    course: [],
    ends: 'monitored',
  },
  { job: 'the owner declines, nothing scanned', list: [measure('decline')], course: [], ends: 'declined' },
  {
    job: 'a used pack to be priced',
    list: [measure('appraise')],
    course: [['scanned before', 'Hand over']],
    ends: 'appraised',
  },
  {
    job: 'crash-locked 48 V',
    list: [measure('specialist')],
    course: [['evidence kept', 'Hand over']],
    ends: 'handed-on',
  },
  {
    job: 'three dead modules are scrapped',
    list: [measure('scrap', 'M01'), measure('scrap', 'M02'), measure('scrap', 'M03')],
    course: [
      ['proven dead', 'Dispose'],
      ['disposed @ M01', 'Dispose'],
      ['disposed @ M02', 'Dispose'],
      ['disposed @ M03', 'Hand over'],
    ],
    ends: 'scrapped',
  },
  {
    job: 'a whole pack is scrapped',
    list: [measure('scrap-pack')],
    course: [
      ['proven dead', 'Hand it to who may take it'],
      ['checked pack-away', 'Hand over'],
    ],
    ends: 'scrapped',
  },
  {
    job: 'a pack is salvaged for parts, which stand in the record',
    list: [measure('salvage')],
    course: [
      ['proven dead', 'Keep what is sound'],
      ['checked parts-kept', 'Keep what is sound'],
      ['module taken out', 'Hand it to who may take it'],
      ['checked pack-away', 'Hand over'],
    ],
    ends: 'scrapped',
  },
  {
    job: 'a pack is exchanged against another, and the core goes back',
    list: [measure('exchange')],
    course: [
      ['scanned before', 'Make safe'],
      ['proven dead', 'Check the pack'],
      ['checked pack-chosen', 'Fit the pack'],
      ['checked pack-fitted', 'Test insulation'],
      ['insulation passed', 'Return the core'],
      ['checked core-returned', 'Scan again'],
      ['scanned after', 'Compare'],
      ['proven', 'Hand over'],
    ],
    ends: 'repaired',
  },
];

describe.each(STORIES)('$job', ({ job, list, course, ends }) => {
  const elsewhere = job.includes('another workshop') ? 'Hall 4, by T. Rook' : '';
  const until = (n: number): RouteFacts => ({
    ...after(list, ...course.slice(0, n).map(([h]) => h)),
    elsewhere,
  });
  it('is told what is next at every step', () => {
    const told = course.map((_, i) => routeOf(until(i + 1)).next.need);
    expect(told).toEqual(course.map(([, next]) => next));
  });
  it(`may end as ${ends} at its end, not before, and as nothing else`, () => {
    for (let n = 0; n <= course.length; n++) {
      const { endings } = routeOf(until(n));
      const may = ENDING_IDS.filter((e) => endings[e].length === 0);
      expect(may, course[n - 1]?.[0] ?? 'at the start').toEqual(n === course.length ? [ends] : []);
    }
  });
  it('contradicts nothing, and is closed once the sheet is signed', () => {
    const done = { ...until(course.length), handedOver: ends };
    expect(routeOf(done)).toMatchObject({ contradictions: [], next: { need: 'Closed' } });
    expect(routeOf(done).stages['hand-over'].state).toBe('done');
  });
});

it('has a story for every kind of measure and every ending', () => {
  const told = new Set(STORIES.flatMap((s) => s.list.map((m) => m.kind)));
  expect([...MEASURE_KINDS].filter((k) => !told.has(k))).toEqual([]);
  expect(ENDING_IDS.filter((e) => !STORIES.some((s) => s.ends === e))).toEqual([]);
});

describe('safety cannot be talked away', () => {
  const repaired = (f: RouteFacts): string[] => routeOf(f).endings.repaired;
  const all = STORIES[0]!.course.map(([h]) => h);
  const without = (event: string): RouteFacts => after(STORIES[0]!.list, ...all.filter((h) => h !== event));

  it('a pack that was never made safe is not handed over as repaired', () => {
    expect(repaired(without('proven dead'))).toContain('The pack is proven dead before it is opened.');
  });
  it('unless somebody signs that the work was done elsewhere', () => {
    expect(repaired({ ...without('proven dead'), elsewhere: 'by the maker’s dealer, order 81' })).toEqual([]);
  });
  // What is fitted somewhere was laid free before: that one follows from another.
  it('every piece of evidence counts: leaving out any one keeps the job open', () => {
    for (const event of all.filter((h) => !['scanned before', 'checked reached @ M07'].includes(h)))
      expect(repaired(without(event)), event).not.toEqual([]);
  });
  it('work inside waits for the gate to hold now, not only once', () => {
    const closed = { ...after(STORIES[0]!.list, 'scanned before', 'proven dead', 'gate closed again') };
    expect(routeOf(closed).next).toMatchObject({ need: 'Choose a module' });
    const chosen = { ...closed, chosen: [{ place: 'M07', part: 'S-014' }], levelled: ['M07'] };
    expect(routeOf(chosen).next).toMatchObject({ need: 'Make safe', stage: 'make-safe' });
    expect(routeOf(chosen).stages.rebuild).toEqual({ state: 'blocked', note: 'gate' });
  });
  it('a stop or an output nobody could reach comes before everything and keeps every job open', () => {
    const done = after(STORIES[0]!.list, ...all);
    expect(routeOf({ ...done, stop: 'smoke' }).next).toMatchObject({ need: 'Stopped', stage: 'make-safe' });
    expect(routeOf({ ...done, output: 'Tester 2' }).next.need).toBe('Switch it off');
    for (const e of ENDING_IDS) {
      expect(routeOf({ ...done, stop: 'smoke' }).endings[e]).not.toEqual([]);
      expect(routeOf({ ...done, output: 'Tester 2' }).endings[e]).not.toEqual([]);
    }
  });
  it('a module that is still to be scrapped keeps every other ending open, but not the owner who declines', () => {
    const list = [measure('monitor'), measure('scrap', 'M01'), measure('decline')];
    const { endings } = routeOf(after(list, 'proven dead'));
    expect(endings.monitored.join()).toMatch(/To be done still: scrap M01/);
    expect(endings.declined).toEqual([]);
    expect(routeOf(after(list, 'proven dead', 'disposed @ M01')).endings.monitored).toEqual([]);
  });
  it('a crash-locked pack is not handed over as repaired beside its way to the specialist', () => {
    const both = after([measure('specialist'), measure('balance', 'M01', { closed: true })], 'evidence kept');
    expect(repaired(both).join()).toMatch(/licensed specialist/);
  });
});

describe('an ending is judged measure by measure', () => {
  const replace = measure('replace-module', 'M07');
  const replaced = [
    'scanned before',
    'proven dead',
    'checked reached @ M07',
    'donor chosen @ M07',
    'balance planned @ M07',
    'fitted @ M07',
    'checked joints @ M07',
    'checked wakes',
    'insulation passed',
  ];
  const proven = ['scanned after', 'proven'];
  const watch = measure('monitor');
  const drop = { dropped: 'the owner leaves it' };
  /** Which endings are open, of a list and what happened. */
  it.each<[string, Measure[], string[], Ending[]]>([
    ['nothing done, to be watched', [watch], [], ['monitored']],
    ['replaced and proven', [replace], [...replaced, ...proven], ['repaired']],
    ['replaced, not compared', [replace], replaced, []],
    [
      'replaced and proven, watched as well',
      [replace, watch],
      [...replaced, ...proven],
      ['repaired', 'monitored'],
    ],
    [
      'replaced, 20 mV are left, watched',
      [replace, watch],
      [...replaced, 'scanned after', 'not proven'],
      ['monitored'],
    ],
    ['replaced, not compared, watched', [replace, watch], replaced, ['monitored']],
    ['replaced but not tested, watched', [replace, watch], replaced.slice(0, -1), []],
    ['fitted only, watched', [replace, watch], replaced.slice(0, 6), []],
    ['not begun, watched', [replace, watch], ['scanned before'], []],
    ['not begun and dropped, watched', [{ ...replace, ...drop }, watch], ['scanned before'], ['monitored']],
    ['not begun, declined', [replace, measure('decline')], ['scanned before'], ['declined']],
    [
      'replaced, the rest declined',
      [replace, measure('dry', 'M05'), measure('decline')],
      replaced,
      ['declined'],
    ],
    [
      'replaced and proven, one scrapped',
      [replace, measure('scrap', 'M01')],
      [...replaced, ...proven, 'disposed @ M01'],
      ['repaired', 'scrapped'],
    ],
    [
      'replaced and proven, one still to scrap',
      [replace, measure('scrap', 'M01')],
      [...replaced, ...proven],
      [],
    ],
    ['scrapped only', [measure('scrap', 'M01')], ['proven dead', 'disposed @ M01'], ['scrapped']],
    [
      'appraised after a repair',
      [replace, measure('appraise')],
      [...replaced, ...proven],
      ['repaired', 'appraised'],
    ],
    ['appraised before a repair', [replace, measure('appraise')], ['scanned before'], []],
    ['appraised', [measure('appraise')], ['scanned before'], ['appraised']],
    [
      'locked, its fuse still to be changed',
      [measure('specialist'), measure('replace-fuse', 'pyro')],
      ['evidence kept'],
      [],
    ],
    ['locked', [measure('specialist')], ['evidence kept'], ['handed-on']],
  ])('%s', (_, list, happened, ends) => {
    const { endings } = routeOf(after(list, ...happened));
    expect(ENDING_IDS.filter((e) => endings[e].length === 0).sort()).toEqual([...ends].sort());
  });
  it('a module that was put in is done, whatever the comparison said', () => {
    const state = (...happened: string[]): string => {
      const list = [replace, watch];
      return measureState(routeOf(after(list, ...happened)).steps, replace.id);
    };
    expect(state('scanned before')).toBe('open');
    expect(state(...replaced)).toBe('done');
    expect(state(...replaced, 'scanned after', 'not proven')).toBe('done');
    expect(state(...replaced, ...proven)).toBe('proven');
  });
  it('parts that are off keep it from going back to be watched', () => {
    const f = { ...after([watch]), partsOff: ['lid'] };
    expect(routeOf(f).endings.monitored.join()).toMatch(/lid is still off/);
  });
  it('what is not proven goes back to the findings only while no ending is open', () => {
    const f = [...replaced, 'scanned after', 'not proven'];
    expect(routeOf(after([replace], ...f)).next.need).toBe('Not proven');
    expect(routeOf(after([replace, watch], ...f)).next).toMatchObject({ need: 'Hand over' });
  });
});

describe('signed, and not borne out', () => {
  it('a module signed as replaced with nothing fitted there', () => {
    const f = after([measure('replace-module', 'M19')], 'scanned before', 'scanned after', 'proven');
    expect(routeOf(f).contradictions).toContain(
      'Signed as proven with M19 to be replaced, and nothing is fitted there.',
    );
    expect(routeOf({ ...f, handedOver: 'repaired' }).contradictions.join()).toMatch(
      /Handed over as repaired.*replace module M19.*proven dead/,
    );
  });
  it('a donor for a place that is not replaced any more, and a part nobody decided on', () => {
    const list = [measure('replace-module', 'M07', { dropped: 'the owner declines' }), measure('decline')];
    const f = { ...after(list, 'donor chosen @ M07'), fitted: [{ place: 'M08', part: 'S-022' }] };
    expect(routeOf(f).contradictions).toEqual([
      'S-014 is chosen for M07, which is not to be replaced any more.',
      'S-022 was fitted at M08, and no measure says so.',
    ]);
  });
  it('a proof whose comparison has fallen out of its limits', () => {
    const f = after(
      [measure('balance', 'M11', { closed: true })],
      'scanned after',
      'proven',
      'comparison out of its limits',
    );
    expect(routeOf(f).contradictions.join()).toMatch(/not within its limits/);
  });
});

describe('before anything is decided', () => {
  it('a leak comes before a scan, a dangerous voltage before a comparison', () => {
    expect(routeOf(NOTHING).next).toMatchObject({ need: 'Scan', detail: NOTHING.complaint });
    expect(routeOf({ ...NOTHING, leak: { title: 'Most likely at M06', found: null } }).next).toMatchObject({
      need: 'Find the leak',
      stage: 'insulation',
    });
    expect(routeOf({ ...NOTHING, leak: { title: '', found: 'M06' } }).next.detail).toMatch(/^Leak at M06\./);
    expect(routeOf({ ...NOTHING, danger: 'M01 0.02 V: dead.' }).next.need).toBe('Look first');
    expect(routeOf(after(null, 'scanned before')).next).toMatchObject({
      need: 'Decide',
      detail: 'M07 low capacity. What is to be done?',
    });
  });
  it('the gate closes what opens the pack, and shows a proof for what it is', () => {
    expect(routeOf(NOTHING).stages['strip-down']).toEqual({ state: 'blocked', note: 'gate' });
    const open = routeOf(after(null, 'proven dead')).stages;
    expect(open['strip-down'].state).toBe('nothing');
    expect(open['make-safe']).toEqual({ state: 'done', note: 'dead' });
    const live = { ...NOTHING, gate: { holds: true, begun: true, ever: true, stillLive: true } };
    expect(routeOf(live).stages['make-safe'].note).toBe('still live');
  });
  it('shows stages with notes as in work', () => {
    expect(routeOf({ ...NOTHING, noted: ['bench'] }).stages.bench.state).toBe('work');
    // What was taken off has to go on again before anything ends as repaired.
    const gate = { holds: true, begun: true, ever: true, stillLive: true };
    const apart = routeOf({ ...NOTHING, gate, partsOff: ['Lid', 'Bus-bar L7'] });
    expect(apart.stages.rebuild).toEqual({ state: 'work', note: '2 to go on' });
    const replaced = {
      id: 'm1',
      kind: 'replace-module',
      place: 'M03',
      why: '',
      closed: false,
      dropped: '',
    } as const;
    expect(
      routeOf({ ...NOTHING, gate, measures: [replaced], partsOff: ['Lid', 'Bus-bar L7'] }).endings.repaired,
    ).toContain('2 parts are still off: Lid, Bus-bar L7.');
  });
});

it('a code that comes back opens the job again', () => {
  const done = {
    ...after(STORIES[0]!.list, ...STORIES[0]!.course.map(([h]) => h)),
    handedOver: 'repaired' as const,
  };
  expect(routeOf(done).next.need).toBe('Closed');
  const again = routeOf({ ...done, reopened: 'P0A80 is back' });
  expect(again.next).toMatchObject({ need: 'Decide', stage: 'findings' });
  expect(again.next.detail).toMatch(/^Open again: P0A80 is back\./);
  expect(again.stages.findings).toEqual({ state: 'reopened', note: 'open again' });
});

it('a joint that stands out among its like is named, and holds the job until it is made again', () => {
  const { list, course } = STORIES[0]!;
  const till = course.findIndex(([, next]) => next === 'Bench-wake');
  const f = after(list, ...course.slice(0, till + 1).map(([h]) => h));
  expect(routeOf(f).next.need).toBe('Bench-wake');
  const { next, endings } = routeOf({ ...f, remake: ['L6', 'L7'] });
  expect(next).toMatchObject({ need: 'Tighten and mark', stage: 'rebuild' });
  expect(next.detail).toMatch(/^L6, L7: more than twice what like joints have\./);
  expect(endings.repaired.length).toBeGreaterThan(0);
});

describe('a proof that failed', () => {
  const failing = [{ stage: 'bench' as const, says: 'Blocks under load: 1.2 V apart under load.' }];
  const repaired: RouteFacts = {
    ...NOTHING,
    intake: true,
    scans: [{ role: 'before' }],
    measures: [measure('condition', 'M07')],
    failing,
  };
  it('reopens its stage and asks for it first', () => {
    const route = routeOf(repaired);
    expect(route.next).toEqual({
      need: 'Not right yet',
      detail: 'Blocks under load: 1.2 V apart under load. Put it right, then look again.',
      stage: 'bench',
    });
    expect(route.stages.bench).toEqual({ state: 'reopened', note: 'failed its proof' });
    expect(routeOf({ ...repaired, failing: [] }).next.need).not.toBe('Not right yet');
  });
  it('gives way to a Stop, to somebody who signed all the same, and to a job that is closed', () => {
    expect(routeOf({ ...repaired, stop: 'smoke' }).next.need).toBe('Stopped');
    expect(routeOf({ ...repaired, proved: true }).stages.bench.state).not.toBe('reopened');
    expect(routeOf({ ...repaired, handedOver: 'repaired' }).next.need).toBe('Closed');
  });
});

describe('the registries hold together', () => {
  it('every measure asks for known evidence, in the order of work, and every evidence has a stage', () => {
    for (const kind of MEASURE_KINDS) {
      const order = MEASURES[kind].needs.map((n) => EVIDENCE_IDS.indexOf(n));
      expect(
        order.every((i) => i >= 0),
        kind,
      ).toBe(true);
    }
    for (const id of EVIDENCE_IDS) expect(STAGES).toContain(EVIDENCE[id].stage);
  });
  it('every evidence is asked for by some measure', () => {
    const asked = new Set<string>(MEASURE_KINDS.flatMap((k) => [...MEASURES[k].needs]));
    expect(EVIDENCE_IDS.filter((id) => !asked.has(id))).toEqual([]);
    expect(CHECK_IDS.every((id) => EVIDENCE[id].check)).toBe(true);
  });
  it('every measure that opens the pack asks for the gate before its other work inside', () => {
    for (const kind of MEASURE_KINDS) {
      const needs = MEASURES[kind].needs.map((n) => EVIDENCE[n]);
      if (needs.some((e) => e.stage === 'strip-down' || e.stage === 'rebuild'))
        expect(MEASURES[kind].needs, kind).toContain('made-safe');
    }
  });
});
