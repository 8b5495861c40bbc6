import { InputProblem } from '../problem';
import type { Chemistry } from '../pack';
import { driftOf, type Course } from './relaxationFit';

/** A module left alone after its charge. */
export interface HoldTest {
  chemistry: Chemistry;
  cellsInSeries: number;
  capacityAh: number;
  socFraction: number;
  /** Module volts per ampere-hour at this state of charge. */
  ocvSlopeVPerAh: number;
  /** Module volts per kelvin; null to fit it. */
  temperatureCoefficientVPerK: number | null;
  leakLimitMilliamp: number;
  deadBelowV: number;
  suddenDropV: number;
  /** From the end of the charge. */
  timeH: number[];
  voltageV: number[];
  temperatureC: number[];
}
export interface HoldAnswer {
  verdict: 'pass' | 'fail' | 'inconclusive' | 'dead';
  leakageMilliamp: number | null;
  leakageSdMilliamp: number | null;
  lossPerDayFraction: number | null;
  reasons: string[];
}

/** The limit has to lie this many standard deviations away. cli.md, hold. */
const SIGMAS = 3;
/** A collapse is looked for in spans of so many hours, each held against the span before it: relaxation and leakage only slow down. */
const COLLAPSE_SPANS_H = [1, 2, 4, 6];
/** A test of so many times the hours is tried to say when it will be told. */
const LONGER = [1.25, 1.5, 2, 3, 4, 6, 8];

/** Hours at which it fell by more than it had in as long before; null where it did not. */
function collapseAt(
  { timeH, v }: Course,
  suddenDropV: number,
): { atH: number; spanH: number; dropV: number } | null {
  const at = (t: number): number => {
    const i = timeH.findIndex((x) => x >= t);
    if (i <= 0) return v[Math.max(0, i)]!;
    const share = (t - timeH[i - 1]!) / (timeH[i]! - timeH[i - 1]!);
    return v[i - 1]! + share * (v[i]! - v[i - 1]!);
  };
  for (const spanH of COLLAPSE_SPANS_H)
    for (const t of timeH) {
      const from = t - spanH;
      // What falls first may be relaxation: only what falls faster than before is none.
      if (from - spanH < timeH[0]!) continue;
      const dropV = at(from) - at(t);
      const before = Math.max(0, at(from - spanH) - at(from));
      if (dropV - before > suddenDropV) return { atH: t, spanH, dropV };
    }
  // Between two readings far apart nobody saw when it fell.
  const gap = timeH.findIndex(
    (t, i) =>
      i > 1 &&
      v[i - 1]! -
        v[i]! -
        Math.max(0, v[i - 2]! - v[i - 1]!) * ((t - timeH[i - 1]!) / (timeH[i - 1]! - timeH[i - 2]!)) >
        suddenDropV,
  );
  return gap < 0
    ? null
    : { atH: timeH[gap]!, spanH: timeH[gap]! - timeH[gap - 1]!, dropV: v[gap - 1]! - v[gap]! };
}

/** @throws InputProblem where the readings are no course of one module */
function checkHold({ timeH, voltageV, temperatureC, ocvSlopeVPerAh }: HoldTest): void {
  const n = timeH.length;
  if (voltageV.length !== n || temperatureC.length !== n)
    throw new InputProblem(
      'shape',
      `timeH has ${n} values, voltageV ${voltageV.length}, temperatureC ${temperatureC.length}.`,
      'timeH, voltageV, temperatureC',
      'One of each a reading.',
    );
  if (!(ocvSlopeVPerAh > 0))
    throw new InputProblem(
      'slope',
      `The slope of the rest voltage is ${ocvSlopeVPerAh} V/A·h.`,
      'ocvSlopeVPerAh',
      'More than 0.',
    );
  for (let i = 1; i < n; i++)
    if (!(timeH[i]! > timeH[i - 1]!))
      throw new InputProblem(
        'time-falls',
        `Time does not rise from ${timeH[i - 1]!} h to ${timeH[i]!} h.`,
        `timeH[${i}]`,
        'Readings in their order.',
      );
}

const NONE = { leakageMilliamp: null, leakageSdMilliamp: null, lossPerDayFraction: null };

/** Why it holds nothing, whatever leaks; null where it holds. */
function deadBy(test: HoldTest, course: Course): string | null {
  const lowest = test.voltageV.findIndex((v) => v < test.deadBelowV);
  if (lowest >= 0)
    return `${test.voltageV[lowest]!.toFixed(2)} V after ${test.timeH[lowest]!.toFixed(1)} h: below ${test.deadBelowV} V it holds nothing.`;
  const fell = collapseAt(course, test.suddenDropV);
  return fell
    ? `It fell by ${fell.dropV.toFixed(2)} V in ${fell.spanH.toFixed(1)} h up to ${fell.atH.toFixed(1)} h: a cell has gone.`
    : null;
}

/** How sure a leakage is to lie on one side of its limit. */
const isFar = (leak: number, sd: number, limit: number): boolean => Math.abs(leak - limit) > SIGMAS * sd;

/**
 * How much longer it has to stand until it is told, h: the same course carried on at the same pace as it drifts now; null where even many times as long
 * does not tell.
 */
function hoursMore(course: Course, driftVPerH: number, farBy: (sdVPerH: number) => boolean): number | null {
  const { timeH, v, heatK } = course;
  const spanH = timeH.at(-1)! - timeH[0]!;
  const stepH = spanH / (timeH.length - 1);
  for (const times of LONGER) {
    const more = Math.ceil(((times - 1) * spanH) / stepH);
    const later = Array.from({ length: more }, (_, i) => (i + 1) * stepH);
    const longer: Course = {
      ...course,
      timeH: [...timeH, ...later.map((h) => timeH.at(-1)! + h)],
      // As scattered as what was read: the same readings again, about the drift.
      v: [...v, ...later.map((h, i) => v.at(-1)! - driftVPerH * h + scatterAt(v, i))],
      heatK: heatK && [...heatK, ...later.map((_, i) => heatK[i % heatK.length]!)],
    };
    if (farBy(driftOf(longer).sdVPerH)) return (times - 1) * spanH;
  }
  return null;
}
/** Second differences of what was read, over the last half of it: its scatter without its course. */
function scatterAt(v: readonly number[], i: number): number {
  const half = v.slice(Math.floor(v.length / 2));
  if (half.length < 3) return 0;
  const k = 1 + (i % (half.length - 2));
  return (half[k]! - (half[k - 1]! + half[k + 1]!) / 2) / Math.sqrt(1.5);
}

/**
 * Whether a module keeps its charge: V(t) = V∞ + a₁·e^(−t/τ₁) + a₂·e^(−t/τ₂) − s·t + k·(T − T₀), all of it fitted together with a ≥ 0 and the time constants over
 * their whole range, each weighed by its likelihood; leakage = s / (dV/dQ). What is left of a slow relaxation is part of the interval. numbers.md, hold test.
 * @example
 * // A module of 60 A·h that falls 0.2 mV an hour where an ampere-hour is 20 mV leaks 10 mA.
 */
export function judgeHold(test: HoldTest): HoldAnswer {
  checkHold(test);
  const { timeH, voltageV, temperatureC, ocvSlopeVPerAh, capacityAh, leakLimitMilliamp } = test;
  const n = timeH.length;
  const kelvin = test.temperatureCoefficientVPerK;
  const fitsK = kelvin === null && Math.max(...temperatureC) - Math.min(...temperatureC) > 0.3;
  const course: Course = {
    timeH,
    v: voltageV.map((v, i) => v - (kelvin ?? 0) * (temperatureC[i]! - temperatureC[0]!)),
    heatK: fitsK ? temperatureC.map((t) => t - temperatureC[0]!) : null,
    cells: test.cellsInSeries,
  };
  const dead = n > 0 ? deadBy(test, course) : null;
  if (dead !== null) return { verdict: 'dead', ...NONE, reasons: [dead] };
  const least = 5 + (fitsK ? 1 : 0);
  if (n < least)
    return {
      verdict: 'inconclusive',
      ...NONE,
      reasons: [`${n} readings are too few to tell a leak from the voltage settling: ${least} or more.`],
    };
  const { driftVPerH, sdVPerH } = driftOf(course);
  const milliamp = (vPerH: number): number => (vPerH / ocvSlopeVPerAh) * 1000;
  const [leakageMilliamp, leakageSdMilliamp] = [milliamp(driftVPerH), milliamp(sdVPerH)];
  const lossPerDayFraction = ((leakageMilliamp / 1000) * 24) / capacityAh;
  const said = `${leakageMilliamp.toFixed(2)} ± ${leakageSdMilliamp.toFixed(2)} mA where up to ${leakLimitMilliamp} mA are allowed`;
  const far = isFar(leakageMilliamp, leakageSdMilliamp, leakLimitMilliamp);
  const more = far
    ? null
    : hoursMore(course, driftVPerH, (sd) => isFar(leakageMilliamp, milliamp(sd), leakLimitMilliamp));
  const longer =
    more === null
      ? 'Let it stand much longer, or float it beside its like.'
      : `Let it stand ${Math.ceil(more)} h more and read again.`;
  return {
    verdict: !far ? 'inconclusive' : leakageMilliamp < leakLimitMilliamp ? 'pass' : 'fail',
    leakageMilliamp,
    leakageSdMilliamp,
    lossPerDayFraction,
    reasons: [
      far ? `It leaks ${said}.` : `Too early to tell: it leaks ${said}. ${longer}`,
      `That is ${(100 * lossPerDayFraction).toFixed(2)} % a day.`,
    ],
  };
}
