import Papa from 'papaparse';
import { CHEMISTRIES, InputProblem, type Chemistry } from '../pack';

/** One part of a shelf list. */
export interface ShelfRow {
  label: string;
  facts: {
    chemistry: Chemistry;
    groupCount: number;
    origin: string;
    revision?: string;
    cellsParallel?: number;
    connector?: string;
    price?: number;
    handedness?: 'left' | 'right' | 'either';
    coolantSide?: 'left' | 'right' | 'below' | 'none';
    history?: 'clean' | 'wet' | 'crashed';
  };
  figures: {
    capacityAh: number | null;
    resistanceMilliohm: number | null;
    restVoltageV: number | null;
    temperatureC: number | null;
    insulationOhm: number | null;
  };
  /** The day of measuring, `2026-03-14`; null where the list does not say: it is asked for, never taken for today. */
  measuredOn: string | null;
}

/** Columns of a shelf list, by the words people head them with. */
const COLUMNS = {
  label: ['label', 'name', 'id'],
  chemistry: ['chemistry', 'type'],
  groupCount: ['groups', 'group count', 'cells'],
  revision: ['revision', 'rev', 'connector code'],
  cellsParallel: ['parallel', 'cells in parallel'],
  connector: ['connector'],
  origin: ['origin', 'from', 'note'],
  price: ['price', 'cost', 'worth'],
  handedness: ['handedness', 'hand', 'handed'],
  coolantSide: ['coolant side', 'coolant'],
  history: ['history', 'been through'],
  capacityAh: ['capacity', 'capacity ah', 'capacity a·h', 'ah', 'a·h'],
  resistanceMilliohm: ['resistance', 'resistance mohm', 'resistance mω', 'mohm', 'mω'],
  restVoltageV: ['voltage', 'rest voltage', 'rest voltage v', 'v', 'volts'],
  temperatureC: ['temperature', 'temperature c', '°c', 'c'],
  insulationOhm: ['insulation', 'insulation ohm', 'insulation ω', 'ohm', 'ω'],
  measuredOn: ['measured', 'measured on', 'date'],
} as const;
type Column = keyof typeof COLUMNS;
const FIGURES = [
  'capacityAh',
  'resistanceMilliohm',
  'restVoltageV',
  'temperatureC',
  'insulationOhm',
] as const;
const HEADING =
  'A heading with chemistry and groups, and any of label, revision, parallel, connector, origin, price, handedness, coolant side, history, capacity, resistance (mΩ), voltage, temperature, insulation (Ω), measured (the day).';

const plain = (text: string): string =>
  text
    .trim()
    .toLowerCase()
    .replace(/[_,()[\]]/g, ' ')
    .replace(/\s+/g, ' ')
    .trim();

/** `2026-03-14` or `14.3.2026`; days with slashes are one thing here and another there. @throws InputProblem */
function dayOf(text: string, where: string): string | null {
  if (text === '') return null;
  const found =
    /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(text) ?? /^(\d{1,2})\.\s?(\d{1,2})\.\s?(\d{4})$/.exec(text);
  const [y, m, d] = !found ? [] : found[1]!.length === 4 ? found.slice(1) : [found[3], found[2], found[1]];
  const day = found ? new Date(Date.UTC(Number(y), Number(m) - 1, Number(d))) : null;
  if (!day || day.getUTCMonth() !== Number(m) - 1 || day.getUTCDate() !== Number(d))
    throw new InputProblem(
      'shelf',
      `“${text}” is no day.`,
      where,
      'The day of measuring as 2026-03-14 or 14.3.2026, or nothing where nobody knows.',
    );
  return day.toISOString().slice(0, 10);
}

/**
 * Reads a shelf list as text with a heading; an empty cell is a figure nobody measured.
 * @throws InputProblem that names row and column
 */
export function readShelfTable(text: string): ShelfRow[] {
  const { data } = Papa.parse<string[]>(text.trim(), { skipEmptyLines: 'greedy' });
  const heading = (data[0] ?? []).map(plain);
  const at = new Map<Column, number>();
  heading.forEach((word, i) => {
    const column = (Object.keys(COLUMNS) as Column[]).find((c) =>
      (COLUMNS[c] as readonly string[]).includes(word),
    );
    if (!column)
      throw new InputProblem(
        'shelf',
        `The column “${data[0]![i]}” is not known.`,
        `column ${i + 1}`,
        HEADING,
      );
    if (at.has(column))
      throw new InputProblem('shelf', `“${word}” stands twice.`, `column ${i + 1}`, HEADING);
    at.set(column, i);
  });
  for (const needed of ['chemistry', 'groupCount'] as const)
    if (!at.has(needed))
      throw new InputProblem(
        'shelf',
        `There is no column for ${COLUMNS[needed][0]}.`,
        'the heading',
        HEADING,
      );
  if (data.length < 2)
    throw new InputProblem('shelf', 'There is no row under the heading.', 'the table', HEADING);
  return data.slice(1).map((row, r): ShelfRow => {
    const cell = (c: Column): string => (at.has(c) ? (row[at.get(c)!] ?? '').trim() : '');
    const where = (c: Column): string => `row ${r + 2}, ${COLUMNS[c][0]}`;
    const number = (c: Column): number | null => {
      const t = cell(c);
      if (t === '') return null;
      const value = Number(t.replace(/\s/g, '').replace(',', '.'));
      if (!Number.isFinite(value) || (c !== 'temperatureC' && value <= 0))
        throw new InputProblem(
          'shelf',
          `“${t}” is no ${COLUMNS[c][0]}.`,
          where(c),
          'A number above zero, or nothing where it was not measured.',
        );
      return value;
    };
    const chemistry = cell('chemistry').toLowerCase() as Chemistry;
    if (!(CHEMISTRIES as readonly string[]).includes(chemistry))
      throw new InputProblem(
        'shelf',
        `“${cell('chemistry')}” is no chemistry.`,
        where('chemistry'),
        `One of ${CHEMISTRIES.join(', ')}.`,
      );
    const groupCount = number('groupCount');
    if (groupCount === null || !Number.isInteger(groupCount))
      throw new InputProblem(
        'shelf',
        'The number of groups is missing.',
        where('groupCount'),
        'A whole number.',
      );
    const parallel = number('cellsParallel');
    const price = number('price');
    const word = <T extends string>(c: Column, words: readonly T[]): T | null => {
      const t = cell(c).toLowerCase();
      if (t === '') return null;
      const found = words.find((w) => w === t);
      if (!found)
        throw new InputProblem(
          'shelf',
          `“${cell(c)}” is no ${COLUMNS[c][0]}.`,
          where(c),
          `One of ${words.join(', ')}, or nothing where nobody knows.`,
        );
      return found;
    };
    const handedness = word('handedness', ['left', 'right', 'either']);
    const coolantSide = word('coolantSide', ['left', 'right', 'below', 'none']);
    const history = word('history', ['clean', 'wet', 'crashed']);
    return {
      label: cell('label'),
      facts: {
        chemistry,
        groupCount,
        origin: cell('origin'),
        ...(cell('revision') ? { revision: cell('revision') } : {}),
        ...(cell('connector') ? { connector: cell('connector') } : {}),
        ...(parallel === null ? {} : { cellsParallel: parallel }),
        ...(price === null ? {} : { price }),
        ...(handedness && { handedness }),
        ...(coolantSide && { coolantSide }),
        ...(history && { history }),
      },
      figures: Object.fromEntries(FIGURES.map((f) => [f, number(f)])) as ShelfRow['figures'],
      measuredOn: dayOf(cell('measuredOn'), where('measuredOn')),
    };
  });
}
