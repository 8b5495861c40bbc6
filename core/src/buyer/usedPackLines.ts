import type { Span } from '../cost';
import { judgeDelta, ocvCurve, type Pack } from '../pack';
import { gradeDelta } from '../diagnosis';
import { deltaWords, type CheckLine } from './check';
import { LOOKS, type Look, type ShownFacts, type UsedPackVerdict } from './offer';

/** Packs that are kept full lose faster: from here on it is asked how long. Common practice, no source. */
const FULL_SOC = 0.75;
const LONG_MONTHS = 3;
/** Sensors of a pack that rested lie within so much. Common practice, no source. */
const TEMPERATURE_SPAN_K = 5;

export const pct = (v: number): string => `${Math.round(v * 1000) / 10} %`;
const years = (v: number): string => (v >= 30 ? 'over 30' : v.toFixed(v < 3 ? 1 : 0));

/** A delta that was read off a screen: in millivolts, and what that is in charge at that place of the curve. */
export function shownDelta(shown: ShownFacts, pack: Pack): CheckLine {
  const what = 'Delta shown';
  const { deltaMv, socFraction } = shown;
  if (deltaMv === null)
    return {
      what,
      shows: 'not read',
      judged: 'unknown',
      why: 'Wake it on the bench: 12 V and CAN at its plug.',
    };
  const cells = pack.channels[0]?.cells ?? 1;
  if (socFraction === null)
    return {
      what,
      shows: `${Math.round(deltaMv)} mV, at what charge is not told`,
      judged: 'unknown',
      why: 'What a delta means follows from the charge it is read at: read that as well.',
    };
  const { judged, why } = deltaWords(gradeDelta(deltaMv / cells, socFraction, pack), socFraction, pack);
  const slope = ocvCurve(pack.profile.ocv).slopeAt(socFraction);
  const share = slope > 0 ? deltaMv / 1000 / cells / slope : Infinity;
  // On a plateau millivolts hide charge: then the voltages say nothing about balance.
  const flat = judgeDelta(deltaMv / cells, socFraction, pack).state === 'cannot-tell';
  return {
    what,
    shows: `${Math.round(deltaMv)} mV at ${pct(socFraction)}${
      flat ? '' : `: ${(share * pack.profile.ratedCapacityAh).toFixed(1)} A·h apart, if all hold alike`
    }`,
    judged: flat && judged === 'good' ? 'unknown' : judged,
    why: flat ? 'The curve is flat there: charge may differ widely behind few millivolts.' : why,
  };
}

export function storedLine({ socFraction, storedMonths }: ShownFacts): CheckLine {
  const what = 'Stored';
  if (socFraction === null)
    return {
      what,
      shows: 'charge not read',
      judged: 'unknown',
      why: 'Packs that stand near full lose faster.',
    };
  const full = socFraction >= FULL_SOC;
  return {
    what,
    shows: `${pct(socFraction)}${storedMonths === null ? ', for how long is not told' : ` for ${storedMonths} months`}`,
    judged: !full
      ? 'good'
      : storedMonths === null
        ? 'unknown'
        : storedMonths >= LONG_MONTHS
          ? 'fair'
          : 'good',
    why: full
      ? 'Near full for months costs capacity: ask, and take it down to half when it comes.'
      : socFraction < 0.1
        ? 'Nearly empty: groups may fall below their floor while it stands.'
        : 'Half full keeps best.',
  };
}

export function temperatureLine({ coldestC, warmestC }: ShownFacts): CheckLine {
  const what = 'Temperatures';
  if (coldestC === null || warmestC === null)
    return {
      what,
      shows: 'not read',
      judged: 'unknown',
      why: 'One sensor far from the rest warms on its own, or is broken.',
    };
  const span = warmestC - coldestC;
  const possible = coldestC > -30 && warmestC < 60;
  return {
    what,
    shows: `${coldestC} to ${warmestC} °C`,
    judged: !possible ? 'poor' : span <= TEMPERATURE_SPAN_K ? 'good' : 'fair',
    why: possible
      ? `A pack that rested lies within ${TEMPERATURE_SPAN_K} K.`
      : 'No pack at rest is that warm or that cold: keep away, and ask why.',
  };
}

export const lookLine = (look: Look, found: 'good' | 'bad' | undefined): CheckLine => ({
  what: LOOKS[look].asks,
  shows: found === undefined ? 'not looked at' : found === 'good' ? 'yes' : 'no',
  judged: found === undefined ? 'unknown' : found === 'good' ? 'good' : LOOKS[look].leaves ? 'poor' : 'fair',
  why: found === 'bad' ? `${LOOKS[look].bad}.` : '',
});

export function lifeLines(
  { bySubtraction: s, byHealth: h }: UsedPackVerdict['lasts'],
  shown: ShownFacts,
): CheckLine[] {
  const judged = (v: Span): CheckLine['judged'] => (v.low >= 5 ? 'good' : v.likely >= 3 ? 'fair' : 'poor');
  const spanned = (v: Span): string => `${years(v.likely)} years (${years(v.low)} to ${years(v.high)})`;
  return [
    s
      ? {
          what: 'Lasts, by distance and years',
          shows: `${spanned(s)} by the rule, not measured`,
          judged: judged(s),
          why: '750 to 1500 full cycles, 2 to 4 % a year.',
        }
      : {
          what: 'Lasts, by distance and years',
          shows: 'cannot be told',
          judged: 'unknown',
          why: 'It takes odometer, age, rated range and how far it is driven a year.',
        },
    h
      ? {
          what: 'Lasts, by health',
          shows: `${spanned(h)} to 70 %${h.reported ? `, if ${pct(shown.healthFraction!)} as it reports is true` : ''}`,
          judged: judged(h),
          why: `With the square root of time; in a straight line ${years(h.inLine)} years.`,
        }
      : {
          what: 'Lasts, by health',
          shows: 'cannot be told',
          judged: 'unknown',
          why: 'It takes its age and its health: measured, or as it reports it.',
        },
  ];
}

export const reportedLine = (health: number): CheckLine => ({
  what: 'Health',
  shows: `${pct(health)} as it reports, not measured`,
  judged: 'unknown',
  why: 'A discharge between two rests would measure it.',
});
