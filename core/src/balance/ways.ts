import { ocvCurve, type PackProfile } from '../pack';
import { chargeCcCv, parallel } from './circuits';

/** A module that is to be brought to the level of the others. */
export interface WaysAsk {
  groups: number;
  /** Of the newcomer: what it holds, how full it is, how full it has to be. */
  capacityAh: number;
  socNow: number;
  socTarget: number;
  /** Of the whole module. */
  internalOhm: number;
  /** Limits of the supply, the leads to it, and a resistor to discharge through. */
  currentA: number;
  supplyLimitV: number;
  leadOhm: number;
  resistorOhm: number;
}
export interface Ways {
  /** Null where it has to give charge away. `hours` null: its voltage limit ends it before, at `endsAtSoc`. */
  supply: { hours: number | null; fullCurrentHours: number; firstA: number; endsAtSoc: number } | null;
  /** Null where it has to be charged. */
  resistor: { hours: number; firstA: number; firstW: number } | null;
  /** Beside one that lies where it shall lie, of the same size. */
  neighbour: {
    /** What would flow at first with nothing between them. */
    bareA: number;
    /** To put between them so that no more than the supply's current flows; 0 where none is needed. */
    between: number;
    hours: number;
    /** Where both meet, and how far the neighbour comes off. */
    meetSoc: number;
    neighbourOff: number;
  };
}

/** Two readings of one meter tell no less apart, V a group. Common practice, no source. */
export const NEAR_V = 0.002;
/** Side by side counts as level here, V a group. Common practice, no source. */
const SIDE_V = 0.005;
/** Something is in every loop, Ω. */
const LEAST_OHM = 1e-4;
const STEPS = 200;

/**
 * What each way to bring a module level takes, by the circuit it makes: a supply whose current dies away, a resistor that is
 * driven by the module's own voltage, a neighbour that gives what it then lacks.
 */
export function waysToLevel({ ocv }: Pick<PackProfile, 'ocv'>, ask: WaysAsk): Ways {
  const { groups, capacityAh, socNow, socTarget, internalOhm, currentA, supplyLimitV, leadOhm, resistorOhm } =
    ask;
  const curve = ocvCurve(ocv);
  const openV = (soc: number): number => groups * curve.voltageAt(soc);
  const charge = socTarget > socNow;
  let supply: Ways['supply'] = null;
  let resistor: Ways['resistor'] = null;
  if (charge) {
    // A supply that ends at the target comes ever nearer and never there: as near as two readings can tell is level.
    const near = curve.socAt(curve.voltageAt(socTarget) - NEAR_V);
    const found = chargeCcCv({
      ocv,
      cellsInSeries: groups,
      capacityAh,
      socStart: socNow,
      socTarget: Math.max(socNow, Math.min(socTarget, near)),
      supplyLimitV,
      supplyLimitA: currentA,
      leadOhm,
      internalOhm,
    });
    supply = {
      hours: found.hours,
      fullCurrentHours: found.hoursCc,
      firstA: found.initialCurrentA,
      endsAtSoc: found.socAsymptote ?? socTarget,
    };
  } else {
    // dt = R/V dq, over the curve.
    const ohm = resistorOhm + internalOhm + leadOhm;
    const step = ((socNow - socTarget) * capacityAh) / STEPS;
    let hours = 0;
    for (let k = 0; k < STEPS; k++)
      hours += (step * ohm) / openV(socNow - ((k + 0.5) / STEPS) * (socNow - socTarget));
    const firstA = openV(socNow) / ohm;
    resistor = { hours, firstA, firstW: firstA * firstA * resistorOhm };
  }
  const side = (between: number) =>
    parallel({
      ocv,
      cellsInSeries: groups,
      capacityAh: [capacityAh, capacityAh],
      soc: [socNow, socTarget],
      internalOhm: [internalOhm, internalOhm],
      leadOhm: Math.max(LEAST_OHM, leadOhm) + between,
      deltaV: SIDE_V * groups,
    });
  const loop = 2 * internalOhm + Math.max(LEAST_OHM, leadOhm);
  const gapV = Math.abs(openV(socTarget) - openV(socNow));
  const between = Math.max(0, gapV / currentA - loop);
  const slow = side(between);
  return {
    supply,
    resistor,
    neighbour: {
      bareA: gapV / loop,
      between,
      hours: slow.hoursToDelta,
      meetSoc: slow.socAtRest[0],
      neighbourOff: Math.abs(socTarget - slow.socAtRest[1]),
    },
  };
}
