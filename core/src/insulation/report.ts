import { limitValue, type Pack } from '../pack';
import { linksInOrder } from '../safety/exposure';
import { fuseEvidence } from '../safety/fuse';
import { EVIDENCE, leakCauses } from './causes';
import { oddOnes } from './alike';
import { ENTRY_ADVICE, rankEntries } from './entries';
import { mudNow, outsideOver } from './outside';
import { waysNow } from './ways';
import { knownResistor, togetherOhm } from './knownResistor';
import { judgeOhmPerVolt, judgeVehicleFigure, type LimitVoltage } from './limits';
import { alone, judgeTests, spokenOf } from './judgeTest';
import { coverageOf } from './coverage';
import { passesNow } from './passesNow';
import { newestOfVehicle, standingNow, stateOf, type Standing } from './standing';
import { locateLeak, moduleFractions, moduleProbabilities, type LeakLocation } from './location';
import { cleanSections, judgeParts, linksOut, withinPart } from './parts';
import { weighLeaks, type Outcome } from './pairs';
import { FALSE_PASSES } from './series';
import { jottedNotes, jottedWeight } from './jotted';
import { byTerminals, narrowedBy } from './regulation';
import { runsWithout } from './passes';
import { mergeSizes } from './size';
import { foundAlone, furtherLeaks, sizeLeft, withEliminated, type FoundLeak } from './further';
import { searchOf } from './next';
import { headline, healthy, nextStep, NOT_MEASURED } from './search';
import {
  testedLabel,
  type InsulationInputs,
  type InsulationObservation,
  type InsulationReport,
  type ModuleInsulation,
  type PartRow,
  type TestRow,
} from './types';

/** Share of leaks that sit outside the pack, before anything is measured. From memory. */
const VEHICLE_SHARE = 0.35;
/** Parts outside the pack hang on a pole: a leak elsewhere along the string is inside. */
const AT_A_POLE = 0.035;
const FOUND_SHARE = 0.9;

/**
 * Everything known of a leak: judged, located, and the test that finds it soonest. Pure. What was measured before a part went in that the
 * leak was at is told as past; what was measured wet and what was measured dry are told apart.
 */
export function insulationReport(
  pack: Pack,
  observations: readonly InsulationObservation[],
  inputs: InsulationInputs,
): InsulationReport {
  return withWetTest(bothStates(pack, observations, inputs), observations, inputs);
}

/** What is gone when dry came with water: nothing is proven before it was wetted and tested. */
function withWetTest(
  report: InsulationReport,
  observations: readonly InsulationObservation[],
  { afterRain = false }: InsulationInputs,
): InsulationReport {
  const cameWet =
    afterRain || observations.some((o) => o.kind === 'vehicle' && o.wetted === true && o.ohm !== null);
  const passedDry = observations.some((o) => o.kind === 'tester' && o.wetted !== true);
  const wetted = observations.some((o) => o.kind === 'tester' && o.wetted === true);
  if (
    !cameWet ||
    !passedDry ||
    wetted ||
    report.found ||
    report.tests.some((t) => t.result.verdict === 'leak')
  )
    return report;
  const first = report.ways?.rows[0]?.entry;
  const where = first
    ? `the ${ENTRY_ADVICE[first.kind].name} ${first.id} first`
    : 'valves, seams, connectors and bolts, from below as well';
  const wetTest = `It came with water, and dry it passes: that proves nothing. Wet it (${where}), let it stand an hour in the damp, and test again, said as wetted.`;
  return {
    ...report,
    wetTest,
    next: { ...report.next, ...(report.next.kind === 'split' ? {} : { text: wetTest }) },
  };
}

/** What was measured dry and what was measured wet, the one that shows a leak first. */
function bothStates(
  pack: Pack,
  observations: readonly InsulationObservation[],
  inputs: InsulationInputs,
): InsulationReport {
  const standing = standingNow(observations, inputs, (n, counts) =>
    reportOfState(
      pack,
      observations.slice(0, n),
      { ...inputs, fitted: undefined },
      { from: 0, counts, before: null },
    ),
  );
  const measured = (state: 'dry' | 'wet'): boolean =>
    observations.some((o, i) => standing.counts[i] && stateOf(o) === state);
  // What leaked dry leaks wet; what passed dry says nothing of it.
  const leaked = new Set(
    judgeTests(pack, observations, new Map(pack.stringOrder.map((m, i) => [pack.modules[m]!.id, i]))).flatMap(
      (t) => (t.result.verdict === 'leak' ? [t.index!] : []),
    ),
  );
  const speaks = (i: number, state: 'dry' | 'wet'): boolean =>
    (stateOf(observations[i]!) ?? state) === state || (state === 'wet' && leaked.has(i));
  const of = (state: 'dry' | 'wet'): InsulationReport =>
    reportOfState(
      pack,
      observations,
      inputs,
      {
        ...standing,
        counts: standing.counts.map((c, i) => c && speaks(i, state)),
      },
      standing.counts,
    );
  if (!measured('wet')) return of('dry');
  const wet = of('wet');
  if (!measured('dry')) return { ...wet, text: `${wet.text} Measured wet.`.trim() };
  const dry = of('dry');
  const [main, other, state] = wet.suspected ? ([wet, dry, 'dry'] as const) : ([dry, wet, 'wet'] as const);
  return {
    ...main,
    text: `${main.text} Measured ${state === 'dry' ? 'wet' : 'dry'}.`.trim(),
    other: toldApart(state, other),
  };
}

/** What the other state shows, in a title and a text; of one in which only the vehicle spoke, what it said. */
function toldApart(state: 'dry' | 'wet', other: InsulationReport): InsulationReport['other'] {
  if (other.title !== NOT_MEASURED) return { state, title: other.title, text: other.text };
  return other.vehicle
    ? { state, title: `the vehicle alone, ${other.vehicle.text.replace(/\.$/, '')}`, text: '' }
    : null;
}

/** The same of what was measured in one state of the pack. */
function reportOfState(
  pack: Pack,
  observations: readonly InsulationObservation[],
  { moduleV, lowestMv, jotted = [], reported: cameWith = false, fitted }: InsulationInputs,
  { counts, from, before }: Standing,
  inEveryState: readonly boolean[] = counts,
): InsulationReport {
  // The lamp that it came with is answered where the leak left with a part.
  const reported = cameWith && before === null;
  const standing = observations.filter((_, i) => counts[i]);
  const packVolts = moduleV.reduce((a, b) => a + b, 0);
  const last = <K extends InsulationObservation['kind']>(kind: K) =>
    [...standing].reverse().find((o) => o.kind === kind) as
      Extract<InsulationObservation, { kind: K }> | undefined;
  const order = pack.stringOrder;
  const position = new Map(order.map((m, i) => [pack.modules[m]!.id, i]));
  const idAt = (i: number): string => pack.modules[order[i]!]!.id;

  const figure = newestOfVehicle(standing);
  const vehicle = !figure
    ? null
    : figure.ohm !== null
      ? judgeVehicleFigure({ ohm: figure.ohm }, pack)
      : figure.signalV !== null
        ? judgeVehicleFigure({ signalV: figure.signalV }, pack)
        : null;
  const poles = [...standing]
    .reverse()
    .find(
      (o): o is Extract<InsulationObservation, { kind: 'poles' }> =>
        o.kind === 'poles' && o.side !== 'vehicle' && !o.section,
    );
  const resistor = last('known-resistor');
  const known = resistor ? knownResistor({ ...resistor, packV: resistor.packV ?? undefined }) : null;
  const sameMoment = poles && resistor && known && takenWith(poles, resistor);
  const location = poles
    ? locateLeak({ ...poles, togetherOhm: sameMoment ? togetherOhm(known) : undefined })
    : null;
  const packV = poles?.packV ?? packVolts;
  const all = judgeTests(pack, observations, position);
  const tests = all.filter((t) => counts[t.index!]);
  const passing = passesNow(
    tests,
    observations,
    idAt,
    all.filter((t) => inEveryState[t.index!]),
  );
  const doubted = new Set(passing.filter((m) => m.state !== 'cleared').map((m) => position.get(m.module)!));
  const cleared = new Set(passing.filter((m) => m.state === 'cleared').map((m) => position.get(m.module)!));
  // A leak of before that a pass has answered is no leak of now.
  const weighed = tests.filter(
    (t) => !(t.result.verdict === 'leak' && alone(t) && cleared.has(spokenOf(t)[0]!)),
  );

  const sizes = mergeSizes({
    vehicle: figure,
    location: poles ? locateLeak(poles) : null,
    known,
    tests,
    moduleLeastOhm: limitValue(pack.profile, 'moduleInsulationOhm'),
    residualOhm: poles?.residualOhm,
  });
  // What the terminals see, for one leak at share f, is the leak itself; the regulation divides by the larger share.
  const seenOhm = known ? known.regulationOhm : location ? byTerminals(location) : null;
  const regulationOhm = seenOhm && sizes?.agree ? narrowedBy(seenOhm, sizes.size, location) : seenOhm;
  const by = last('limit-voltage')?.by ?? 'working';
  const judgeBy = (voltage: LimitVoltage) =>
    regulationOhm ? judgeOhmPerVolt(regulationOhm, packV, pack, voltage) : null;
  const judged = judgeBy(by);

  const inOrderV = order.map((m) => moduleV[m]!);
  const parts = judgeParts(
    standing.filter((o): o is Extract<InsulationObservation, { kind: 'poles' }> => o.kind === 'poles'),
    position,
    location,
  );
  const places = moduleFractions(pack, moduleV);
  const byModule = moduleProbabilities(pack, moduleV, location);
  const seen = standing.filter(
    (o): o is Extract<InsulationObservation, { kind: 'seen' }> => o.kind === 'seen',
  );
  const notes = jottedNotes(before === null ? jotted : jotted.filter((j) => !j.ofPartBefore), pack);
  const weight = order.map((m) => {
    const marks = seen.filter((s) => s.module === pack.modules[m]!.id);
    const strength = marks.reduce(
      (s, k) => s + Object.values(EVIDENCE[k.evidence]).reduce<number>((a, b) => a + b, 0),
      0,
    );
    const clean = marks.some((k) => k.evidence === 'clean and dry') && strength === 0 ? 0.7 : 1;
    const low = lowestMv?.[m];
    const hint = low != null && low < -15 ? Math.min(2.5, 1 + (-low - 15) / 20) : 1;
    return clean * (1 + strength) * hint * jottedWeight(notes.get(pack.modules[m]!.id));
  });
  const atPole =
    location === null || !location.identifiable
      ? null
      : location.fraction.low < AT_A_POLE || location.fraction.high > 1 - AT_A_POLE;
  const outsideP = poles?.side === 'pack' ? 0.02 : atPole === null ? VEHICLE_SHARE : atPole ? 0.6 : 0.06;
  const leaks = weighed.filter((t) => t.result.verdict === 'leak');
  const outcomes = weighed.flatMap((t): Outcome[] => {
    const outcome = t.result.verdict;
    if (t.part === 'other') return [];
    // A pass at a place that leaked before speaks of the rest alone until it is answered.
    const reached =
      t.part === 'vehicle'
        ? [order.length]
        : spokenOf(t).filter((i) => outcome !== 'pass' || !doubted.has(i));
    return [
      { reached, outcome, notAll: outcome === 'leak' && sizeLeft([{ ohm: t.result.ohm }], sizes) !== '' },
    ];
  });
  const inString = order.map((m) => places[m]!);
  const weighedLeaks = weighLeaks({
    places: inString,
    density: order.map((m, i) => byModule[m]! / (inString[i]!.high - inString[i]!.low)),
    weight,
    outside: outsideP,
    location,
    outcomes: [...parts.map(outcomeOfPart), ...outcomes],
  });
  let p = weighedLeaks.probability.slice(0, -1);
  const vehicleP = weighedLeaks.probability.at(-1)!;
  // Within a part that leaks, its own ladder shares out what it holds.
  for (const part of parts) p = withinPart(p, part, inOrderV);
  const partRows = parts.map((part) => ({
    ...part,
    label: testedLabel({ part: 'section', from: idAt(part.from), to: idAt(part.to) }),
  }));
  const trust = trustOf(tests, leaks, partRows, location, places, order);
  const clean = cleanSections(order.length, tests, parts);
  const foundBy = (fits: (i: number) => boolean): FoundLeak[] =>
    inString.flatMap((_, at) => (fits(at) ? [{ at, ohm: null }] : []));
  const aloneOrLeft = withEliminated(foundAlone(leaks), leaks, clean);
  // Voltages alone find nothing for certain: a test has to agree.
  const split = tests.some((t) => t.result.verdict === 'leak' || t.result.verdict === 'pass');
  const foundAt = aloneOrLeft.length > 0 || !split ? aloneOrLeft : foundBy((i) => p[i]! >= FOUND_SHARE);
  const found = foundAt.length > 0 ? foundAt.map((f) => idAt(f.at)).join(' and ') : null;
  const further =
    foundAt.length > 0
      ? furtherLeaks({ found: foundAt, tests: weighed, sizes, location, places: inString, weight })
      : null;
  const elsewhere = [...new Set(leaks.filter((t) => t.part === 'other').map((t) => t.label))];
  const vehicleState: 'open' | 'clean' | 'leak' = tests.some(
    (t) => t.part === 'vehicle' && t.result.verdict === 'leak',
  )
    ? 'leak'
    : tests.some((t) => t.part === 'vehicle' && t.result.verdict === 'pass') || vehicleP < 0.02
      ? 'clean'
      : 'open';

  const modules = order.map((m, i): ModuleInsulation => {
    const own = weighed.filter((t) => spokenOf(t).includes(i));
    const passed = [...own].reverse().filter((t) => t.result.verdict === 'pass');
    const cleanTest = passed.find((t) => t.lacks === '') ?? passed[0];
    const leakTest = own.find((t) => t.result.verdict === 'leak' && alone(t));
    const isFound = foundAt.some((f) => f.at === i);
    return {
      moduleIndex: m,
      // Where one was found and another is looked for, what is shown is where that is.
      probability: !further?.why ? p[i]! : isFound ? 1 : further.probability[i]!,
      state: leakTest
        ? doubted.has(i)
          ? 'suspect'
          : 'leak'
        : cleanTest && p[i]! < 0.2
          ? cleanTest.lacks === ''
            ? 'clean'
            : 'so far'
          : p[i]! >= Math.max(0.15, 2 / order.length)
            ? 'suspect'
            : 'not split',
      ohm: (leakTest ?? cleanTest)?.result.ohm ?? null,
      atLeast:
        !leakTest && cleanTest !== undefined && (cleanTest.result.atLeast || spokenOf(cleanTest).length > 1),
    };
  });

  const openLinks = linksOut(observations, linksInOrder(pack), position);
  const more = further?.why ?? '';
  const { candidates, linkMin, links } = searchOf(
    pack,
    openLinks,
    tests,
    parts,
    more ? further!.probability : p,
    further?.leaking ?? leaks.map(spokenOf),
  );
  const met = last('chassis-voltage');
  const chassis = met
    ? `At the proof of absence: ${met.plusChassisV} V from + and ${met.minusChassisV} V from − to chassis, ${met.plusMinusV} V between them. The pack reaches the chassis although it was locked out.`
    : '';
  const bad = met
    ? 'the proof of absence met voltage to chassis'
    : vehicle !== null && vehicle.state !== 'good'
      ? 'the vehicle reports a leak'
      : judged?.verdict === 'below'
        ? 'the terminals show a leak'
        : '';
  const suspected =
    (bad !== '' && !(bad === 'the terminals show a leak' && location === null)) ||
    reported ||
    leaks.length > 0 ||
    // Pinned, falling or below the limit when warm: none of these calms anybody.
    tests.some((t) => t.result.verdict === 'doubtful') ||
    parts.some((part) => part.outcome === 'leak') ||
    [...notes.values()].some((n) => n.low) ||
    (location !== null && !healthy(location, judged, vehicle));
  const tested = order.map((_, i) =>
    tests.some((t) => t.lacks === '' && passes(t) && spokenOf(t).includes(i)),
  );
  const next = nextStep({
    p: candidates,
    vehicleP: more && further!.perhapsOutside ? Math.max(vehicleP, VEHICLE_SHARE) : vehicleP,
    vehicleState,
    linkMin,
    links,
    idAt,
    found,
    further,
    elsewhere: {
      parts: elsewhere,
      pack: leaks.some((t) => t.part !== 'other' && t.part !== 'vehicle')
        ? 'leaks'
        : tested.every(Boolean)
          ? 'passes'
          : 'untested',
    },
    measured: location !== null || tests.length > 0 || parts.length > 0,
    untested: !suspected && location === null ? runsWithout(tested, idAt) : null,
  });
  const covered = order.every((_, i) => tests.some((t) => passes(t) && spokenOf(t).includes(i)));
  const contradiction =
    bad !== '' && covered && vehicleState !== 'leak'
      ? `Every part of the pack passes, but ${bad}. Before it is called good:`
      : '';
  const answers = new Map(
    observations.flatMap((o) => (o.kind === 'answer' ? [[o.question, o.yes] as const] : [])),
  );
  const seenAt = seen.map((s) => ({
    moduleIndex: order[position.get(s.module) ?? 0]!,
    evidence: s.evidence,
    degree: s.degree,
  }));
  const cause = leakCauses(seenAt, pack);
  const lookedAt = waysNow(observations.flatMap((o) => (o.kind === 'ways' ? [o] : [])));
  const mud = mudNow(observations.flatMap((o) => (o.kind === 'outside' ? [o] : [])));
  const outside = outsideOver(pack, mud, (s) => 'water' in EVIDENCE[s.evidence], seenAt);
  const odd = oddOnes(tests);
  return {
    packV,
    vehicle,
    location,
    known,
    leakOhm: sizes?.size ?? null,
    sizes,
    regulationOhm,
    judged,
    judgedElse: judgeBy(by === 'working' ? 'measured' : 'working'),
    tests,
    parts: partRows,
    // Where nothing points at a leak, no module is suspect.
    modules: suspected
      ? modules
      : modules.map((m) => (m.state === 'suspect' ? { ...m, state: 'not split' } : m)),
    vehicleSide: { probability: vehicleP, state: vehicleState },
    trust,
    ...headline({
      found,
      more,
      p: candidates,
      idAt,
      location,
      vehicleP,
      vehicleState,
      trust,
      tests,
      judged,
      vehicle,
      suspected,
      covered: tested.every(Boolean),
      passing,
      elsewhere,
      before,
    }),
    suspected,
    coverage: coverageOf(pack, observations, { from, tests: all, fitted }),
    ...(odd.length > 0 ? { odd } : {}),
    ...(passing.length > 0 ? { passesNow: passing } : {}),
    before,
    found,
    ...(more && { more }),
    next,
    chassis,
    contradiction,
    falsePasses: FALSE_PASSES.map(({ id, question, trap }) => ({
      id,
      question,
      trap,
      yes: answers.get(id) ?? null,
    })),
    causes: cause.causes,
    entry: cause.entry,
    ways: rankEntries(seenAt, pack, cause.causes[0]?.cause ?? 'water', lookedAt, mud),
    ...(outside && { outside }),
    fuses: observations.flatMap((o) =>
      o.kind === 'fuse' ? [{ fuse: o.fuse, evidence: fuseEvidence(o.fuse, o.ohm ?? Infinity) }] : [],
    ),
    openLinks,
    ...(notes.size > 0 ? { jotted: [...notes.values()] } : {}),
  };
}

/** Links that are out now: the newest word of each counts. */
export function openNow(observations: readonly InsulationObservation[]): string[] {
  const state = new Map<string, boolean>();
  for (const o of observations) if (o.kind === 'link') state.set(o.link, o.open);
  return [...state].filter(([, open]) => open).map(([id]) => id);
}

const outcomeOfPart = ({ from, to, outcome }: PartRow): Outcome => ({
  reached: Array.from({ length: to - from + 1 }, (_, k) => from + k),
  outcome,
});

const passes = (t: TestRow): boolean => t.result.verdict === 'pass';

/** A known resistor speaks for two voltages only if it was put on while they stood: the same two, within 2 %. */
function takenWith(
  poles: { negativeV: number; positiveV: number },
  { v1, v2 }: { v1: number; v2: number },
): boolean {
  const alike = (a: number, b: number): boolean => Math.abs(a - b) <= 0.3 + 0.02 * Math.max(a, b);
  return (
    alike(Math.max(poles.negativeV, poles.positiveV), v1) &&
    alike(Math.min(poles.negativeV, poles.positiveV), v2)
  );
}

function trustOf(
  tests: readonly TestRow[],
  leaks: readonly TestRow[],
  parts: readonly (PartRow & { label: string })[],
  location: LeakLocation | null,
  places: readonly { low: number; high: number }[],
  order: readonly number[],
): { ok: boolean; why: string } {
  const sections = leaks.filter((t) => t.part === 'section');
  const drawing = [...sections, ...parts.filter((x) => x.outcome === 'leak')];
  for (const a of drawing)
    for (const b of drawing)
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
