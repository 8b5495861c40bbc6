import { InputProblem } from '../problem';
import { CLASS_B_V } from './voltageClass';

/** Below this stored energy counts as harmless, J. UN ECE R100. */
export const HARMLESS_J = 0.2;

const positive = (name: string, value: number, unit: string): void => {
  if (!(value > 0) || !Number.isFinite(value))
    throw new InputProblem('bleed', `${name} of ${value} ${unit}.`, name, `More than 0 ${unit}.`);
};

export interface BleedDown {
  tauS: number;
  /** Seconds until at most `targetV` is left; 0 if it is no more to begin with. */
  waitS: number;
  energyJ: number;
  /** Voltage left after a time, V. */
  voltageAt: (timeS: number) => number;
}

/**
 * Discharge of the bus capacitors through their bleeder: v = V₀·e^(−t/RC), t = R·C·ln(V₀/60 V).
 * @throws InputProblem for values that cannot be.
 */
export function bleedDown(
  startV: number,
  bleederOhm: number,
  capacitanceF: number,
  targetV = CLASS_B_V,
): BleedDown {
  positive('voltage', startV, 'V');
  positive('bleeder', bleederOhm, 'Ω');
  positive('capacitance', capacitanceF, 'F');
  const tauS = bleederOhm * capacitanceF;
  return {
    tauS,
    waitS: startV <= targetV ? 0 : tauS * Math.log(startV / targetV),
    energyJ: 0.5 * capacitanceF * startV * startV,
    voltageAt: (t) => startV * Math.exp(-Math.max(0, t) / tauS),
  };
}

export interface PreCharge {
  tauS: number;
  /** Where the bus ends up; below the pack where something on the bus draws current. */
  finalV: number;
  peakA: number;
  /** Heat in the resistor until the bus has settled, J; with a load it goes on for as long as pre-charge lasts. */
  resistorJ: number;
  /** Power in the resistor once settled, W. */
  restingW: number;
  /** Seconds to a share of the pack's voltage; null if it is never reached. */
  timeToS: (share: number) => number | null;
  voltageAt: (timeS: number) => number;
}

/**
 * Charging the bus through the pre-charge resistor: τ = R·C, 95 % after 3τ, peak V/R, ½CV² in the resistor. A load on
 * the bus (a leak, a pump, a bleeder) divides the voltage: a target may then never be reached.
 * @param loadOhm what draws current on the bus; Infinity for nothing.
 */
export function preCharge(
  packV: number,
  resistorOhm: number,
  capacitanceF: number,
  loadOhm = Infinity,
): PreCharge {
  positive('voltage', packV, 'V');
  positive('resistor', resistorOhm, 'Ω');
  positive('capacitance', capacitanceF, 'F');
  const share = Number.isFinite(loadOhm) ? loadOhm / (loadOhm + resistorOhm) : 1;
  const finalV = packV * share;
  const tauS = resistorOhm * share * capacitanceF;
  const voltageAt = (t: number): number => finalV * (1 - Math.exp(-Math.max(0, t) / tauS));
  return {
    tauS,
    finalV,
    peakA: packV / resistorOhm,
    resistorJ: 0.5 * capacitanceF * finalV * finalV,
    restingW: (packV - finalV) ** 2 / resistorOhm,
    timeToS: (wanted) => (wanted * packV >= finalV ? null : -tauS * Math.log(1 - (wanted * packV) / finalV)),
    voltageAt,
  };
}
