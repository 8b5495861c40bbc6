import { InputProblem } from '../problem';
import { bounded, type Interval } from './location';

/**
 * The known-resistor method of UN ECE R100 and FMVSS 305 S7.6: V1 and V2 are the voltages of the two poles to chassis,
 * V1 the higher; V1' is V1 with R0 across that side.
 */
export interface KnownResistorReadings {
  v1: number;
  v2: number;
  v1WithR0: number;
  r0Ohm: number;
  /** Pole to pole, V: makes the figure independent of the meter. */
  packV?: number | undefined;
  /** Accuracy of a voltage: V (last digits) and share of the reading; tolerance of R0, share. */
  accuracyV?: number | undefined;
  accuracyShare?: number | undefined;
  r0Tolerance?: number | undefined;
}

export interface KnownResistorResult {
  /** Ri of the regulation: what its limit is judged by, Ω. */
  regulationOhm: Interval;
  /** R0·(1 + V2/V1)·(V1 − V1')/V1', as the regulation prints it, Ω; low with a meter that loads the pack. */
  printedOhm: number;
  /** One leak's own resistance if it sits at V2's share of the string: smaller by the larger share, Ω. */
  leakOhm: number;
  /** Position from the pole V1 was measured at, share of the string. */
  fractionFromV1: number;
  remarks: string[];
}

/**
 * Insulation resistance by a known resistor. With the pack's voltage, R0·Vb·(1/V1' − 1/V1) holds for any meter; the
 * printed form assumes V1 + V2 = Vb. Ri is not the leak's own resistance: one leak at share f reads R/max(f, 1−f).
 * @throws InputProblem
 */
export function knownResistor(r: KnownResistorReadings): KnownResistorResult {
  const { v1, v2, v1WithR0, r0Ohm } = r;
  const problem = (what: string, accepted: string): never => {
    throw new InputProblem('known-resistor', what, '', accepted);
  };
  if (!(r0Ohm > 0)) problem(`A resistor of ${r0Ohm} Ω.`, 'More than 0 Ω.');
  if (!(v1 > 0) || !(v1WithR0 > 0)) problem('V1 and V1′ are both above zero.', 'The side that reads higher.');
  if (v2 > v1 * 1.02) problem(`V2 of ${v2} V is above V1 of ${v1} V.`, 'V1 is the side that reads higher.');
  if (v1WithR0 > v1)
    problem(`V1 rose from ${v1} V to ${v1WithR0} V with the resistor.`, 'It falls; check the clips.');
  const d = r.accuracyV ?? 0.1;
  const share = r.accuracyShare ?? 0.005;
  const slack = (v: number): number => d + share * v;
  const tolerance = r.r0Tolerance ?? 0.01;
  const vb = r.packV ?? v1 + v2;
  const vbSlack = r.packV === undefined ? slack(v1) + slack(v2) : slack(vb);
  const at = (a: number, b: number, v = vb, r0 = r0Ohm): number => Math.max(0, r0 * v * (1 / b - 1 / a));
  const value = at(v1, v1WithR0);
  const least = Math.max(1e-9, v1 - slack(v1));
  const low = at(least, v1WithR0 + slack(v1WithR0), vb - vbSlack, r0Ohm * (1 - tolerance));
  const withR0 = v1WithR0 - slack(v1WithR0);
  const high = withR0 <= 0 ? Infinity : at(v1 + slack(v1), withR0, vb + vbSlack, r0Ohm * (1 + tolerance));
  const remarks: string[] = [];
  if (v1 - v1WithR0 < 3 * slack(v1))
    remarks.push(
      `The voltage barely moved: a resistor of ${Math.round(r0Ohm / 1000)} kΩ is too large for this leak. Only a bound.`,
    );
  if (r.packV !== undefined && v1 + v2 < 0.98 * r.packV)
    remarks.push(
      'V1 + V2 is below the pack’s voltage: the meter loads the reading; the form with the pack’s voltage is used.',
    );
  // From V1's pole the chassis lies at V1/(V1+V2); the leak's own resistance is Ri times the larger share.
  const fraction = v1 / (v1 + v2);
  return {
    regulationOhm: bounded({ value, low, high }),
    printedOhm: r0Ohm * (1 + v2 / v1) * ((v1 - v1WithR0) / v1WithR0),
    leakOhm: value * Math.max(fraction, 1 - fraction),
    fractionFromV1: fraction,
    remarks,
  };
}

/** All there is to chassis, by the known resistor: the regulation's figure times the larger share, Ω. */
export function togetherOhm({
  regulationOhm,
  fractionFromV1,
}: Pick<KnownResistorResult, 'regulationOhm' | 'fractionFromV1'>): { low: number; high: number } {
  const share = Math.max(fractionFromV1, 1 - fractionFromV1);
  return { low: regulationOhm.low * share, high: regulationOhm.high * share };
}
