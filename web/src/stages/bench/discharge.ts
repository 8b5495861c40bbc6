import type { RunCourse, RunPart } from '@cellmend/contract/bench';
import type { Span } from '../../ui/zoom';

type Course = Pick<RunCourse | RunPart, 'timeS' | 'currentA' | 'voltageV'>;
/** Below this a module gives nothing, A. */
const FLOWS_A = 0.02;

/** Charge that has flowed out at each point of a course, A·h. */
function given({ timeS, currentA }: Course, fromAh = 0): number[] {
  let ah = fromAh;
  return timeS.map((t, i) => {
    if (i > 0) ah += (Math.max(0, (currentA[i]! + currentA[i - 1]!) / 2) * (t - timeS[i - 1]!)) / 3600;
    return ah;
  });
}
/** The value at x of a line through points whose xs never fall. */
function between(xs: readonly number[], ys: readonly number[], x: number): number {
  const k = xs.findIndex((v) => v >= x);
  if (k <= 0) return k === 0 ? ys[0]! : ys.at(-1)!;
  const [x0, x1] = [xs[k - 1]!, xs[k]!];
  return x1 === x0 ? ys[k]! : ys[k - 1]! + ((x - x0) / (x1 - x0)) * (ys[k]! - ys[k - 1]!);
}

/** Volts over the charge given, while it discharges. @param of the whole course that this is a part of */
export function dischargeOf(course: Course, of?: Course): { ah: number; v: number }[] {
  const before = of && course.timeS.length > 0 ? between(of.timeS, given(of), course.timeS[0]!) : 0;
  const ah = given(course, before);
  return ah.flatMap((a, i) => (course.currentA[i]! > FLOWS_A ? [{ ah: a, v: course.voltageV[i]! }] : []));
}

/** When a run gave the charge between two figures, s; null where it never gave so much. */
export function timesOf(course: Course, { from, to }: Span): Span | null {
  const ah = given(course);
  if (ah.length === 0 || ah.at(-1)! < from) return null;
  // While a module rests or is charged its charge stands still: the discharge begins where it begins to rise.
  const first = ah.findIndex((a) => a > from);
  const begin = first <= 0 ? course.timeS[0]! : course.timeS[first - 1]!;
  return { from: begin, to: between(ah, course.timeS, Math.min(to, ah.at(-1)!)) };
}
