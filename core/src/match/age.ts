/** When a figure of a part was taken, ISO 8601, and how warm the part was, °C; null where nobody wrote it down. */
export interface Taken {
  at: string;
  temperatureC: number | null;
}
export const AGEING_FIGURES = ['capacityAh', 'resistanceMilliohm', 'restVoltageV', 'insulationOhm'] as const;
export type AgeingFigure = (typeof AGEING_FIGURES)[number];
export type TakenOf = Partial<Record<AgeingFigure, Taken | undefined>>;

const NAMES: Record<AgeingFigure, string> = {
  capacityAh: 'capacity',
  resistanceMilliohm: 'resistance',
  restVoltageV: 'rest voltage',
  insulationOhm: 'insulation',
};
/**
 * For how many days a figure of a part that lies on the shelf is taken as it was. Common practice, no source: a voltage tells the
 * charge of the day it was read, a part takes up moisture over months, and it ages standing still over a year.
 */
export const GOOD_FOR_DAYS: Record<AgeingFigure, number> = {
  restVoltageV: 7,
  insulationOhm: 90,
  capacityAh: 365,
  resistanceMilliohm: 365,
};
const WHY: Record<AgeingFigure, string> = {
  restVoltageV: 'it tells the charge of that day',
  insulationOhm: 'a part takes up moisture where it lies',
  capacityAh: 'it ages standing still too',
  resistanceMilliohm: 'it ages standing still too',
};

/** A figure that is too old to go by, in a word and in a sentence. */
export interface OldFigure {
  figure: AgeingFigure;
  days: number;
  short: string;
  says: string;
}

/** `5 days`, `7 weeks`, `14 months`. */
function long(days: number): string {
  const said = (n: number, what: string): string => `${n} ${what}${n === 1 ? '' : 's'}`;
  if (days < 21) return said(Math.round(days), 'day');
  if (days < 120) return said(Math.round(days / 7), 'week');
  return said(Math.round(days / 30.44), 'month');
}

/**
 * Which figures of a part are too old to go by, each with why, and which nobody can compare because the temperature was not written
 * down. A figure without a date is asked for its date.
 *
 * @param known the figures that there are
 * @param asOf the day that is asked about
 */
export function ageOfData(
  known: Partial<Record<AgeingFigure, number | null | undefined>>,
  taken: TakenOf,
  asOf: Date,
): { old: OldFigure[]; asks: string[] } {
  const old: OldFigure[] = [];
  const asks: string[] = [];
  const without: string[] = [];
  for (const figure of AGEING_FIGURES) {
    if (known[figure] == null) continue;
    const at = taken[figure];
    if (!at) {
      asks.push(`when its ${NAMES[figure]} was measured`);
      continue;
    }
    const days = (asOf.getTime() - new Date(at.at).getTime()) / 86_400_000;
    if (days > GOOD_FOR_DAYS[figure])
      old.push({
        figure,
        days,
        short: `${NAMES[figure]} ${long(days)} old`,
        says: `Its ${NAMES[figure]} was measured ${long(days)} ago, and ${WHY[figure]}: measure it again before it is fitted.`,
      });
    if (at.temperatureC === null && figure !== 'insulationOhm') without.push(NAMES[figure]);
  }
  if (without.length > 0)
    asks.push(`how warm it was when its ${list(without)} ${without.length > 1 ? 'were' : 'was'} measured`);
  return { old, asks };
}
const list = (names: readonly string[]): string =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;
