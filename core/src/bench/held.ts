import { limitValue, ocvCurve, type PackProfile } from '../pack';
import { judgeHold, type HoldAnswer } from './hold';

/** A voltage of a module that is left alone, with its warmth where somebody took it. */
export interface HeldReading {
  h: number;
  v: number;
  c: number | null;
}
export interface HeldJudged {
  verdict: HoldAnswer['verdict'];
  /** Share of its charge that it loses a month, with two standard deviations; null where nothing can be told. */
  monthShare: { value: number; halfWidth: number } | null;
  /** The same as a current; null as well where nobody measured what the module holds. */
  leakMilliamp: { value: number; halfWidth: number } | null;
  reasons: string[];
  /** What would have to be known. */
  missing: string[];
}

/** Most that a healthy module loses a month, as a share. numbers.md, hold test [M]. */
const LOSES_A_MONTH = { nimh: 0.3, lithium: 0.03 };
const MONTH_H = 30 * 24;
/** A meter reads a rest voltage to this, V a cell. From memory. */
const READS_V = 0.003;
/** Wider than this a voltage does not tell how full it is: the slope there is anything. */
const TELLS_SOC = 0.1;
/** A fall of this share of a cell's lowest voltage, from one reading to the next, is a cell that has gone. From memory. */
const SUDDEN = 0.5;

/**
 * What the voltages since the beginning of a hold test say. A loss is told as a share of the charge, which asks for no capacity;
 * as a current only where the capacity was measured. Without warmth, or without knowing how full it was, only a collapse is told.
 * @param capacityAh measured; null where nobody did.
 * @param socFraction how full it was charged; null: by its first voltage, as far as that tells.
 */
export function judgeHeld(
  profile: PackProfile,
  cells: number,
  readings: readonly HeldReading[],
  { socFraction, capacityAh }: { socFraction: number | null; capacityAh: number | null },
): HeldJudged | null {
  const first = readings[0];
  if (!first) return null;
  const curve = ocvCurve(profile.ocv);
  const [low, high] = curve.socInterval(first.v / cells, READS_V);
  const full = socFraction ?? (high - low <= TELLS_SOC ? (low + high) / 2 : null);
  const nimh = profile.chemistry === 'nimh';
  const share = nimh ? LOSES_A_MONTH.nimh : LOSES_A_MONTH.lithium;
  // Loss and limit both go with the capacity: which one stands here makes no difference to the verdict.
  const holdsAh = capacityAh ?? profile.ratedCapacityAh;
  const slopeV = curve.slopeAt(Math.min(0.98, Math.max(0.02, full ?? 0.5))) * cells;
  const warm = readings.every((r) => r.c !== null);
  const answer = judgeHold({
    chemistry: profile.chemistry,
    cellsInSeries: cells,
    capacityAh: holdsAh,
    socFraction: full ?? 0.5,
    ocvSlopeVPerAh: Math.max(1e-9, slopeV / holdsAh),
    temperatureCoefficientVPerK: warm ? null : 0,
    leakLimitMilliamp: ((share * holdsAh) / MONTH_H) * 1000,
    deadBelowV: limitValue(profile, 'cellScrapV') * cells,
    suddenDropV: SUDDEN * limitValue(profile, 'cellEmptyV'),
    timeH: readings.map((r) => r.h),
    voltageV: readings.map((r) => r.v),
    temperatureC: readings.map((r) => r.c ?? 20),
  });
  const missing = [
    ...(warm ? [] : ['Its warmth: jot it beside each voltage.']),
    ...(full === null ? ['How full it was: its voltage does not tell on this flat of the curve.'] : []),
  ];
  if (answer.verdict === 'dead')
    return { verdict: 'dead', monthShare: null, leakMilliamp: null, reasons: answer.reasons, missing };
  if (missing.length > 0)
    return { verdict: 'inconclusive', monthShare: null, leakMilliamp: null, reasons: [], missing };
  const { leakageMilliamp: ma, leakageSdMilliamp: sd } = answer;
  const leak = ma === null ? null : { value: ma, halfWidth: 2 * (sd ?? 0) };
  const perMonth = MONTH_H / 1000 / holdsAh;
  return {
    verdict: answer.verdict,
    monthShare: leak && { value: leak.value * perMonth, halfWidth: leak.halfWidth * perMonth },
    leakMilliamp: capacityAh === null ? null : leak,
    reasons: capacityAh === null ? answer.reasons.filter((r) => !/mA/.test(r)) : answer.reasons,
    missing: capacityAh === null ? ['What it holds: then its leakage is told in milliamps.'] : [],
  };
}
