/**
 * Voltage class B begins above 60 V DC or 30 V AC (UN ECE R100, ISO 6469-3). At or below it gloves may come off for
 * mechanical work once every point is proven.
 */
export const CLASS_B_V = 60;

/** Classes of insulating gloves with their highest use voltage, V DC. IEC 60903 and ASTM D120. */
export const GLOVE_CLASSES = [
  { name: '00', mostDcV: 750 },
  { name: '0', mostDcV: 1500 },
  { name: '1', mostDcV: 11_250 },
  { name: '2', mostDcV: 25_500 },
] as const;
export type GloveClass = (typeof GLOVE_CLASSES)[number]['name'];

/** Lowest glove class for a direct voltage; null below class B. @throws RangeError beyond the table. */
export function gloveClassFor(voltageV: number): GloveClass | null {
  if (voltageV <= CLASS_B_V) return null;
  const found = GLOVE_CLASSES.find((c) => voltageV <= c.mostDcV);
  if (!found) throw new RangeError(`No glove class for ${voltageV} V.`);
  return found.name;
}

/** Gloves in service are tested electrically at most this many months apart (OSHA 1910.137), and by air at each use. */
export const GLOVE_RETEST_MONTHS = 6;

/** The same day some months later, or that month's last: six months after 31 August is 28 or 29 February. */
export function monthsLater(day: string, months: number): string {
  const [year, month, date] = day.split('-').map(Number) as [number, number, number];
  const lastDay = new Date(Date.UTC(year, month - 1 + months + 1, 0));
  lastDay.setUTCDate(Math.min(date, lastDay.getUTCDate()));
  return lastDay.toISOString().slice(0, 10);
}

export interface Gloves {
  gloveClass: GloveClass | null;
  /** Date of the last electrical test, `2026-05-01`. */
  testedOn: string | null;
}

const DAY = new Intl.DateTimeFormat('en-GB', { dateStyle: 'long', timeZone: 'UTC' });
const dayName = (date: string): string => DAY.format(new Date(date));

/** Why somebody's gloves will not do for a voltage; empty if they will. @param today `2026-05-01` */
export function gloveFault(gloves: Gloves, voltageV: number, today: string): string {
  const needed = gloveClassFor(voltageV);
  if (!needed) return '';
  if (!gloves.gloveClass)
    return `No gloves are on record. Class ${needed} is needed for ${Math.round(voltageV)} V.`;
  const rank = (c: GloveClass): number => GLOVE_CLASSES.findIndex((g) => g.name === c);
  if (rank(gloves.gloveClass) < rank(needed))
    return `Gloves of class ${gloves.gloveClass} are for less; class ${needed} is needed for ${Math.round(voltageV)} V.`;
  if (!gloves.testedOn) return 'The date of the electrical test is not on record.';
  if (gloves.testedOn > today)
    return `The electrical test of ${dayName(gloves.testedOn)} lies in the future.`;
  if (today > monthsLater(gloves.testedOn, GLOVE_RETEST_MONTHS))
    return `The electrical test of ${dayName(gloves.testedOn)} is more than ${GLOVE_RETEST_MONTHS} months old.`;
  return '';
}
