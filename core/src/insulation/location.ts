import type { Pack } from '../pack';
import { InputProblem } from '../problem';

/** Both poles to chassis, one after the other, with the same meter. */
export interface PoleReadings {
  /** Pole to pole, V. */
  packV: number;
  /** Negative pole to chassis and positive pole to chassis, V, as magnitudes. */
  negativeV: number;
  positiveV: number;
  /** Input resistance of the meter, Ω. */
  meterOhm: number;
  /** Accuracy of a voltage, share of reading and volts (last digits). */
  accuracyShare?: number | undefined;
  accuracyV?: number | undefined;
  /**
   * Least resistance the rest of the pack may have at each pole, Ω: it pulls the position towards the middle. Left out
   * where nobody knows it; it is then taken to be as low as a healthy pack’s may be.
   */
  residualOhm?: number | undefined;
  /** What all there is measures by another way (a known resistor), Ω: a meter of 10 MΩ tells a small leak's size badly. */
  togetherOhm?: { low: number; high: number } | undefined;
}

export interface Interval {
  value: number;
  low: number;
  high: number;
}

export interface LeakLocation {
  /** Resistance of all there is to chassis, Ω, as the terminals see it. `high` may be `UNBOUNDED_OHM`. */
  equivalentOhm: Interval;
  /** The leak's own resistance, without what the rest of the pack leaks, Ω. `high` may be `UNBOUNDED_OHM`. */
  leakOhm: Interval;
  /** Position along the string from the negative end, by voltage, 0 to 1. */
  fraction: Interval;
  /** Where the chassis itself lies along the string: the position as if nothing else leaked. */
  apparent: Interval;
  /** False where the rest of the pack may leak as much as the leak does: the voltages then name no place. */
  identifiable: boolean;
  /** Volts of the chassis above the negative pole without a meter. */
  chassisV: number;
  /** Why the figures are wide or only a bound; in plain words. */
  remarks: string[];
}

const ACCURACY_SHARE = 0.005;
const ACCURACY_V = 0.1;
const METER_SHARE = 0.02;
/** Stands for no upper bound, Ω: more than any insulation that is measured, and a figure that can be stored. */
export const UNBOUNDED_OHM = 1e12;
/** An interval that can be stored: what has no upper bound says so by a figure, never by infinity. */
export const bounded = ({ value, low, high }: Interval): Interval => ({
  value: Math.min(value, UNBOUNDED_OHM),
  low: Math.min(low, UNBOUNDED_OHM),
  high: Math.min(high, UNBOUNDED_OHM),
});
/** Healthy packs show from 1 MΩ up. From memory; a pack's own figure is better. */
export const RESIDUAL_OHM = 1e6;
/** A position known no better than this much of the string names no place. */
const NO_PLACE = 0.6;
/** A leak this much smaller than the meter barely loads the reading. */
const UNRESOLVED_SHARE = 0.012;

/**
 * Where a leak sits and how big it is, from two voltages at the terminals.
 * With meter resistance R_m on a floating string: V_n + V_p = V·R_m/(R_m + R), so R = R_m·(V/(V_n+V_p) − 1), and the
 * chassis sits at V_n/(V_n+V_p) of the string. Residual insulation at the poles pulls that towards the middle; the
 * intervals hold every corner of the readings' tolerances and of the residuals.
 * @throws InputProblem for readings that cannot be.
 */
export function locateLeak(r: PoleReadings): LeakLocation {
  const { packV, negativeV, positiveV, meterOhm } = r;
  const share = r.accuracyShare ?? ACCURACY_SHARE;
  const digits = r.accuracyV ?? ACCURACY_V;
  const problem = (what: string, where: string, accepted: string): never => {
    throw new InputProblem('poles', what, where, accepted);
  };
  if (!(packV > 0)) problem(`${packV} V pole to pole.`, 'pack voltage', 'More than 0 V.');
  if (!(meterOhm > 0)) problem(`A meter of ${meterOhm} Ω.`, 'meter', 'Its input resistance, usually 10 MΩ.');
  if (negativeV < 0 || positiveV < 0)
    problem('A negative figure.', 'poles', 'Magnitudes: − to chassis and + to chassis, without sign.');
  const sum = negativeV + positiveV;
  const slack = (v: number): number => share * v + digits;
  if (sum > packV + slack(packV) + slack(negativeV) + slack(positiveV))
    problem(
      `${negativeV} V and ${positiveV} V make more than the pack’s ${packV} V.`,
      'poles',
      'Readings of one moment, one after the other, with the same meter.',
    );
  const remarks: string[] = [];
  const known = r.togetherOhm;
  const equivalent = (vn: number, vp: number, v: number, rm: number): number =>
    vn + vp <= 0 ? Infinity : Math.max(0, rm * (v / (vn + vp) - 1));
  const residual = 1 / (r.residualOhm ?? RESIDUAL_OHM);
  const alone = equivalent(negativeV, positiveV, packV, meterOhm);
  const r0 = known ? Math.min(known.high, Math.max(known.low, alone)) : alone;
  const f0 = sum > 0 ? negativeV / sum : 0.5;
  let rLow = Infinity;
  let rHigh = 0;
  let fLow = 1;
  let fHigh = 0;
  let aLow = 1;
  let aHigh = 0;
  let ownHigh = 0;
  for (let corner = 0; corner < 64; corner++) {
    const sign = (bit: number): number => (corner & (1 << bit) ? 1 : -1);
    const vn = Math.max(0, negativeV + sign(0) * slack(negativeV));
    const vp = Math.max(0, positiveV + sign(1) * slack(positiveV));
    const v = packV + sign(2) * slack(packV);
    const rm = meterOhm * (1 + sign(3) * METER_SHARE);
    const seen = equivalent(vn, vp, v, rm);
    const R = known ? Math.min(known.high, Math.max(known.low, seen)) : seen;
    rLow = Math.min(rLow, R);
    rHigh = Math.max(rHigh, R);
    ownHigh = Math.max(ownHigh, 1 / R > 2 * residual ? 1 / (1 / R - 2 * residual) : UNBOUNDED_OHM);
    if (vn + vp <= 0) continue;
    aLow = Math.min(aLow, vn / (vn + vp));
    aHigh = Math.max(aHigh, vn / (vn + vp));
    const total = R > 0 && Number.isFinite(R) ? 1 / R : R === 0 ? Infinity : 0;
    // Residual insulation at either pole, from none to as bad as allowed; never more than all there is.
    const most = ((corner & 48) === 48 ? 0.475 : 0.95) * total;
    const gn = corner & 16 ? Math.min(residual, most) : 0;
    const gp = corner & 32 ? Math.min(residual, most) : 0;
    const apparent = vn / (vn + vp);
    const f = Number.isFinite(total) ? (apparent * total - gp) / (total - gn - gp) : apparent;
    fLow = Math.min(fLow, f);
    fHigh = Math.max(fHigh, f);
  }
  const clamp = (f: number): number => Math.min(1, Math.max(0, f));
  if (sum < 4 * slack(packV)) {
    fLow = 0;
    fHigh = 1;
    aLow = 0;
    aHigh = 1;
    remarks.push(
      'Both poles read next to nothing: no leak that this meter can see, or no contact to bare chassis.',
    );
  }
  if (!known && sum > 0 && packV - sum < 2 * slack(packV) && r0 < UNRESOLVED_SHARE * meterOhm)
    remarks.push(
      `The leak is far below the meter’s ${(meterOhm / 1e6).toPrecision(2)} MΩ: only an upper bound of its size. Take a known resistor.`,
    );
  const identifiable = clamp(fHigh) - clamp(fLow) < NO_PLACE;
  if (!identifiable)
    remarks.push(
      'The rest of the pack may leak as much as this does: the voltages name no place. Open the string and test its parts.',
    );
  else if (residual > 0.1 / Math.max(1, r0))
    remarks.push('What the rest of the pack may leak pulls the position: it is wide.');
  return {
    equivalentOhm: bounded({ value: r0, low: rLow, high: rHigh }),
    leakOhm: bounded({ value: r0, low: rLow, high: ownHigh }),
    fraction: { value: clamp(f0), low: clamp(fLow), high: clamp(fHigh) },
    apparent: { value: clamp(f0), low: clamp(aLow), high: clamp(aHigh) },
    identifiable,
    chassisV: clamp(f0) * packV,
    remarks,
  };
}

/** Voltages of all modules in string order, V, and where each begins and ends along the string, by voltage. */
export function moduleFractions(pack: Pack, moduleV: readonly number[]): { low: number; high: number }[] {
  const total = pack.stringOrder.reduce((s, m) => s + moduleV[m]!, 0);
  const out: { low: number; high: number }[] = new Array(pack.modules.length);
  let at = 0;
  for (const m of pack.stringOrder) {
    const next = at + moduleV[m]! / total;
    out[m] = { low: at, high: next };
    at = next;
  }
  return out;
}

/** Standard normal distribution function (Abramowitz and Stegun 26.2.17, error below 7.5e-8). */
export function normalShareBelow(z: number): number {
  const t = 1 / (1 + 0.2316419 * Math.abs(z));
  const d = Math.exp((-z * z) / 2) / Math.sqrt(2 * Math.PI);
  const upper =
    d * t * (0.31938153 + t * (-0.356563782 + t * (1.781477937 + t * (-1.821255978 + t * 1.330274429))));
  return z >= 0 ? 1 - upper : upper;
}

/** A leak anywhere in a module's case, brackets or leads can show a little beside its cells. */
const LEAST_FRACTION_SD = 0.015;
/** Share kept for everywhere: a board that feeds the chassis moves the needle unseen. From memory. */
const ANYWHERE = 0.02;

/** The position as a distribution: how likely it lies below a share of the string. The ends of its interval count as two deviations. */
export function positionShareBelow({ fraction }: LeakLocation): (x: number) => number {
  const { value, low, high } = fraction;
  const below = Math.max(LEAST_FRACTION_SD, (value - low) / 2);
  const above = Math.max(LEAST_FRACTION_SD, (high - value) / 2);
  return (x) => normalShareBelow((x - value) / (x < value ? below : above));
}

/**
 * How likely the leak is in each module, by module index: the interval of the position as a normal distribution
 * (its ends at two standard deviations), shared out over the string, with a little kept for everywhere.
 */
export function moduleProbabilities(
  pack: Pack,
  moduleV: readonly number[],
  location: LeakLocation | null,
): number[] {
  const places = moduleFractions(pack, moduleV);
  if (!location?.identifiable) return places.map((p) => p.high - p.low);
  const share = positionShareBelow(location);
  const raw = places.map((p) => Math.max(0, share(p.high) - share(p.low)));
  const total = raw.reduce((a, b) => a + b, 0) || 1;
  return places.map((p, m) => ((1 - ANYWHERE) * raw[m]!) / total + ANYWHERE * (p.high - p.low));
}
