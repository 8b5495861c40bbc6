import type { Pack } from '../pack';
import { linksInOrder } from '../safety/exposure';
import { fuseEvidence, type FuseEvidence } from '../safety/fuse';
import { EVIDENCE, leakCauses, type CauseRow, type Evidence } from './causes';
import { knownResistor, type KnownResistorResult } from './knownResistor';
import {
  judgeOhmPerVolt,
  judgeVehicleFigure,
  USUAL_MODULE_OHM,
  type Judged,
  type VehicleJudged,
} from './limits';
import {
  locateLeak,
  moduleFractions,
  moduleProbabilities,
  type Interval,
  type LeakLocation,
} from './location';
import {
  FALSE_PASSES,
  judgeSeries,
  seriesQuery,
  type FalsePass,
  type SeriesPoint,
  type SeriesResult,
} from './series';
import { afterTest, expectedOf, halving, oneByOne, planSplit, type Expected, type SplitTest } from './split';

/** What was tested: a run of modules in string order, everything in the vehicle but the pack, or the whole pack. */
export type TestedPart =
  { part: 'section'; from: string; to: string } | { part: 'vehicle' } | { part: 'pack' };

/** What people and instruments observed of a leak. */
export type InsulationObservation =
  | { kind: 'vehicle'; ohm: number | null; signalV: number | null }
  | {
      kind: 'poles';
      side: 'whole' | 'pack' | 'vehicle';
      packV: number;
      negativeV: number;
      positiveV: number;
      meterOhm: number;
    }
  | {
      kind: 'known-resistor';
      higher: 'negative' | 'positive';
      v1: number;
      v2: number;
      v1WithR0: number;
      r0Ohm: number;
      packV: number | null;
    }
  | {
      kind: 'tester';
      tested: TestedPart;
      setV: number;
      points: SeriesPoint[];
      temperatureC: number | null;
      mounted: boolean;
    }
  | { kind: 'seen'; module: string; evidence: Evidence }
  | { kind: 'answer'; question: FalsePass; yes: boolean }
  | { kind: 'fuse'; fuse: 'main' | 'pyro'; ohm: number | null }
  | { kind: 'link'; link: string; open: boolean };

export interface TestRow {
  label: string;
  part: TestedPart['part'];
  /** Positions in the string, inclusive; −1 for the vehicle side. */
  from: number;
  to: number;
  mounted: boolean;
  setV: number;
  points: SeriesPoint[];
  result: SeriesResult;
  /** Figures that do not belong together, as a question. */
  query: string;
}
export interface ModuleInsulation {
  moduleIndex: number;
  probability: number;
  state: 'clean' | 'leak' | 'suspect' | 'not split';
  ohm: number | null;
}
export interface NextSplit {
  modules: [string, string];
  opens: string[];
  minutes: number;
  expected: Expected;
}
export interface InsulationReport {
  packV: number;
  vehicle: VehicleJudged | null;
  location: LeakLocation | null;
  known: KnownResistorResult | null;
  /** The leak's own resistance, by the best of what was measured. */
  leakOhm: Interval | null;
  /** The regulation's figure, by which limits are judged. */
  regulationOhm: Interval | null;
  judged: Judged | null;
  tests: TestRow[];
  modules: ModuleInsulation[];
  vehicleSide: { probability: number; state: 'open' | 'clean' | 'leak' };
  /** Two leaks look like one in between until the string is opened. */
  trust: { ok: boolean; why: string };
  title: string;
  text: string;
  found: string | null;
  next: {
    kind: 'poles' | 'sides' | 'split' | 'found' | 'nothing';
    text: string;
    split: NextSplit | null;
    others: NextSplit[];
    halving: Expected | null;
    oneByOne: Expected | null;
  };
  contradiction: string;
  falsePasses: { id: FalsePass; question: string; trap: string; yes: boolean | null }[];
  causes: CauseRow[];
  entry: string | null;
  fuses: { fuse: 'main' | 'pyro'; evidence: FuseEvidence }[];
  openLinks: string[];
}

/** Minutes of one insulation test. Common practice, no source. */
export const TEST_MIN = 6;
/** Share of leaks that sit outside the pack, before anything is measured. From memory. */
const VEHICLE_SHARE = 0.35;
/** Parts outside the pack hang on a pole: a leak elsewhere along the string is inside. */
const AT_A_POLE = 0.035;
const FOUND_SHARE = 0.9;
const WORTH_SIDES = 0.08;

export interface InsulationInputs {
  /** Voltage of every module, V, by module index. */
  moduleV: number[];
  /** Lowest channel of each module against the pack's median, mV, where a scan tells it. */
  lowestMv?: (number | null)[] | undefined;
}

/** Everything known of a leak: judged, located, and the test that finds it soonest. Pure. */
export function insulationReport(
  pack: Pack,
  observations: readonly InsulationObservation[],
  { moduleV, lowestMv }: InsulationInputs,
): InsulationReport {
  const packVolts = moduleV.reduce((a, b) => a + b, 0);
  const last = <K extends InsulationObservation['kind']>(kind: K) =>
    [...observations].reverse().find((o) => o.kind === kind) as
      Extract<InsulationObservation, { kind: K }> | undefined;
  const order = pack.stringOrder;
  const position = new Map(order.map((m, i) => [pack.modules[m]!.id, i]));
  const idAt = (i: number): string => pack.modules[order[i]!]!.id;

  const figure = last('vehicle');
  const vehicle = !figure
    ? null
    : figure.ohm !== null
      ? judgeVehicleFigure({ ohm: figure.ohm }, pack)
      : figure.signalV !== null
        ? judgeVehicleFigure({ signalV: figure.signalV }, pack)
        : null;
  const poles = [...observations]
    .reverse()
    .find(
      (o): o is Extract<InsulationObservation, { kind: 'poles' }> =>
        o.kind === 'poles' && o.side !== 'vehicle',
    );
  const location = poles ? locateLeak(poles) : null;
  const resistor = last('known-resistor');
  const known = resistor ? knownResistor({ ...resistor, packV: resistor.packV ?? undefined }) : null;
  const packV = poles?.packV ?? packVolts;
  // What the terminals see, for one leak at share f, is the leak itself; the regulation divides by the larger share.
  const regulationOhm = known ? known.regulationOhm : location ? overLargerShare(location) : null;
  const judged = regulationOhm ? judgeOhmPerVolt(regulationOhm, packV, pack) : null;

  const tests = observations
    .filter((o): o is Extract<InsulationObservation, { kind: 'tester' }> => o.kind === 'tester')
    .map((o) => judgeTest(o, pack, position, packVolts));

  const places = moduleFractions(pack, moduleV);
  const byModule = moduleProbabilities(pack, moduleV, location);
  const seen = observations.filter(
    (o): o is Extract<InsulationObservation, { kind: 'seen' }> => o.kind === 'seen',
  );
  const weight = order.map((m) => {
    const marks = seen.filter((s) => s.module === pack.modules[m]!.id);
    const strength = marks.reduce(
      (s, k) => s + Object.values(EVIDENCE[k.evidence]).reduce<number>((a, b) => a + b, 0),
      0,
    );
    const clean = marks.some((k) => k.evidence === 'clean and dry') && strength === 0 ? 0.7 : 1;
    const low = lowestMv?.[m];
    const hint = low != null && low < -15 ? Math.min(2.5, 1 + (-low - 15) / 20) : 1;
    return clean * (1 + strength) * hint;
  });
  const atPole =
    location === null ? null : location.fraction.low < AT_A_POLE || location.fraction.high > 1 - AT_A_POLE;
  let vehicleP = poles?.side === 'pack' ? 0.02 : atPole === null ? VEHICLE_SHARE : atPole ? 0.6 : 0.06;
  let p = order.map((m, i) => byModule[m]! * weight[i]!);
  p = scaled(p, 1 - vehicleP);

  const leaks: TestRow[] = [];
  for (const t of tests) {
    const both = [...p, vehicleP];
    const outcome = t.result.verdict;
    const range: [number, number] =
      t.part === 'vehicle' ? [p.length, p.length] : t.part === 'pack' ? [0, p.length - 1] : [t.from, t.to];
    const next = afterTest(both, range[0], range[1], outcome);
    p = next.slice(0, p.length);
    vehicleP = next[p.length]!;
    if (outcome === 'leak') leaks.push(t);
  }
  const trust = trustOf(tests, leaks, location, places, order);
  if (!trust.ok && leaks.length > 0) {
    // The position says nothing then: only what was tested counts, in the smallest part that leaks and is still whole.
    const whole = leaks.filter((t) => t.part === 'section').sort((a, b) => a.to - a.from - (b.to - b.from));
    const part = whole.find((t) => t.to > t.from) ?? whole[0];
    if (part) {
      p = weight.map((w, i) => (i >= part.from && i <= part.to ? w : 0.001 * w));
      for (const t of tests)
        if (t.part === 'section' && t.result.verdict === 'pass') p = afterTest(p, t.from, t.to, 'pass');
      p = scaled(p, 1);
      vehicleP = 0;
    }
  }

  const single = leaks.filter((t) => t.part === 'section' && t.from === t.to);
  const best = p.indexOf(Math.max(...p));
  // Voltages alone find nothing for certain: a test has to agree.
  const tested = tests.some((t) => t.result.verdict === 'leak' || t.result.verdict === 'pass');
  const foundAt =
    single.length > 0 ? single.map((t) => t.from) : tested && p[best]! >= FOUND_SHARE ? [best] : [];
  const openLeak = leaks.some(
    (t) => t.part === 'section' && t.from < t.to && !single.some((s) => s.from >= t.from && s.from <= t.to),
  );
  const found = foundAt.length > 0 && !openLeak ? foundAt.map(idAt).join(' and ') : null;
  const vehicleState: 'open' | 'clean' | 'leak' = tests.some(
    (t) => t.part === 'vehicle' && t.result.verdict === 'leak',
  )
    ? 'leak'
    : tests.some((t) => t.part === 'vehicle' && t.result.verdict === 'pass') || vehicleP < 0.02
      ? 'clean'
      : 'open';

  const modules = order.map((m, i): ModuleInsulation => {
    const own = tests.filter((t) => t.part === 'section' && i >= t.from && i <= t.to);
    const cleanTest = [...own].reverse().find((t) => t.result.verdict === 'pass');
    const leakTest = own.find((t) => t.result.verdict === 'leak' && t.from === t.to);
    return {
      moduleIndex: m,
      probability: p[i]!,
      state: leakTest
        ? 'leak'
        : cleanTest && p[i]! < 0.2
          ? 'clean'
          : p[i]! >= Math.max(0.15, 2 / order.length)
            ? 'suspect'
            : 'not split',
      ohm: (leakTest ?? cleanTest)?.result.ohm ?? null,
    };
  });

  const links = linksInOrder(pack);
  const openLinks = openNow(observations);
  const linkMin = links.map((l) =>
    !l ? Infinity : openLinks.includes(l.id) ? 0 : (l.accessMin ?? TEST_MIN),
  );
  const next = nextStep({
    p,
    vehicleP,
    vehicleState,
    linkMin,
    links: links.map((l) => l?.id ?? ''),
    idAt,
    found,
    measured: location !== null || tests.length > 0,
  });
  const bad =
    vehicle !== null && vehicle.state !== 'good'
      ? 'the vehicle reports a leak'
      : judged?.verdict === 'below'
        ? 'the terminals show a leak'
        : '';
  const covered = order.every((_, i) =>
    tests.some(
      (t) =>
        t.result.verdict === 'pass' &&
        ((t.part === 'section' && i >= t.from && i <= t.to) || t.part === 'pack'),
    ),
  );
  const contradiction =
    bad !== '' && covered && vehicleState !== 'leak'
      ? `Every part of the pack passes, but ${bad}. Before it is called good:`
      : '';
  const answers = new Map(
    observations.flatMap((o) => (o.kind === 'answer' ? [[o.question, o.yes] as const] : [])),
  );
  const cause = leakCauses(
    seen.map((s) => ({ moduleIndex: order[position.get(s.module) ?? 0]!, evidence: s.evidence })),
    pack,
  );
  return {
    packV,
    vehicle,
    location,
    known,
    leakOhm: known
      ? {
          value: known.leakOhm,
          low: (known.regulationOhm.low * known.leakOhm) / Math.max(1e-9, known.regulationOhm.value),
          high: (known.regulationOhm.high * known.leakOhm) / Math.max(1e-9, known.regulationOhm.value),
        }
      : (location?.equivalentOhm ?? null),
    regulationOhm,
    judged,
    tests,
    modules,
    vehicleSide: { probability: vehicleP, state: vehicleState },
    trust,
    ...headline({ found, p, idAt, location, vehicleP, vehicleState, trust, tests, judged }),
    found,
    next,
    contradiction,
    falsePasses: FALSE_PASSES.map((f) => ({ ...f, yes: answers.get(f.id) ?? null })),
    causes: cause.causes,
    entry: cause.entry,
    fuses: observations.flatMap((o) =>
      o.kind === 'fuse' ? [{ fuse: o.fuse, evidence: fuseEvidence(o.fuse, o.ohm ?? Infinity) }] : [],
    ),
    openLinks,
  };
}

/** Links that are out now: the newest word of each counts. */
export function openNow(observations: readonly InsulationObservation[]): string[] {
  const state = new Map<string, boolean>();
  for (const o of observations) if (o.kind === 'link') state.set(o.link, o.open);
  return [...state].filter(([, open]) => open).map(([id]) => id);
}

const scaled = (p: number[], to: number): number[] => {
  const total = p.reduce((a, b) => a + b, 0);
  return p.map((x) => (total > 0 ? (x / total) * to : to / p.length));
};

function overLargerShare(l: LeakLocation): Interval {
  const share = (f: number): number => Math.max(f, 1 - f);
  const { low, high, value } = l.fraction;
  // Between the ends of the interval the larger share is least where it comes nearest to the middle.
  const least = low <= 0.5 && high >= 0.5 ? 0.5 : Math.min(share(low), share(high));
  const most = Math.max(share(low), share(high));
  return {
    value: l.equivalentOhm.value / share(value),
    low: l.equivalentOhm.low / most,
    high: l.equivalentOhm.high / least,
  };
}

function judgeTest(
  o: Extract<InsulationObservation, { kind: 'tester' }>,
  pack: Pack,
  position: ReadonlyMap<string, number>,
  packV: number,
): TestRow {
  const n = pack.modules.length;
  const [from, to] =
    o.tested.part === 'section'
      ? [position.get(o.tested.from) ?? 0, position.get(o.tested.to) ?? 0].sort((a, b) => a - b)
      : o.tested.part === 'pack'
        ? [0, n - 1]
        : [-1, -1];
  const count = o.tested.part === 'vehicle' ? 1 : to! - from! + 1;
  const p = pack.profile.insulation;
  const input = {
    setV: o.setV,
    points: o.points,
    temperatureC: o.temperatureC,
    modules: count,
    moduleLeastOhm: p?.moduleLeastOhm ?? USUAL_MODULE_OHM,
    // A separated section carries the whole pack's voltage against the chassis when it is back in the string.
    workingV: packV,
    mostV: p?.testVoltageMostV ?? 1000,
    mounted: o.mounted,
  };
  const ids =
    o.tested.part === 'section'
      ? o.tested.from === o.tested.to
        ? o.tested.from
        : `${o.tested.from} to ${o.tested.to}`
      : o.tested.part === 'pack'
        ? 'the whole pack'
        : 'vehicle side';
  return {
    label: ids,
    part: o.tested.part,
    from: from!,
    to: to!,
    mounted: o.mounted,
    setV: o.setV,
    points: o.points,
    result: judgeSeries(input),
    query: seriesQuery(input),
  };
}

function trustOf(
  tests: readonly TestRow[],
  leaks: readonly TestRow[],
  location: LeakLocation | null,
  places: readonly { low: number; high: number }[],
  order: readonly number[],
): { ok: boolean; why: string } {
  const sections = leaks.filter((t) => t.part === 'section');
  for (const a of sections)
    for (const b of sections)
      if (a.to < b.from)
        return {
          ok: false,
          why: `${a.label} and ${b.label} both leak: two leaks, and the position in between means nothing.`,
        };
  if (leaks.some((t) => t.part === 'vehicle') && sections.length > 0)
    return { ok: false, why: 'The vehicle side and the pack both leak: the position is a mixture of both.' };
  if (location) {
    const at = order.findIndex(
      (m) => location.fraction.value >= places[m]!.low && location.fraction.value <= places[m]!.high,
    );
    const clean = tests.find(
      (t) => t.part === 'section' && t.result.verdict === 'pass' && at >= t.from && at <= t.to,
    );
    const elsewhere = sections.find((t) => at < t.from - 1 || at > t.to + 1);
    if (clean && elsewhere)
      return {
        ok: false,
        why: `The voltages point into ${clean.label}, which is clean, while ${elsewhere.label} leaks: more than one leak.`,
      };
  }
  return { ok: true, why: '' };
}

function headline(s: {
  found: string | null;
  p: readonly number[];
  idAt: (i: number) => string;
  location: LeakLocation | null;
  vehicleP: number;
  vehicleState: 'open' | 'clean' | 'leak';
  trust: { ok: boolean; why: string };
  tests: readonly TestRow[];
  judged: Judged | null;
}): { title: string; text: string } {
  const { found, p, idAt, location, judged } = s;
  const where = location
    ? `Two terminal voltages put it ${Math.round(location.fraction.value * 100)} % up the string (${Math.round(location.fraction.low * 100)} to ${Math.round(location.fraction.high * 100)} %)`
    : '';
  const passed = s.tests.filter((t) => t.result.verdict === 'pass').map((t) => t.label);
  const clean =
    passed.length > 0
      ? `${where ? ', and ' : ''}${passed.slice(-2).join(' and ')} ${passed.length > 1 ? 'are' : 'is'} clean`
      : '';
  const limit =
    judged?.verdict === 'below'
      ? ` Below the ${Math.round(judged.leastOhm / 1000)} kΩ this pack needs.`
      : judged?.verdict === 'within'
        ? ' Within the published limit.'
        : judged
          ? ' Whether it is within the limit cannot be told from these readings.'
          : '';
  const text = `${where}${clean}${where || clean ? '.' : ''}${limit}`;
  if (!s.trust.ok) return { title: 'Position not to be trusted', text: s.trust.why };
  if (s.vehicleState === 'leak')
    return { title: 'On the vehicle side', text: `The pack is not the leak. ${text}` };
  if (found) return { title: `At ${found}`, text };
  if (!location && s.tests.length === 0)
    return {
      title: 'Not measured yet',
      text: 'Two voltages at the terminals tell how big the leak is and where along the string it sits.',
    };
  if (location && location.equivalentOhm.low > 20e6 && s.tests.every((t) => t.result.verdict !== 'leak'))
    return { title: 'No leak shows', text };
  const ranked = p.map((v, i) => ({ v, i })).sort((a, b) => b.v - a.v);
  const [a, b] = [ranked[0]!, ranked[1]];
  if (s.vehicleP > a.v) return { title: 'Perhaps outside the pack', text };
  const pair = b && b.v > 0.2 && Math.abs(a.i - b.i) === 1;
  return {
    title: pair
      ? `Between ${idAt(Math.min(a.i, b.i))} and ${idAt(Math.max(a.i, b.i))}, most likely at ${idAt(a.i)}`
      : `Most likely at ${idAt(a.i)}`,
    text,
  };
}

function nextStep(s: {
  p: number[];
  vehicleP: number;
  vehicleState: 'open' | 'clean' | 'leak';
  linkMin: number[];
  links: string[];
  idAt: (i: number) => string;
  found: string | null;
  measured: boolean;
}): InsulationReport['next'] {
  const none = { split: null, others: [], halving: null, oneByOne: null };
  if (!s.measured)
    return {
      kind: 'poles',
      text: 'Measure both poles to chassis, one after the other, with the same meter, and the pack pole to pole.',
      ...none,
    };
  if (s.vehicleState === 'leak')
    return {
      kind: 'found',
      text: 'Go on in the vehicle: cables, inverter, heater, compressor, charger, one by one.',
      ...none,
    };
  if (s.found)
    return {
      kind: 'found',
      text: `Prove it: ${s.found} out, then test the rest as mounted, and ${s.found} alone.`,
      ...none,
    };
  if (s.vehicleState === 'open' && s.vehicleP >= WORTH_SIDES)
    return {
      kind: 'sides',
      text: 'Vehicle side or pack side first: pack connectors off, then test both apart.',
      ...none,
    };
  const problem = { probability: scaled(s.p, 1), linkMin: s.linkMin, testMin: TEST_MIN };
  const plan = planSplit(problem);
  const view = (t: SplitTest, expected: Expected): NextSplit => ({
    modules: [s.idAt(t.from), s.idAt(t.to)],
    opens: t.opens.map((l) => s.links[l]!),
    minutes: t.minutes,
    expected,
  });
  if (!plan.test) return { kind: 'nothing', text: 'There is no link left to separate anything.', ...none };
  const split = view(plan.test, plan.expected);
  const range =
    split.modules[0] === split.modules[1] ? split.modules[0] : `${split.modules[0]} to ${split.modules[1]}`;
  return {
    kind: 'split',
    text: `${split.opens.length > 0 ? `Pull link ${split.opens.join(' and ')}, test` : 'Test'} ${range}.`,
    split,
    others: plan.others.map((o) => view(o.test, o.expected)),
    halving: expectedOf(problem, halving),
    oneByOne: expectedOf(problem, oneByOne),
  };
}
