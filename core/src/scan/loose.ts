import { possibleV, type Pack } from '../pack';
import { cellFigure, LONGEST_FIGURE } from './figures';
import { guessTargets, type Target } from './mapping';

/** Rows of a small table beyond which nobody laid it out by hand. */
export const LOOSE_ROWS = 4000;

/** A table turned so that every channel is a column, as the reader of scans takes it. */
export interface Turned {
  names: string[];
  rows: string[][];
  /** Each figure stood beside the name of its channel; else they were taken in the channels' order. */
  named: boolean;
}

const channelsIn = (targets: readonly Target[]): Set<number> =>
  new Set(targets.flatMap((t) => (t.kind === 'channel' ? [t.channelIndex] : [])));

/** Whether a heading names every channel already: then there is nothing to turn. */
export const namesAll = (names: string[], pack: Pack): boolean =>
  channelsIn(guessTargets(names, pack)).size === pack.channels.length;

/**
 * Reads a small table that has its channels as rows (one column or several beside the names), or no names at all but
 * exactly one figure a channel, row by row. Null where it is neither.
 */
export function turned(rows: readonly string[][], pack: Pack): Turned | null {
  const filled = rows.filter((r) => r.some((c) => c.trim() !== ''));
  return channelsAsRows(filled, pack) ?? bareFigures(filled, pack);
}

/** What a column beside the channels says it is, where it is no voltage. */
const NO_VOLTAGE = /ohm|Ω|Ω|°|temp|soc|%|a·?h\b|capacity|resist|health|status|bleed/i;

function channelsAsRows(rows: readonly string[][], pack: Pack): Turned | null {
  const width = Math.max(0, ...rows.map((r) => r.length));
  for (let at = 0; at < Math.min(3, width - 1); at++) {
    // A bare number is a channel only where the numbers run through all of them.
    const names = rows.map((r) => (r[at] ?? '').trim());
    const plain = names.filter((n) => /^\d{1,3}$/.test(n));
    const targets = guessTargets(
      plain.length >= pack.channels.length ? names.map((n) => (/^\d{1,3}$/.test(n) ? `ch ${n}` : n)) : names,
      pack,
    );
    if (channelsIn(targets).size !== pack.channels.length) continue;
    const of = rows.filter((_, i) => targets[i]!.kind === 'channel');
    const known = rows.flatMap((r, i) => (targets[i]!.kind === 'channel' ? [] : [{ r, t: targets[i]! }]));
    const heading = known.find(({ t }) => t.kind === 'ignore')?.r;
    const columns = Array.from({ length: width }, (_, c) => c).filter(
      (c) =>
        c !== at &&
        !NO_VOLTAGE.test(heading?.[c] ?? '') &&
        of.every((r) => cellFigure(r[c] ?? '', decimalOf(of, c)) !== null) &&
        of.some((r) => (r[c] ?? '').trim() !== ''),
    );
    if (columns.length === 0) continue;
    const order = [...rows.keys()].filter((i) => targets[i]!.kind === 'channel');
    const beside = known.filter(({ t }) => t.kind !== 'ignore' && t.kind !== 'time');
    const times = known.find(({ t }) => t.kind === 'time')?.r;
    const units = order.map((i) => (targets[i] as Extract<Target, { kind: 'channel' }>).unit);
    const byHeading = (c: number): string => (/m\s?v/i.test(heading?.[c] ?? '') ? 'mV' : '');
    return {
      names: [
        ...(times ? ['time'] : []),
        ...order.map((i, k) => {
          const id = pack.channels[(targets[i] as Extract<Target, { kind: 'channel' }>).channelIndex]!.id;
          return `${id}_${byHeading(columns[0]!) || units[k]!}`;
        }),
        ...beside.map(({ r }) => r[at]!),
      ],
      rows: columns.map((c) => [
        ...(times ? [times[c] ?? ''] : []),
        ...order.map((i) => plainCell(rows[i]![c] ?? '', decimalOf(of, c))),
        ...beside.map(({ r }) => r[c] ?? ''),
      ]),
      named: true,
    };
  }
  return null;
}

/** Figures alone, as many as there are channels: a column, a row, or a grid read row by row. */
function bareFigures(rows: readonly string[][], pack: Pack): Turned | null {
  const cells = rows.flatMap((r) => r.map((c) => c.trim())).filter((c) => c !== '');
  const figures = cells.map((c) => cellFigure(c, /^\d+,\d+\D*$/.test(c) ? ',' : '.'));
  const read = figures.filter((f) => f !== null && !Number.isNaN(f.value)) as {
    value: number;
    unit: string;
  }[];
  if (read.length !== pack.channels.length || figures.some((f) => f === null)) return null;
  const scale = scaleOf(
    read.filter((f) => f.unit === '').map((f) => f.value),
    pack,
  );
  const volts = read.map((f) => asVolts(f.value, f.unit, scale, pack));
  if (volts.some((v) => v === null)) return null;
  return {
    names: pack.channels.map((c) => `${c.id}_V`),
    rows: [volts.map((v) => String(v))],
    named: false,
  };
}

const decimalOf = (rows: readonly string[][], column: number): '.' | ',' =>
  rows.some((r) => /\d,\d/.test(r[column] ?? '')) && !rows.some((r) => /\d\.\d/.test(r[column] ?? ''))
    ? ','
    : '.';

const plainCell = (text: string, decimal: '.' | ','): string => {
  const figure = cellFigure(text, decimal);
  return figure && !Number.isNaN(figure.value) ? `${figure.value}${figure.unit && ` ${figure.unit}`}` : '';
};

/** Whether figures without a unit are volts or millivolts: all of one list are the same. */
export function scaleOf(values: readonly number[], pack: Pack): 'V' | 'mV' {
  const sorted = values.filter((v) => !Number.isNaN(v)).sort((a, b) => a - b);
  const middle = sorted[sorted.length >> 1] ?? 0;
  return middle > possibleV(pack.profile, pack.channels[0]!.cells, 'board').mostV ? 'mV' : 'V';
}

/** Volts of a figure, by its own unit or that of its list. Null for what no channel can show. */
export function asVolts(value: number, unit: string, listUnit: 'V' | 'mV', pack: Pack): number | null {
  if (Number.isNaN(value)) return NaN;
  const { leastV, mostV } = possibleV(pack.profile, pack.channels[0]!.cells, 'board');
  const v = (unit === '' ? listUnit : unit).toLowerCase() === 'mv' ? value / 1000 : value;
  return v >= leastV && v <= mostV ? v : null;
}

/** Rows and cells of a small text, whatever parts them; a column of decimal commas stays one column. */
export function looseRows(text: string): string[][] {
  const lines = text.replace(/^\uFEFF/, '').split(/\r\n|\n|\r/);
  const filled = lines.filter((l) => l.trim() !== '');
  const sign = ['\t', ';', '|'].find((d) => filled.filter((l) => l.includes(d)).length > filled.length / 2);
  const single =
    !sign &&
    filled.every((l) => l.length <= LONGEST_FIGURE && /^\s*-?\d+(?:[.,]\d+)?\s*(?:m?V)?\s*$/i.test(l));
  return filled.map((l) =>
    (single ? [l] : l.split(sign ?? ',')).map((c) => c.trim().replace(/^"(.*)"$/, '$1')),
  );
}
