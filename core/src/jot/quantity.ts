import { InputProblem } from '../problem';

/** What can be observed, with the unit it is kept in and the words that name it. */
export const QUANTITIES = {
  voltage: { unit: 'V', words: ['v', 'volt', 'volts', 'voltage', 'u'], least: -1000, most: 1500 },
  resistance: { unit: 'Ω', words: ['r', 'res', 'resistance'], least: 0, most: 1e6 },
  insulation: { unit: 'Ω', words: ['ins', 'iso', 'insulation', 'riso'], least: 0, most: 1e13 },
  temperature: { unit: '°C', words: ['t', 'temp', 'temperature'], least: -60, most: 900 },
  capacity: { unit: 'A·h', words: ['cap', 'capacity'], least: 0, most: 2000 },
  torque: { unit: 'N·m', words: ['tq', 'torque'], least: 0, most: 1000 },
  current: { unit: 'A', words: ['i', 'current'], least: -2000, most: 2000 },
} as const;
export type Quantity = keyof typeof QUANTITIES;

/** Unit symbols as people type them, lower case, without prefix. */
const UNITS: Record<string, { quantity: Quantity | 'ohms'; factor: number; offset?: number }> = {
  v: { quantity: 'voltage', factor: 1 },
  ω: { quantity: 'ohms', factor: 1 },
  ohm: { quantity: 'ohms', factor: 1 },
  ohms: { quantity: 'ohms', factor: 1 },
  r: { quantity: 'ohms', factor: 1 },
  '°c': { quantity: 'temperature', factor: 1 },
  c: { quantity: 'temperature', factor: 1 },
  degc: { quantity: 'temperature', factor: 1 },
  '°f': { quantity: 'temperature', factor: 5 / 9, offset: -32 },
  f: { quantity: 'temperature', factor: 5 / 9, offset: -32 },
  degf: { quantity: 'temperature', factor: 5 / 9, offset: -32 },
  ah: { quantity: 'capacity', factor: 1 },
  'a·h': { quantity: 'capacity', factor: 1 },
  nm: { quantity: 'torque', factor: 1 },
  'n·m': { quantity: 'torque', factor: 1 },
  a: { quantity: 'current', factor: 1 },
};
const PREFIX: Record<string, number> = {
  µ: 1e-6,
  u: 1e-6,
  m: 1e-3,
  k: 1e3,
  K: 1e3,
  M: 1e6,
  G: 1e9,
  g: 1e9,
  T: 1e12,
};

/** A figure that is only a bound: the meter was at the end of its range, or beyond it. */
export type Bound = 'at-least' | 'over-range';

export interface Parsed {
  /** Infinity where the meter was over its range. */
  value: number;
  bound?: Bound;
  /** Named by the unit; `ohms` may be resistance or insulation; null if there was no unit. */
  quantity: Quantity | 'ohms' | null;
}

/**
 * Reads a number with prefix and unit: `3.982`, `3,982 V`, `482M`, `4.7k`, `1.2 GΩ`, `35 °C`, `95F`, `-12 mV`, `1e9ohm`.
 * @throws InputProblem for anything else.
 */
export function parseQuantity(text: string): Parsed {
  const t = text.trim().replace(/[−–]/g, '-').replace(/Ω/g, 'Ω');
  const match = /^([+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,3})?)\s*(.*)$/.exec(t);
  const accepted = 'A number with unit: 3.982, 482M, 4.7k, 12 mV, 1.2 GΩ, 35 °C, 95F, >4G, OL.';
  if (!match) throw new InputProblem('quantity', `“${text}” is not a number.`, '', accepted);
  const number = Number(match[1]!.replace(',', '.'));
  const rest = match[2]!.trim();
  if (rest === '') return { value: number, quantity: null };
  const lower = rest.toLowerCase().replace('Ω'.toLowerCase(), 'ω');
  const plain = UNITS[lower];
  const inUnit = (u: (typeof UNITS)[string], by = 1): Parsed => ({
    value: (number * by + (u.offset ?? 0)) * u.factor,
    quantity: u.quantity,
  });
  // `m`, `M`, `k` alone are prefixes; `mV` a prefix with a unit.
  if (plain && !(rest in PREFIX)) return inUnit(plain);
  const prefix = PREFIX[rest[0]!];
  if (prefix !== undefined) {
    const bare = rest.slice(1).trim();
    if (bare === '') return { value: number * prefix, quantity: null };
    const unit = UNITS[bare.toLowerCase().replace('Ω'.toLowerCase(), 'ω')];
    if (unit && unit.quantity !== 'temperature') return inUnit(unit, prefix);
  }
  if (plain) return inUnit(plain);
  throw new InputProblem('unit', `“${rest}” is no unit known here.`, '', accepted);
}

/** Units that a figure may be typed in another size of, and how large each is. */
const SIZES: Record<string, { quantity: Quantity | 'ohms'; size: number }> = {
  V: { quantity: 'voltage', size: 1 },
  mV: { quantity: 'voltage', size: 1e-3 },
  Ω: { quantity: 'ohms', size: 1 },
  'A·h': { quantity: 'capacity', size: 1 },
};

/**
 * A figure for a field that asks for one unit, typed bare, with that unit, or with another size of it: in a field of mV
 * `31`, `31 mV` and `0.031 V` are all 31.
 * @param unit its symbol first: `mV`, `mV a day`, `km`, `%`.
 * @throws InputProblem for anything else: a figure in a unit that was not asked for would be taken for another one.
 */
export function figureIn(text: string, unit: string): number {
  const [symbol] = unit.split(' ') as [string];
  const match = /^([+−–-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,3})?)\s*(.*)$/.exec(text.trim());
  const rest = match?.[2]!.trim().toLowerCase();
  if (match && [unit, symbol, ''].some((u) => u.toLowerCase() === rest))
    return parseQuantity(match[1]!).value;
  const asked = SIZES[symbol];
  if (match && asked) {
    const read = parseQuantity(text);
    // A bare prefix is ohms, as on a meter; of volts it says too little.
    if (read.quantity === asked.quantity || (read.quantity === null && asked.quantity === 'ohms'))
      return Number((read.value / asked.size).toPrecision(12));
  }
  throw new InputProblem(
    'quantity',
    `“${text.trim()}” is no figure in ${symbol}.`,
    '',
    `A number in ${unit}.`,
  );
}

/** What a meter shows beyond its range. */
const OVER_RANGE = /^(?:ol|o\.?l\.?|0l|or|over|>range|inf|∞|open)$/i;

/**
 * Reads a figure as a meter shows it, also one that is only a bound: `>4G`, `OL`. A prefix of k, M, G or T without a unit
 * means ohms: nothing else here is that large. Otherwise as {@link parseQuantity}.
 * @throws InputProblem for anything else.
 */
export function parseFigure(text: string): Parsed {
  const t = text.trim();
  if (OVER_RANGE.test(t.replace(/\s*(?:ohms?|Ω|Ω|ω)$/i, '')))
    return { value: Infinity, quantity: 'ohms', bound: 'over-range' };
  const beyond = /^(?:>=?|≥)\s*/.exec(t);
  if (beyond) {
    const least = parseQuantity(t.slice(beyond[0].length));
    if (least.quantity !== null && least.quantity !== 'ohms')
      throw new InputProblem(
        'bound',
        `“${text}”: only a resistance is given as a least one.`,
        '',
        '>4G, or OL where the meter is over its range.',
      );
    return { ...least, quantity: 'ohms', bound: 'at-least' };
  }
  const read = parseQuantity(t);
  return read.quantity === null && /\d\s*[kKMGgT]$/.test(t) ? { ...read, quantity: 'ohms' } : read;
}

const STEPS: [number, string][] = [
  [1e9, 'G'],
  [1e6, 'M'],
  [1e3, 'k'],
  [1, ''],
  [1e-3, 'm'],
  [1e-6, 'µ'],
];

/** Prints a value with prefix and unit so that `parseQuantity` reads it back: `482 MΩ`, `0.62 mΩ`, `3.982 V`. */
export function printQuantity(value: number, quantity: Quantity, bound?: Bound): string {
  if (bound === 'over-range' || value === Infinity) return 'OL';
  if (bound === 'at-least') return `>${printQuantity(value, quantity)}`;
  const { unit } = QUANTITIES[quantity];
  if (quantity === 'temperature' || quantity === 'capacity' || quantity === 'torque' || value === 0)
    return `${value} ${unit}`;
  const plainVolts = quantity === 'voltage' || quantity === 'current';
  const size = Math.abs(value);
  const [factor, prefix] = plainVolts
    ? size < 0.1
      ? ([1e-3, 'm'] as const)
      : ([1, ''] as const)
    : (STEPS.find(([f]) => size >= f) ?? STEPS[STEPS.length - 1]!);
  return `${Number((value / factor).toPrecision(12))} ${prefix}${unit}`;
}
