import { judgeAt, possibleV, type Pack } from '../pack';
import { asVolts, cellFigure, scaleOf } from '../scan';
import { findPlace } from './place';

/** What a person says of voltages they typed: which end of the charge it was, as far as they know. */
export const RECORD_ENDS = ['near-full', 'near-empty', 'unknown'] as const;
export type RecordEnd = (typeof RECORD_ENDS)[number];
export const RECORD_END_WORDS: Record<RecordEnd, string> = {
  'near-full': 'near full',
  'near-empty': 'near empty',
  unknown: 'charge unknown',
};

export interface PastedVoltages {
  /** Volts by channel; null where none was given. */
  volts: (number | null)[];
  /** What was left out, with where it stands. */
  notRead: { where: string; text: string; why: string }[];
}

/**
 * Voltages as somebody pastes or types them: a column, a row, a grid, a list “cell, voltage”, with units or without,
 * decimal points or commas. Figures without a name fill the channels in their order, from `from` on.
 */
export function pastedVoltages(text: string, pack: Pack, from = 0): PastedVoltages {
  const volts = new Array<number | null>(pack.channels.length).fill(null);
  const notRead: PastedVoltages['notRead'] = [];
  const lines = text.split(/\r\n|\n|\r/);
  const counted = countedFrom(lines);
  /** What is figures in a line that begins with its channel's number. */
  const behindNumber = (line: string): RegExpExecArray | null =>
    NUMBERED.exec(line) ?? (counted === null ? null : COUNTED.exec(line));
  const bare = lines
    .flatMap((l) => cellsOf(behindNumber(l)?.[2] ?? l))
    .flatMap((c) => {
      const f = cellFigure(c, decimalOf(c));
      return f?.unit === '' && !Number.isNaN(f.value) ? [f.value] : [];
    });
  const scale = scaleOf(bare, pack);
  let next = from;
  const put = (index: number, figure: string, where: string): void => {
    const read = cellFigure(figure, decimalOf(figure));
    const v = read && asVolts(read.value, read.unit, scale, pack);
    if (v === null || v === undefined) notRead.push({ where, text: figure, why: whyNot(figure, pack) });
    else if (index >= volts.length)
      notRead.push({ where, text: figure, why: `The pack has ${volts.length} channels.` });
    else if (!Number.isNaN(v)) volts[index] = v;
  };
  lines.forEach((line, i) => {
    const where = `line ${i + 1}`;
    if (line.trim() === '') return;
    const named = /^\s*"?([^\s,;:=\t"]+)"?\s*[,;:=\t ]\s*(.+)$/.exec(line);
    const place = named && findPlace(named[1]!, pack);
    if (place?.kind === 'channel') {
      next = place.channelIndex;
      for (const cell of cellsOf(named![2]!)) put(next++, cell, where);
      return;
    }
    if (place?.kind === 'module') {
      const own = pack.modules[place.moduleIndex]!.channelIndices;
      cellsOf(named![2]!).forEach((cell, k) =>
        own[k] === undefined
          ? notRead.push({ where, text: cell, why: `${named![1]} has ${own.length} channels.` })
          : put(own[k], cell, where),
      );
      return;
    }
    // `Cell 12: 3.98`, or `12, 3.98` where the lines count: the number is a channel's and no voltage.
    const numbered = behindNumber(line);
    if (numbered) {
      next = Number(numbered[1]) - (NUMBERED.test(line) ? 1 : counted!);
      for (const cell of cellsOf(numbered[2]!)) put(next++, cell, where);
      return;
    }
    const cells = cellsOf(line);
    // A heading, a title: words and no figure.
    if (!cells.some((c) => cellFigure(c, ',') !== null)) {
      if (/\d/.test(line)) notRead.push({ where, text: line.trim(), why: 'No figure is in it.' });
      return;
    }
    for (const cell of cells) put(next++, cell, where);
  });
  return { volts, notRead };
}

const decimalOf = (figure: string): '.' | ',' => (/\d,\d/.test(figure) && !/\d\.\d/.test(figure) ? ',' : '.');

const NUMBERED = /^\s*"?(?:cell|channel|group|block|zelle|ch)[\s_#.-]*0*(\d{1,4})"?\s*[,;:=\t ]\s*(.+)$/i;
const COUNTED = /^\s*"?(\d{1,4})"?\s*[,;:=\t ]\s*(\S.*)$/;

/** The first number of lines that count one up from line to line before a figure; null where they do not. */
function countedFrom(lines: readonly string[]): number | null {
  const filled = lines.filter((l) => /\d/.test(l) && !/^[^\d]*$/.test(l));
  const numbers = filled.map((l) => COUNTED.exec(l)).filter((m) => m !== null);
  const counts =
    numbers.length >= 2 &&
    numbers.every((m, i) => Number(m[1]) === Number(numbers[0]![1]) + i && /\d[.,]\d|\d{3}/.test(m[2]!));
  const first = Number(numbers[0]?.[1]);
  return counts && numbers.length >= filled.length - 1 && first <= 1 ? first : null;
}

/** Tabs, semicolons and bars part cells for certain; commas and spaces where they do not belong to a figure. */
function cellsOf(line: string): string[] {
  const joined = line.replace(/(\d)\s+(mV|V)\b/gi, '$1$2');
  if (/[\t;|]/.test(joined)) return joined.split(/[\t;|]/).map((c) => c.trim());
  const byComma = joined.split(/,\s+|,(?=\S*\.)|\s+/).filter((c) => c !== '');
  return byComma.flatMap((c) => (/^\d+(?:,\d+){2,}$/.test(c) ? c.split(',') : [c.replace(/,$/, '')]));
}

function whyNot(figure: string, pack: Pack): string {
  const { leastV, mostV } = possibleV(pack.profile, pack.channels[0]!.cells, 'board');
  return cellFigure(figure, '.') || cellFigure(figure, ',')
    ? `Not possible for a channel: ${leastV.toFixed(1)} to ${mostV.toFixed(1)} V.`
    : 'That is no figure.';
}

/** What floor and ceiling say of one typed channel; empty where it is in order. */
export const typedSays = (volts: number | null, channelIndex: number, pack: Pack): string =>
  volts === null ? '' : judgeAt(pack, { kind: 'channel', index: channelIndex }, volts).says;

export interface TypedRecord {
  volts: (number | null)[];
  /** Amperes at that moment, positive on discharge; 0 with the contactors open. Null where nobody knows. */
  currentA: number | null;
  temperatureC: number | null;
  /** The whole pack, as the vehicle or a meter at its terminals shows it, V; null where nobody read it. */
  packV?: number | null | undefined;
  /** Charge that the vehicle shows, 0 to 1; null where nobody read it. */
  shownSocFraction?: number | null | undefined;
  /** Milliseconds since 1970. */
  atMs: number;
}

/** The record as a table with one row, as the reader of scans takes it. Channels without a figure stay empty. */
export function typedTable(
  { volts, currentA, temperatureC, packV, shownSocFraction, atMs }: TypedRecord,
  pack: Pack,
): string {
  const cell = (v: number | null | undefined): string => (v == null ? '' : String(v));
  return [
    ['time_clock', 'current_A', 'temp_C', 'pack_V', 'soc_fraction', ...pack.channels.map((c) => `${c.id}_V`)],
    [
      new Date(atMs).toISOString(),
      ...[currentA, temperatureC, packV, shownSocFraction].map(cell),
      ...volts.map(cell),
    ],
    [],
  ]
    .map((cells) => cells.join(','))
    .join('\n');
}
