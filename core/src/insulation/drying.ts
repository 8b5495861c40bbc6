import { correctionTo40C, sizeInWords } from './series';

/** Insulation of one part, read while it dries. */
export interface DryingReading {
  /** ISO 8601. */
  at: string;
  ohm: number;
  /** Of the part; null where nobody wrote it down. */
  temperatureC: number | null;
}
export interface Drying {
  /** Readings at a known temperature, corrected to 40 °C, oldest first. */
  at40C: { at: string; ohm: number }[];
  /** It rises no more. */
  steady: boolean;
  says: string;
}

/** Readings that have to agree, over how many hours, and within what: a tester repeats itself to some per cent. From memory. */
const AGREE = 3;
const OVER_H = 2;
const WITHIN = 0.1;

/**
 * Whether drying has come to its end: warmth lowers insulation and drying raises it, so only figures corrected to one temperature
 * (K = 0.5^((40 − T)/10), IEEE 43) tell the two apart. The end is a figure that stays for hours; what comes back after wetting was not dry.
 * @param leastOhm what the module needs: what stays below it is no matter of drying
 *
 * @example
 * dryingOf(readings, 20e6).says; // '480 MΩ at 40 °C for 3 h, within 10 %: it rises no more. Wet it again and test.'
 */
export function dryingOf(readings: readonly DryingReading[], leastOhm: number): Drying {
  const at40C = readings
    .flatMap((r) =>
      r.temperatureC === null || r.ohm <= 0
        ? []
        : [{ at: r.at, ohm: r.ohm * correctionTo40C(r.temperatureC) }],
    )
    .sort((a, b) => a.at.localeCompare(b.at));
  const newest = at40C.at(-1);
  if (!newest)
    return { at40C, steady: false, says: 'No insulation at a known temperature is on record of this part.' };
  // As far back as all agree with the newest.
  let from = at40C.length - 1;
  while (from > 0 && Math.abs(Math.log(at40C[from - 1]!.ohm / newest.ohm)) <= WITHIN) from--;
  const hours = (Date.parse(newest.at) - Date.parse(at40C[from]!.at)) / 3_600_000;
  const steady = at40C.length - from >= AGREE && hours >= OVER_H;
  const figure = `${sizeInWords(newest.ohm)} at 40 °C`;
  if (steady && newest.ohm < leastOhm)
    return {
      at40C,
      steady,
      says: `${figure} for ${Math.round(hours)} h, below the ${sizeInWords(leastOhm)} it needs: it rises no more, drying does not mend it.`,
    };
  if (steady)
    return {
      at40C,
      steady,
      says: `${figure} for ${Math.round(hours)} h, within ${WITHIN * 100} %: it rises no more. Wet it again and test.`,
    };
  const before = at40C.at(-2);
  const rises = before && newest.ohm > before.ohm * (1 + WITHIN);
  return {
    at40C,
    steady,
    says: rises
      ? `${figure}, ${sizeInWords(before.ohm)} before it: it still rises, go on drying.`
      : `${figure}: not yet ${AGREE} readings over ${OVER_H} h that agree within ${WITHIN * 100} %.`,
  };
}
