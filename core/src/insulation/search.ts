import type { Judged, VehicleJudged } from './limits';
import type { LeakLocation } from './location';
import type { InsulationReport, NextSplit, PassesNow, TestRow } from './types';
import type { FurtherLeaks } from './further';
import { runsWithout } from './passes';
import { expectedOf, halving, oneByOne, planSplit, type Expected, type SplitTest } from './split';

/** Minutes of one insulation test. Common practice, no source. */
export const TEST_MIN = 6;
/** From this share on it is worth to part pack and vehicle before the string is opened. */
const WORTH_SIDES = 0.08;

/** The title while no terminal and no part was measured. */
export const NOT_MEASURED = 'Not measured yet';

/** What is known in two sentences. */
export function headline(s: {
  found: string | null;
  /** Why at least one more leaks than was found; empty where nothing says so. */
  more: string;
  p: readonly number[];
  idAt: (i: number) => string;
  location: LeakLocation | null;
  vehicleP: number;
  vehicleState: 'open' | 'clean' | 'leak';
  trust: { ok: boolean; why: string };
  tests: readonly TestRow[];
  judged: Judged | null;
  vehicle: VehicleJudged | null;
  /** Something points at a leak. */
  suspected: boolean;
  /** Tests that count reached every module. */
  covered: boolean;
  /** Modules that leaked, and pass now. */
  passing: readonly PassesNow[];
  /** Parts that are no modules and leak. */
  elsewhere: readonly string[];
  /** The leak was at a part that left. */
  before: { title: string; gone: string[] } | null;
}): { title: string; text: string } {
  const { found, p, idAt, location, judged } = s;
  const where = location?.identifiable
    ? `Two terminal voltages put it ${Math.round(location.fraction.value * 100)} % up the string (${Math.round(location.fraction.low * 100)} to ${Math.round(location.fraction.high * 100)} %)`
    : '';
  const doubted = s.passing.filter((m) => m.state !== 'cleared').map((m) => m.module);
  const passed = s.tests
    .filter((t) => t.result.verdict === 'pass' && !t.lacks && !doubted.includes(t.label))
    .map((t) => t.label);
  // What was tested again since, and counts, is not told of twice.
  const soFar = s.tests
    .filter((t, i) => t.lacks && !s.tests.slice(i + 1).some((later) => later.label === t.label))
    .map((t) => `${t.label} (${t.lacks})`);
  const told = s.covered ? wholeOf(s.tests, passed) : passed.slice(-2);
  const clean =
    told.length > 0
      ? `${where ? ', and ' : ''}${told.join(' and ')} ${told.length > 1 || told[0]!.includes(' to ') ? 'are' : 'is'} clean${doubted.length > 0 ? ` but for ${doubted.join(' and ')}` : ''}`
      : '';
  const warned = s.vehicle !== null && s.vehicle.state !== 'good';
  const limit =
    judged?.verdict === 'below'
      ? ` Below the ${Math.round(judged.leastOhm / 1000)} kΩ this pack needs.`
      : judged?.verdict === 'within'
        ? warned
          ? ' The terminals are within the published limit, what the vehicle shows is not: not of one moment, or not of one place.'
          : ' Within the published limit.'
        : judged
          ? ' Whether it is within the limit cannot be told from these readings.'
          : '';
  const first = `${where}${clean}`.replace(/^./, (c) => c.toUpperCase());
  const early = soFar.length > 0 ? ` No leak so far at ${soFar.slice(-2).join(' and ')}.` : '';
  const past = s.before ? ` Before: ${s.before.title.replace(/^At/, 'at')}, which went out.` : '';
  const text = `${first}${first ? '.' : ''}${early}${limit}${past}`.trim();
  if (s.elsewhere.length > 0) return { title: `At ${s.elsewhere.join(' and ')}`, text };
  if (s.before && s.tests.length === 0 && !location)
    return { title: `Not measured since ${s.before.gone.join(' and ')} went out`, text: past.trim() };
  const passing = s.passing.filter((m) => m.state !== 'cleared');
  if (passing.length > 0 && found && passing.some((m) => found.split(' and ').includes(m.module))) {
    const at = passing.map((m) => m.module).join(' and ');
    return passing.some((m) => m.state === 'not trusted')
      ? {
          title: `${at} leaked and passes now: not trusted`,
          text: `What is answered speaks against the pass. A leak that hides comes back; replacing ${at} is sound. ${text}`.trim(),
        }
      : {
          title: `${at} leaked, and passes now`,
          text: `It stays suspect until it is answered how the pass may deceive. ${text}`.trim(),
        };
  }
  if (found && s.more)
    return { title: `At ${found}, and at one more at least`, text: `${s.more} ${text}`.trim() };
  if (!found && !s.trust.ok) return { title: 'Position not to be trusted', text: s.trust.why };
  if (s.vehicleState === 'leak')
    return { title: 'On the vehicle side', text: `The pack is not the leak. ${text}` };
  if (found) return { title: `At ${found}`, text };
  if (!location && s.tests.length === 0)
    return {
      title: NOT_MEASURED,
      text: 'Two voltages at the terminals tell how big the leak is and where along the string it sits.',
    };
  const noneLeaks = s.tests.every((t) => t.result.verdict !== 'leak');
  // Nothing points at a leak: no word of one.
  if (!s.suspected && location) return { title: 'No leak shows', text };
  if (!s.suspected && passed.length + soFar.length > 0)
    return { title: s.covered ? 'No leak shows' : 'No leak so far', text };
  if (location && !location.identifiable && noneLeaks)
    return {
      title: 'Its place cannot be told from voltages',
      text: `${location.remarks.at(-1) ?? ''}${limit}`,
    };
  const total = p.reduce((x, y) => x + y, 0) || 1;
  const ranked = p.map((v, i) => ({ v: v / total, i })).sort((a, b) => b.v - a.v);
  const [a, b] = [ranked[0]!, ranked[1]];
  if (s.vehicleP > Math.max(...p)) return { title: 'Perhaps outside the pack', text };
  // A name is only given where it stands out from the rest.
  const alike = ranked.filter((r) => r.v > ALIKE * a.v).map((r) => r.i);
  if (alike.length > 2) return { title: placesInWords(alike, p.length, idAt), text };
  const pair = b && b.v > 0.2 && Math.abs(a.i - b.i) === 1;
  if (alike.length === 2 && !pair) return { title: `At ${alike.map(idAt).join(' or ')}`, text };
  return {
    title: pair
      ? `Between ${idAt(Math.min(a.i, b.i))} and ${idAt(Math.max(a.i, b.i))}${alike.length > 1 ? '' : `, most likely at ${idAt(a.i)}`}`
      : `Most likely at ${idAt(a.i)}`,
    text,
  };
}

/** What passed where every module did: the string, however many tests that took, and what else was tested by itself. */
function wholeOf(tests: readonly TestRow[], passed: readonly string[]): string[] {
  const others = passed.filter((label) => tests.some((t) => t.label === label && t.part === 'other'));
  const whole = passed.find((label) => tests.some((t) => t.label === label && t.part === 'pack'));
  return [whole ?? 'every module', ...new Set(others)];
}

/** Places whose shares lie this near to the likeliest one's are as likely as it. From memory. */
const ALIKE = 0.75;
/** Places that are as likely as each other, in words: a run by its ends, else how many. */
function placesInWords(at: readonly number[], count: number, idAt: (i: number) => string): string {
  const [from, to] = [Math.min(...at), Math.max(...at)];
  if (at.length === count) return 'Anywhere in the string';
  if (to - from + 1 === at.length) return `Between ${idAt(from)} and ${idAt(to)}`;
  if (at.length === 3)
    return `At ${[...at]
      .sort((x, y) => x - y)
      .map(idAt)
      .join(', ')}`.replace(/, (?=[^,]*$)/, ' or ');
  return `In one of ${at.length} modules, ${idAt(from)} to ${idAt(to)}`;
}

/** From this size on, and level, it is what a healthy pack shows. From memory. */
const HEALTHY_OHM = 1e6;
const LEVEL = { low: 0.3, high: 0.7 };

/** A pack that shows megohms, with the chassis about half-way, has no leak to look for: its own insulation does that. */
export function healthy(
  { equivalentOhm, apparent }: LeakLocation,
  judged: Judged | null,
  vehicle: VehicleJudged | null,
): boolean {
  // A vehicle that warns has seen something that these two voltages do not.
  if (vehicle && vehicle.state !== 'good') return false;
  if (equivalentOhm.low > 20e6) return true;
  const level = apparent.value > LEVEL.low && apparent.value < LEVEL.high;
  return level && equivalentOhm.low >= HEALTHY_OHM && judged?.verdict === 'within';
}

/** The step that brings most for its effort. */
export function nextStep(s: {
  p: number[];
  vehicleP: number;
  vehicleState: 'open' | 'clean' | 'leak';
  linkMin: number[];
  links: string[];
  idAt: (i: number) => string;
  found: string | null;
  measured: boolean;
  /** Parts that are no modules and leak, and whether a test of the pack without them leaked too, or passed. */
  elsewhere: { parts: readonly string[]; pack: 'leaks' | 'passes' | 'untested' };
  /** What else leaks, once something was found. */
  further: FurtherLeaks | null;
  /** Nothing points at a leak; what no test that counts has reached yet, such as `M13 to M24`. */
  untested: string | null;
}): InsulationReport['next'] {
  const none = { split: null, others: [], halving: null, oneByOne: null };
  if (!s.measured)
    return {
      kind: 'poles',
      text: 'Measure both poles to chassis, one after the other, with the same meter, and the pack pole to pole.',
      ...none,
    };
  if (s.untested !== null)
    return {
      kind: 'nothing',
      text:
        s.untested === ''
          ? 'Nothing that was measured points at a leak.'
          : `Nothing that was measured points at a leak. Not tested yet, mounted and for a minute: ${s.untested}.`,
      ...none,
    };
  if (s.vehicleState === 'leak')
    return {
      kind: 'found',
      text: 'Go on in the vehicle: cables, inverter, heater, compressor, charger, one by one.',
      ...none,
    };
  const { further } = s;
  if (s.elsewhere.parts.length > 0 && s.elsewhere.pack !== 'leaks' && !s.found) {
    const parts = s.elsewhere.parts.join(' and ');
    return {
      kind: 'found',
      text:
        s.elsewhere.pack === 'passes'
          ? `Proven: ${parts} ${s.elsewhere.parts.length > 1 ? 'leak' : 'leaks'}, and the whole pack passes.`
          : `Prove it: ${parts} off, then test the whole pack as mounted.`,
      ...none,
    };
  }
  if (s.found && further?.proven)
    return {
      kind: 'found',
      text: `Proven: ${s.found} ${s.found.includes(' and ') ? 'leak' : 'leaks'} alone, and everything else passes.`,
      ...none,
    };
  if (s.found && further && !further.why)
    return { kind: 'found', text: howToProve(s.found, further, s.idAt), ...none };
  if (s.vehicleState === 'open' && s.vehicleP >= WORTH_SIDES && !(s.found && !further?.perhapsOutside))
    return {
      kind: 'sides',
      text: 'Vehicle side or pack side first: pack connectors off, then test both apart.',
      ...none,
    };
  const problem = { probability: toOne(s.p), linkMin: s.linkMin, testMin: TEST_MIN };
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

/** What is still to be tested before a found leak is proven to be the only one. */
function howToProve(found: string, further: FurtherLeaks, idAt: (i: number) => string): string {
  const places = found.split(' and ');
  const some = further.unproven.some((x, i) => !x && !places.includes(idAt(i)));
  const rest = runsWithout(
    further.unproven.map((x) => !x),
    idAt,
  );
  const alone = further.untested.map((i) => `${idAt(i)} alone`).join(' and ');
  const others = rest === '' ? '' : `${found} out, then test ${some ? rest : 'the rest'} as mounted`;
  return `Prove it: ${others && alone ? `${others}, and ${alone}` : others || `test ${alone}`}.`;
}

const toOne = (p: readonly number[]): number[] => {
  const total = p.reduce((a, b) => a + b, 0);
  return p.map((x) => (total > 0 ? x / total : 1 / p.length));
};
