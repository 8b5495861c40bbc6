import { InputProblem } from '../problem';

/** One reading of an insulation test: resistance, and the test voltage the meter shows. */
export interface SeriesPoint {
  timeS: number;
  ohm: number | null;
  voltageV: number | null;
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
}

export type SeriesVerdict = 'pass' | 'leak' | 'doubtful' | 'not valid';

export interface SeriesResult {
  verdict: SeriesVerdict;
  /** Newest resistance, Ω, and the same corrected to 40 °C; both null where nothing was read. */
  ohm: number | null;
  ohmAt40C: number | null;
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
export const TESTER_A = { nominal: 0.001, short: 0.015 } as const;
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
    .filter((p) => p.ohm !== null && Math.abs(p.timeS - timeS) <= 0.1 * timeS)
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
  if (input.points.length === 0) problem('No readings.', 'series', 'At least one resistance or voltage.');
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
  for (const p of input.points) {
    if (p.ohm === null || p.voltageV === null || p.ohm === 0) continue;
    const currentA = p.voltageV / p.ohm;
    if (currentA > 1.2 * TESTER_A.short)
      return `${Math.round(p.voltageV)} V across ${Math.round(p.ohm)} Ω would be ${(currentA * 1000).toFixed(0)} mA; a tester gives ${TESTER_A.short * 1000} mA at most. Which figure is right?`;
  }
  return '';
}

/** The insulation resistance of a test is read after one minute (IEEE 43-2013, 12.2, from memory); a second for the clock. */
const READ_AT_S = 61;

/** The reading that counts: the one at a minute, else the newest of a shorter test; null if none was in range. */
export function resistanceOf(points: readonly Pick<SeriesPoint, 'timeS' | 'ohm'>[]): number | null {
  const read = points.filter((p) => p.ohm !== null);
  const inTime = read.filter((p) => p.timeS <= READ_AT_S);
  return (inTime.at(-1) ?? read[0])?.ohm ?? null;
}

/** Judges a test: voltage reached, resistance against its limit, rising, absorption, corrected to 40 °C. */
export function judgeSeries(input: SeriesInput): SeriesResult {
  checkSeries(input);
  const { points, setV } = input;
  const last = points[points.length - 1]!;
  const volts = points.filter((p) => p.voltageV !== null);
  const reachedV = volts.length > 0 ? volts[volts.length - 1]!.voltageV : null;
  const leastOhm = input.moduleLeastOhm / Math.max(1, input.modules);
  const reasons: string[] = [];
  const measured = resistanceOf(points);
  const notReached = reachedV !== null && reachedV < REACHED * setV;
  const bound =
    notReached && reachedV !== null
      ? { low: reachedV / TESTER_A.short, high: reachedV / TESTER_A.nominal }
      : null;
  const ohm = measured ?? (bound ? Math.sqrt(bound.low * bound.high) : null);
  const ohmAt40C =
    measured === null || input.temperatureC === null ? null : measured * correctionTo40C(input.temperatureC);
  const dar = dielectricAbsorption(points);
  const pi = polarisationIndex(points);
  const known = points.filter((p) => p.ohm !== null);
  const rising = known.length > 1 ? known[known.length - 1]!.ohm! > 1.02 * known[0]!.ohm! : null;
  const base = { ohm, ohmAt40C, bound, reachedV, dar, pi, rising, leastOhm };
  const size = (v: number): string =>
    v >= 1e9
      ? `${+(v / 1e9).toPrecision(3)} GΩ`
      : v >= 1e6
        ? `${+(v / 1e6).toPrecision(3)} MΩ`
        : v >= 1e3
          ? `${+(v / 1e3).toPrecision(3)} kΩ`
          : `${Math.round(v)} Ω`;

  if (setV < input.workingV && !notReached) {
    reasons.push(
      `${setV} V is below the ${Math.round(input.workingV)} V this carries at work: a pass there proves nothing.`,
    );
    return { verdict: ohm !== null && ohm < leastOhm ? 'leak' : 'not valid', ...base, reasons };
  }
  if (notReached) {
    reasons.push(
      `The tester was pinned at ${Math.round(reachedV!)} V of ${setV} V: it leaks. From its current limit the leak is ${size(bound!.low)} to ${size(bound!.high)}.`,
    );
    const certain = bound!.high < leastOhm || (measured !== null && measured < leastOhm);
    if (!certain)
      reasons.push(
        `Not certainly below ${size(leastOhm)}: test again with a meter that shows the resistance.`,
      );
    return { verdict: certain ? 'leak' : 'doubtful', ...base, reasons };
  }
  if (measured === null) {
    reasons.push('The voltage was reached, but no resistance is written down.');
    return { verdict: 'not valid', ...base, reasons };
  }
  reasons.push(
    `${size(measured)} at ${last.timeS} s, least ${size(leastOhm)}${input.modules > 1 ? ` for ${input.modules} modules side by side` : ''}.`,
  );
  if (ohmAt40C !== null) reasons.push(`At 40 °C that is ${size(ohmAt40C)}.`);
  const below = measured < leastOhm;
  const belowAt40 = ohmAt40C !== null && ohmAt40C < leastOhm;
  if (dar !== null)
    reasons.push(
      `DAR ${dar.toFixed(2)}: ${dar < 1 ? 'falling, bad' : dar <= 1.25 ? 'doubtful' : dar <= 1.4 ? 'fair' : 'good'}.`,
    );
  if (pi !== null)
    reasons.push(
      `PI ${pi.toFixed(2)}: ${pi < PI_LEAST.A ? 'below 1.5' : pi < PI_LEAST.BFH ? 'enough for class A only' : 'good'}.`,
    );
  else if (at(points, 600) !== null) reasons.push('PI is not meaningful above 5 GΩ.');
  if (below) return { verdict: 'leak', ...base, reasons };
  if (belowAt40) {
    reasons.push('Above the limit as measured, below it at 40 °C: warm it up and test again.');
    return { verdict: 'doubtful', ...base, reasons };
  }
  if (
    (dar !== null && dar < 1) ||
    (rising === false && known[known.length - 1]!.ohm! < 0.9 * known[0]!.ohm!)
  ) {
    reasons.push('It falls while the voltage stands: moisture or a leak that grows.');
    return { verdict: 'doubtful', ...base, reasons };
  }
  return { verdict: 'pass', ...base, reasons };
}

/** Ways a test passes although the leak is there. Asked when a pass contradicts the vehicle. Common practice, no source. */
export const FALSE_PASSES = [
  {
    id: 'mounted',
    question: 'Was it tested clamped and torqued, as it sits in the vehicle?',
    trap: 'A module can pass loose on the bench and fail clamped in place.',
  },
  {
    id: 'contact',
    question: 'Did the clips sit on bare metal, proved by touching them together?',
    trap: 'A loose terminal or paint reads as perfect insulation.',
  },
  {
    id: 'both poles',
    question: 'Were both poles tested?',
    trap: 'A leak at one end can hide from the other pole.',
  },
  {
    id: 'dry',
    question: 'Has it dried since the fault showed, or warmed up?',
    trap: 'Dried electrolyte and a dried-out pack pass today and fail in the next rain.',
  },
  {
    id: 'condensation',
    question: 'Did it come cold into a warm hall?',
    trap: 'Condensation makes a leak that is gone an hour later, and hides where the real one is.',
  },
  {
    id: 'voltage',
    question: 'Was the test voltage at least the working voltage?',
    trap: 'A gap that holds 250 V may break down at 400 V.',
  },
  {
    id: 'disturbed',
    question: 'Was anything moved between the fault and the test?',
    trap: 'After disturbing a leak it often gets worse, or pauses.',
  },
] as const;
export type FalsePass = (typeof FALSE_PASSES)[number]['id'];
