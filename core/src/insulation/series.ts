import { InputProblem } from '../problem';

/** One reading of an insulation test: resistance, and the test voltage the meter shows. */
export interface SeriesPoint {
  timeS: number;
  ohm: number | null;
  voltageV: number | null;
  /** The tester was over its range: the resistance is at least this. */
  atLeast?: boolean | undefined;
}

/** What a tester gives: the current it holds its voltage with, and into a short, A. */
export interface TesterCurrent {
  nominal: number;
  short: number;
}

/** A test of one section with an insulation tester. */
export interface SeriesInput {
  /** Test voltage set, V. */
  setV: number;
  points: SeriesPoint[];
  temperatureC: number | null;
  /** Modules of the section: their leaks lie side by side, so a limit for one module is shared. */
  modules: number;
  /** Least resistance of one module, Ω. */
  moduleLeastOhm: number;
  /** Highest working voltage of what is tested, and the highest test voltage the maker allows, V. */
  workingV: number;
  mostV: number;
  /** Clamped and torqued as in the vehicle, or loose on the bench. */
  mounted: boolean;
  /** Of the tester that was used, where it is known. */
  tester?: TesterCurrent | undefined;
  /** The tester met this voltage and gave none of its own, V. */
  lockedOutV?: number | undefined;
}

export type SeriesVerdict = 'pass' | 'leak' | 'doubtful' | 'not valid';

export interface SeriesResult {
  verdict: SeriesVerdict;
  /** The resistance that counts, Ω, and the same corrected to 40 °C; both null where nothing was read. */
  ohm: number | null;
  ohmAt40C: number | null;
  /** The tester was over its range: `ohm` is the least it can be. */
  atLeast: boolean;
  /** Against the limit as measured and at 40 °C; null where there is no figure. What is measured counts. */
  against: { asMeasured: 'above' | 'below' | null; at40C: 'above' | 'below' | null; counts: string };
  /** The meter could not hold its voltage: the resistance is a bound from its current limit, Ω. */
  bound: { low: number; high: number } | null;
  reachedV: number | null;
  dar: number | null;
  pi: number | null;
  rising: boolean | null;
  leastOhm: number;
  reasons: string[];
}

/** Current of a tester: at least 1 mA nominal, at most 15 mA into a short. IEC 61557-2, from memory. */
export const TESTER_A: TesterCurrent = { nominal: 0.001, short: 0.015 };
/** Testers hold their voltage up to little more than their nominal current. Common practice, no source. */
const HOLDS = 2;
/** Below this share of its nominal current a tester is not limited by it: a sag has another cause. From memory. */
const UNLIMITED = 0.5;
/** Test voltage counts as reached from this share on. Common practice, no source. */
const REACHED = 0.9;
/** Polarisation index says nothing above 5 GΩ. IEEE 43, from memory. */
const PI_MOST_OHM = 5e9;
/** Least polarisation index: 1.5 for class A insulation, 2.0 for B, F, H. IEEE 43, from memory. */
export const PI_LEAST = { A: 1.5, BFH: 2.0 } as const;

/**
 * Factor to 40 °C: insulation halves for every 10 °C, K = 0.5^((40 − T)/10). IEEE 43. A value measured below 40 °C
 * becomes smaller.
 */
export const correctionTo40C = (temperatureC: number): number => 0.5 ** ((40 - temperatureC) / 10);

/** Resistance at a time of the series: the reading nearest in time, within a tenth. */
function at(points: readonly SeriesPoint[], timeS: number): number | null {
  const near = points
    .filter((p) => p.ohm !== null && !p.atLeast && Math.abs(p.timeS - timeS) <= 0.1 * timeS)
    .sort((a, b) => Math.abs(a.timeS - timeS) - Math.abs(b.timeS - timeS))[0];
  return near?.ohm ?? null;
}

/** Dielectric absorption ratio R(60 s)/R(30 s). Common practice: below 1.0 bad, to 1.25 doubtful, above 1.4 good. */
export const dielectricAbsorption = (points: readonly SeriesPoint[]): number | null => ratio(points, 60, 30);
/** Polarisation index R(10 min)/R(1 min); null above 5 GΩ, where it means nothing. IEEE 43. */
export function polarisationIndex(points: readonly SeriesPoint[]): number | null {
  const first = at(points, 60);
  return first !== null && first > PI_MOST_OHM ? null : ratio(points, 600, 60);
}
function ratio(points: readonly SeriesPoint[], late: number, early: number): number | null {
  const a = at(points, late);
  const b = at(points, early);
  return a === null || b === null || b === 0 ? null : a / b;
}

/** @throws InputProblem for a series that cannot be. */
export function checkSeries(input: SeriesInput): void {
  const problem = (what: string, where: string, accepted: string): never => {
    throw new InputProblem('series', what, where, accepted);
  };
  if (!(input.setV >= 50 && input.setV <= 5000))
    problem(`A test voltage of ${input.setV} V.`, 'test voltage', '50 to 5000 V; usually 500 or 1000 V.');
  if (input.setV > input.mostV)
    problem(
      `${input.setV} V is more than the ${input.mostV} V that is allowed here.`,
      'test voltage',
      `At most ${input.mostV} V.`,
    );
  if (input.points.length === 0 && input.lockedOutV === undefined)
    problem('No readings.', 'series', 'At least one resistance or voltage.');
  input.points.forEach((p, i) => {
    if (p.ohm === null && p.voltageV === null)
      problem('Neither resistance nor voltage.', `reading ${i + 1}`, 'Either of them.');
    if (p.ohm !== null && !(p.ohm >= 0)) problem(`${p.ohm} Ω.`, `reading ${i + 1}`, 'Zero or more.');
    if (i > 0 && p.timeS <= input.points[i - 1]!.timeS)
      problem('Times do not rise.', `reading ${i + 1}`, 'Seconds since the voltage was applied, rising.');
  });
}

/** Readings that do not belong together: more current than the tester has. In words; empty if they do. */
export function seriesQuery(input: SeriesInput): string {
  const { nominal, short } = input.tester ?? TESTER_A;
  const milli = (a: number): string => `${+(a * 1000).toPrecision(3)} mA`;
  for (const p of input.points) {
    if (p.ohm === null || p.voltageV === null || p.ohm === 0) continue;
    const currentA = p.voltageV / p.ohm;
    const would = `${Math.round(p.voltageV)} V across ${sizeInWords(p.ohm)} would be ${milli(currentA)}`;
    if (currentA > 1.2 * short)
      return `${would}; ${input.tester ? 'this tester' : 'a tester'} gives ${milli(short)} at most. Which figure is right?`;
    if (p.voltageV >= REACHED * input.setV && currentA > HOLDS * nominal)
      return `${would} at the full test voltage; ${input.tester ? 'this tester' : 'a tester'} holds it up to about ${milli(nominal)}. Which figure is right?`;
  }
  return '';
}
/** A resistance with its prefix, to three figures. */
export function sizeInWords(ohm: number): string {
  const [by, unit] =
    ohm >= 1e9 ? [1e9, 'GΩ'] : ohm >= 1e6 ? [1e6, 'MΩ'] : ohm >= 1e3 ? [1e3, 'kΩ'] : [1, 'Ω'];
  return `${+(ohm / by!).toPrecision(3)} ${unit}`;
}

/** The insulation resistance of a test is read after one minute (IEEE 43-2013, 12.2, from memory); a second for the clock. */
const READ_AT_S = 61;

/** The reading that counts: the one at a minute, else the newest of a shorter test; null if none was in range. */
export function resistanceOf<P extends Pick<SeriesPoint, 'timeS' | 'ohm' | 'atLeast'>>(
  points: readonly P[],
): P | null {
  const read = points.filter((p) => p.ohm !== null);
  const inTime = read.filter((p) => p.timeS <= READ_AT_S);
  return inTime.at(-1) ?? read[0] ?? null;
}

/** Judges a test: voltage reached, resistance against its limit, rising, absorption, corrected to 40 °C. */
export function judgeSeries(input: SeriesInput): SeriesResult {
  checkSeries(input);
  const { points, setV, temperatureC } = input;
  const counted = resistanceOf(points);
  const measured = counted?.ohm ?? null;
  // At the reading that counts: what it came to later says nothing of that one.
  const untilS = counted?.timeS ?? Infinity;
  const withV = points.filter((p) => p.voltageV !== null);
  const reachedV = (withV.filter((p) => p.timeS <= untilS).at(-1) ?? withV.at(-1))?.voltageV ?? null;
  const leastOhm = input.moduleLeastOhm / Math.max(1, input.modules);
  const notReached = reachedV !== null && reachedV < REACHED * setV;
  const low = measured !== null && measured < leastOhm;
  const littleCurrent =
    notReached && measured !== null && reachedV / measured < UNLIMITED * currentOf(input).nominal;
  const sagged = littleCurrent && !low;
  const limited = notReached && !littleCurrent;
  const bound = limited
    ? { low: reachedV / currentOf(input).short, high: reachedV / currentOf(input).nominal }
    : null;
  const ohmAt40C =
    measured === null || temperatureC === null ? null : measured * correctionTo40C(temperatureC);
  const known = points.filter((p) => p.ohm !== null);
  const side = (ohm: number | null): 'above' | 'below' | null =>
    ohm === null ? null : ohm < leastOhm ? 'below' : 'above';
  const valid = !notReached && seriesQuery(input) === '';
  const base = {
    ohm: measured ?? (bound ? Math.sqrt(bound.low * bound.high) : null),
    ohmAt40C,
    atLeast: counted?.atLeast === true,
    against: { asMeasured: side(measured), at40C: side(ohmAt40C), counts: COUNTS },
    bound,
    reachedV,
    // Ratios of figures that do not belong together, or of a voltage that was never there, say nothing of the insulation.
    dar: valid ? dielectricAbsorption(points) : null,
    pi: valid ? polarisationIndex(points) : null,
    rising: known.length > 1 ? known.at(-1)!.ohm! > 1.02 * known[0]!.ohm! : null,
    leastOhm,
  };
  const told = (verdict: SeriesVerdict, ...reasons: string[]): SeriesResult => ({
    verdict,
    ...base,
    reasons,
  });

  // A tester gives no voltage where it meets one.
  if (input.lockedOutV !== undefined)
    return told(
      'not valid',
      `The tester met ${Math.round(input.lockedOutV)} V and gave none of its own: no test. A part that floats has no voltage to chassis; one that holds it is itself a sign of a leak. Measure both ends of the part to chassis with a meter of 10 MΩ.`,
    );

  // Less current than the tester can give, and a resistance below the limit all the same: the figure that was read is the leak.
  if (littleCurrent && low)
    return told(
      'leak',
      `${sizeInWords(measured)} at ${counted!.timeS} s, least ${sizeInWords(leastOhm)}: it leaks. The tester showed ${Math.round(reachedV)} V of ${setV} V at it.`,
    );

  if (sagged && reachedV < input.workingV)
    return told(
      'not valid',
      `The voltage sagged to ${Math.round(reachedV)} V of ${setV} V although next to no current flows: the tester's battery, its range or a clip, no leak. Below the ${Math.round(input.workingV)} V this carries at work a pass proves nothing.`,
    );
  if (setV < input.workingV && !notReached)
    return told(
      base.ohm !== null && base.ohm < leastOhm ? 'leak' : 'not valid',
      `${setV} V is below the ${Math.round(input.workingV)} V this carries at work: a pass there proves nothing.`,
    );
  if (bound) {
    const certain = bound.high < leastOhm || (measured !== null && measured < leastOhm);
    return told(
      certain ? 'leak' : 'doubtful',
      `The tester was pinned at ${Math.round(reachedV!)} V of ${setV} V: it leaks. From its current limit the leak is ${sizeInWords(bound.low)} to ${sizeInWords(bound.high)}.`,
      ...(certain
        ? []
        : [
            `Not certainly below ${sizeInWords(leastOhm)}: test again with a meter that shows the resistance.`,
          ]),
    );
  }
  if (measured === null)
    return told('not valid', 'The voltage was reached, but no resistance is written down.');
  const reasons = [
    `${base.atLeast ? 'More than ' : ''}${sizeInWords(measured)} at ${counted!.timeS} s, least ${sizeInWords(leastOhm)}${input.modules > 1 ? ` for ${input.modules} modules side by side` : ''}.`,
    ...absorptionInWords(base.dar, base.pi, valid && at(points, 600) !== null),
  ];
  if (ohmAt40C !== null) reasons.splice(1, 0, `At 40 °C that is ${sizeInWords(ohmAt40C)}. ${COUNTS}`);
  if (base.against.asMeasured === 'below')
    return base.atLeast
      ? told('doubtful', ...reasons, `The tester's range ends below the limit: take one that reads further.`)
      : told('leak', ...reasons);
  if (base.against.at40C === 'below' && !base.atLeast)
    return told(
      'doubtful',
      ...reasons,
      'Above the limit as measured, below it at 40 °C: warm it up and test again.',
    );
  const falling = base.rising === false && known.at(-1)!.ohm! < 0.9 * known[0]!.ohm!;
  if ((base.dar !== null && base.dar < 1) || falling)
    return told('doubtful', ...reasons, 'It falls while the voltage stands: moisture or a leak that grows.');
  return told('pass', ...reasons);
}

const currentOf = ({ tester }: SeriesInput): TesterCurrent => tester ?? TESTER_A;
/** Limits of a pack are given as measured; the correction is made for windings (IEEE 43) and is a warning here. */
const COUNTS =
  'What is measured counts against the limit; the figure at 40 °C warns of what a warm pack would show.';

function absorptionInWords(dar: number | null, pi: number | null, tenMinutes: boolean): string[] {
  const out: string[] = [];
  if (dar !== null)
    out.push(
      `DAR ${dar.toFixed(2)}: ${dar < 1 ? 'falling, bad' : dar <= 1.25 ? 'doubtful' : dar <= 1.4 ? 'fair' : 'good'}.`,
    );
  if (pi !== null)
    out.push(
      `PI ${pi.toFixed(2)}: ${pi < PI_LEAST.A ? 'below 1.5' : pi < PI_LEAST.BFH ? 'enough for class A only' : 'good'}.`,
    );
  else if (tenMinutes) out.push('PI is not meaningful above 5 GΩ.');
  return out;
}

/**
 * Ways a test passes although the leak is there, each with the answer that lets a pass be trusted. Asked when a pass contradicts a leak of
 * before, or the vehicle. Common practice, no source.
 */
export const FALSE_PASSES = [
  {
    id: 'mounted',
    trusts: true,
    question: 'Was it tested clamped and torqued, as it sits in the vehicle?',
    trap: 'A module can pass loose on the bench and fail clamped in place.',
  },
  {
    id: 'contact',
    trusts: true,
    question: 'Did the clips sit on bare metal, proved by touching them together?',
    trap: 'A loose terminal or paint reads as perfect insulation.',
  },
  {
    id: 'both poles',
    trusts: true,
    question: 'Were both poles tested?',
    trap: 'A leak at one end can hide from the other pole.',
  },
  {
    id: 'dry',
    trusts: false,
    question: 'Has it dried since the fault showed, or warmed up?',
    trap: 'Dried electrolyte and a dried-out pack pass today and fail in the next rain.',
  },
  {
    id: 'condensation',
    trusts: false,
    question: 'Did it come cold into a warm hall?',
    trap: 'Condensation makes a leak that is gone an hour later, and hides where the real one is.',
  },
  {
    id: 'voltage',
    trusts: true,
    question: 'Was the test voltage at least the working voltage?',
    trap: 'A gap that holds 250 V may break down at 400 V.',
  },
  {
    id: 'disturbed',
    trusts: false,
    question: 'Was anything moved between the fault and the test?',
    trap: 'After disturbing a leak it often gets worse, or pauses.',
  },
] as const;
export type FalsePass = (typeof FALSE_PASSES)[number]['id'];
