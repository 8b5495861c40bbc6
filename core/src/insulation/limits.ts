import { fullV, limitValue, type Pack } from '../pack';

/**
 * Least insulation for the highest working voltage, Ω/V: 100 for direct current, 500 where connected to alternating
 * current without a monitor of its own. UN ECE R100, ISO 6469-3, FMVSS 305.
 */
export const LEAST_OHM_PER_V = { dc: 100, ac: 500 } as const;

/**
 * What an insulation test of any part of a pack may be made with: at least the highest working voltage of the whole
 * pack, which a separated section meets again once it is back in the string, at most what the maker allows.
 */
export function testVoltageBounds(pack: Pack): { leastV: number; mostV: number } {
  return {
    leastV: fullV(pack.profile, pack.groups.length),
    mostV: limitValue(pack.profile, 'testVoltageMostV'),
  };
}

/** The voltage that the Ω/V rule is taken by: what was measured, or the highest the pack has at work. */
export type LimitVoltage = 'measured' | 'working';

export interface Judged {
  by: LimitVoltage;
  /** That voltage, V. */
  voltageV: number;
  ohmPerV: number;
  leastOhmPerV: number;
  leastOhm: number;
  /** `uncertain` where the interval of the reading spans the limit. */
  verdict: 'within' | 'below' | 'uncertain';
  rule: string;
}

/**
 * Judges an insulation resistance with its interval against the Ω/V rule. The rule speaks of the highest working voltage,
 * which asks more than what a pack has at the moment.
 */
export function judgeOhmPerVolt(
  ohm: { value: number; low: number; high: number },
  measuredV: number,
  pack: Pack,
  by: LimitVoltage = 'working',
): Judged {
  const packV = by === 'measured' ? measuredV : Math.max(measuredV, fullV(pack.profile, pack.groups.length));
  const ac = pack.profile.acConnected === true;
  const leastOhmPerV = ac ? LEAST_OHM_PER_V.ac : LEAST_OHM_PER_V.dc;
  const leastOhm = leastOhmPerV * packV;
  return {
    by,
    voltageV: packV,
    ohmPerV: ohm.value / packV,
    leastOhmPerV,
    leastOhm,
    verdict: ohm.low >= leastOhm ? 'within' : ohm.high < leastOhm ? 'below' : 'uncertain',
    rule: `UN ECE R100, ISO 6469-3, FMVSS 305: ${leastOhmPerV} Ω/V${ac ? ', connected to alternating current' : ''}`,
  };
}

/** What the vehicle's own monitor reports: a resistance, or the amplitude of a superimposed signal. */
export type VehicleFigure = { ohm: number } | { signalV: number };
export interface VehicleJudged {
  state: 'good' | 'warns' | 'stops';
  text: string;
}

/** Judges the vehicle's figure by the profile's thresholds, or by usual ones. */
export function judgeVehicleFigure(figure: VehicleFigure, pack: Pack): VehicleJudged {
  const limit = (key: Parameters<typeof limitValue>[1]): number => limitValue(pack.profile, key);
  if ('ohm' in figure) {
    const warn = limit('vehicleWarnOhm');
    const stop = limit('vehicleStopOhm');
    const k = (v: number): string => `${Math.round(v / 1000)} kΩ`;
    if (figure.ohm < stop)
      return { state: 'stops', text: `${k(figure.ohm)} is below ${k(stop)}: it will not start.` };
    if (figure.ohm < warn) return { state: 'warns', text: `${k(figure.ohm)} is below ${k(warn)}: it warns.` };
    return { state: 'good', text: `${k(figure.ohm)} is above ${k(warn)}.` };
  }
  const good = limit('signalGoodV');
  const fault = limit('signalFaultV');
  if (figure.signalV <= fault)
    return { state: 'stops', text: `${figure.signalV} V of signal: at ${fault} V a fault is set.` };
  if (figure.signalV < (good + fault) / 2)
    return {
      state: 'warns',
      text: `${figure.signalV} V of signal, between ${fault} V (fault) and ${good} V (good).`,
    };
  return { state: 'good', text: `${figure.signalV} V of signal is near the full ${good} V.` };
}
