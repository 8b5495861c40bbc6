/** Digits in groups of three, with what people put between them: `3,982`, `1 234`, `1'234`, `1.234,5`. */
const GROUPED_BY_COMMA = /^-?\d{1,3}(?:,\d{3})+(?:\.\d+)?$/;
const GROUPED_BY_POINT = /^-?\d{1,3}(?:\.\d{3})+,\d+$/;
const BETWEEN = /(?<=\d)[\s'’\u00a0\u202f](?=\d{3}(?!\d))/g;
const WITH_UNIT = /^(.*?\d[.,]?)\s*(mV|V|mA|A|°?C|°?F|K|%|mv|v)$/;

export interface CellFigure {
  /** NaN for an empty cell, or one that says that there is nothing. */
  value: number;
  /** As it stands in the cell; empty where none does. */
  unit: string;
}

const EMPTY = /^(?:|-|–|—|nan|na|n\/a|null|none)$/i;

/** What is longer is no figure; looking at it costs what it is long at most. */
export const LONGEST_FIGURE = 100;

/**
 * A figure as a spreadsheet or a tool writes it, with its thousands separators and its unit: `3.982`, `3,982 V`,
 * `1'234 mV`, `24 °C`. A comma with three digits is a thousands separator where the file's decimal sign is the point.
 * @returns null for what is no figure.
 */
export function cellFigure(text: string, decimal: '.' | ','): CellFigure | null {
  if (text.length > LONGEST_FIGURE) return null;
  const t = text.trim().replace(/^[−–](?=\d)/, '-');
  if (EMPTY.test(t)) return { value: NaN, unit: '' };
  const withUnit = WITH_UNIT.exec(t);
  let digits = (withUnit?.[1] ?? t).trim().replace(BETWEEN, '');
  if (GROUPED_BY_POINT.test(digits)) digits = digits.replace(/\./g, '').replace(',', '.');
  else if (decimal === '.' && GROUPED_BY_COMMA.test(digits)) digits = digits.replace(/,/g, '');
  else if (decimal === ',') digits = digits.replace(',', '.');
  const value = digits === '' ? NaN : Number(digits);
  return Number.isFinite(value) ? { value, unit: withUnit?.[2] ?? '' } : null;
}

/** What a cell's own unit makes of its figure where the column is in another: millivolts among volts. */
export const unitFactor = (unit: string, columnUnit: string): number => {
  const own = unit.toLowerCase();
  const column = columnUnit.toLowerCase();
  if (own === column || own === '') return 1;
  if (own === `m${column}`) return 1e-3;
  return column === `m${own}` ? 1e3 : 1;
};
