import type { Pack } from '../pack';
import { InputProblem } from '../problem';
import { plausible, RecordBuilder, voltageLimits } from './builder';
import type { Column, Sink } from './column';
import { cellFigure, LONGEST_FIGURE, unitFactor } from './figures';
import { guessTargets, type ColumnMapping, type Target } from './mapping';
import type { ScanRecord } from './record';

export const TABLE_SHAPE =
  'A table with a heading line: time_s, current_A, temp_C, soc_pct and one column per channel, or time_s,signal,value.';
type TimeTarget = Extract<Target, { kind: 'time' }>;

/** A date written in figures: two short ones and a year, then perhaps a time. */
const FIGURES = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})(?:[ T,]+(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?)?$/;
const NUMBER = /^-?\d+(?:[.,]\d+)?$/;

/** Which of the two figures of a date is the day: told by one above 12; null where both orders give a date. */
export function dateOrder(text: string): 'date-dmy' | 'date-mdy' | null | undefined {
  if (text.length > LONGEST_FIGURE) return undefined;
  const m = FIGURES.exec(text.trim());
  if (!m) return undefined;
  const [a, b] = [Number(m[1]), Number(m[2])];
  if (a > 12 && b <= 12) return 'date-dmy';
  if (b > 12 && a <= 12) return 'date-mdy';
  return null;
}

/**
 * Seconds from `HH:MM[:SS[.fff]]`, an ISO date and time, or a date in figures whose order is known; NaN for anything
 * else. A plain number is seconds, 0 included: since the start, or since 1970 where it is that large.
 */
export function clockSeconds(text: string, order: 'date-dmy' | 'date-mdy' | null = null): number {
  if (text.length > LONGEST_FIGURE) return NaN;
  const t = text.trim();
  const clock = /^(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?$/.exec(t);
  const sixty = (h: string, min: string, s: string | undefined): number =>
    Number(h) * 3600 + Number(min) * 60 + Number((s ?? '0').replace(',', '.'));
  if (clock) return sixty(clock[1]!, clock[2]!, clock[3]);
  if (NUMBER.test(t)) {
    const n = Number(t.replace(',', '.'));
    return Math.abs(n) > 1e11 ? n / 1000 : n;
  }
  const figures = FIGURES.exec(t);
  if (figures) {
    const told = dateOrder(t) ?? order;
    if (!told && figures[1] !== figures[2]) return NaN;
    const [day, month] = told === 'date-mdy' ? [figures[2]!, figures[1]!] : [figures[1]!, figures[2]!];
    const midnight = new Date(Number(figures[3]), Number(month) - 1, Number(day));
    // A 31st of February is no date.
    if (midnight.getMonth() !== Number(month) - 1) return NaN;
    return midnight.getTime() / 1000 + (figures[4] ? sixty(figures[4], figures[5]!, figures[6]) : 0);
  }
  const date = Date.parse(t);
  return Number.isNaN(date) ? NaN : date / 1000;
}

/** The mapping a heading suggests. @param firstRow the first row of values. */
export function guessMapping(
  names: string[],
  firstRow: string[],
  pack: Pack,
  delimiter = ',',
): ColumnMapping {
  const lower = names.map((n) => n.toLowerCase());
  const signalColumn = lower.findIndex((n) => /^(signal|name|parameter|pid|channel)$/.test(n));
  const valueColumn = lower.findIndex((n) => /^(value|reading|wert)$/.test(n));
  const long = signalColumn >= 0 && valueColumn >= 0;
  const targets = guessTargets(names, pack);
  return {
    layout: long ? 'long' : 'wide',
    delimiter,
    decimal: delimiter !== ',' && firstRow.some((c, i) => commaIsDecimal(c, targets[i])) ? ',' : '.',
    targets,
    ...(long ? { signalColumn, valueColumn } : {}),
  };
}

/** `3,982` in a column of millivolts is three thousand and some; anywhere else its comma is the decimal sign. */
const commaIsDecimal = (cell: string, target: Target | undefined): boolean =>
  cell.length <= LONGEST_FIGURE &&
  /^\s*-?\d+,\d+\s*[a-z°%]*\s*$/i.test(cell) &&
  !(
    target !== undefined &&
    'unit' in target &&
    target.unit.startsWith('m') &&
    /^\s*-?\d{1,3},\d{3}(?!\d)/.test(cell)
  );

/** What a column of a wide table does, decided once and not per reading. */
export interface ColumnPlan {
  target: Target;
  name: string;
  values: Column | null;
  low: number;
  high: number;
}

/** Turns the rows of a table, from whatever file they come, into a record. */
export class TableReader {
  readonly builder: RecordBuilder;
  private readonly signals = new Map<string, Target>();
  private readonly known: Record<string, Target>;
  lastTimeS = -Infinity;
  private clockDays = 0;
  readonly plan: ColumnPlan[];
  readonly timeColumn: number;

  /** @throws InputProblem if the heading lacks a time column or channels. */
  constructor(
    private readonly pack: Pack,
    private readonly names: string[],
    readonly mapping: ColumnMapping,
    private readonly headingLine: number,
    cellsInFirstRow: number,
    sink?: Sink,
  ) {
    this.builder = new RecordBuilder(pack, mapping.layout === 'wide', sink);
    this.known = mapping.signals ?? {};
    this.timeColumn = mapping.targets.findIndex((t) => t.kind === 'time');
    this.builder.timed = this.timeColumn >= 0;
    if (this.timeColumn < 0 && mapping.layout === 'long')
      this.missing('a time column', 'time_s, or a column named time, clock or timestamp.');
    if (mapping.layout === 'wide') this.checkColumns(cellsInFirstRow);
    this.plan = mapping.layout === 'wide' ? mapping.targets.map((t, c) => this.planOf(t, names[c]!)) : [];
  }

  private planOf(target: Target, name: string): ColumnPlan {
    const { lowV, highV } =
      target.kind === 'channel' ? voltageLimits(this.pack, target.channelIndex) : { lowV: null, highV: null };
    const other = plausible(this.pack, target);
    return {
      target,
      name,
      values: this.builder.valuesOf(target, name),
      low: lowV ?? other.low,
      high: highV ?? other.high,
    };
  }

  private missing(what: string, accepted: string): never {
    throw new InputProblem(
      'missing-columns',
      `The heading lacks ${what}.`,
      `line ${this.headingLine}: ${this.names.slice(0, 8).join(', ')}${this.names.length > 8 ? ', …' : ''}`,
      accepted,
    );
  }

  private checkColumns(cellsInFirstRow: number): void {
    const { targets, delimiter } = this.mapping;
    const { channels, profile } = this.pack;
    const found = new Set(targets.flatMap((t) => (t.kind === 'channel' ? [t.channelIndex] : [])));
    const absent = channels.filter((c) => !found.has(c.index)).map((c) => c.id);
    if (found.size === 0)
      this.missing('every channel voltage', `${channels.length} columns such as ${channels[0]!.id}_V.`);
    if (absent.length > 0)
      throw new InputProblem(
        'missing-channels',
        `${found.size} of ${channels.length} channels are in the file; missing: ${absent.slice(0, 6).join(', ')}${absent.length > 6 ? ` and ${absent.length - 6} more` : ''}.`,
        `line ${this.headingLine}, heading`,
        `All ${channels.length} channels of “${profile.name}”. If this is another pack, open its job.`,
      );
    const twice = targets.find(
      (t, i) =>
        t.kind === 'channel' &&
        targets.findIndex((u) => u.kind === 'channel' && u.channelIndex === t.channelIndex) < i,
    );
    if (twice?.kind === 'channel')
      throw new InputProblem(
        'channel-twice',
        `Two columns stand for ${channels[twice.channelIndex]!.id}.`,
        `line ${this.headingLine}, heading`,
        'Each channel from one column; leave the other out.',
      );
    if (cellsInFirstRow > targets.length && delimiter === ',')
      throw new InputProblem(
        'decimal-comma',
        `The heading has ${targets.length} columns but the first row has ${cellsInFirstRow}: the numbers seem to use a decimal comma.`,
        `line ${this.headingLine + 1}`,
        'Decimal points, or a decimal comma with semicolons between the columns.',
      );
    if (!targets.some((t) => t.kind === 'current'))
      this.builder.notices.push('No current column: the record is read as taken at rest.');
  }

  private number(text: string, where: () => string, unit = ''): number {
    const t = text.trim();
    if (t === '') return NaN;
    const plain = Number(this.mapping.decimal === ',' ? t.replace(',', '.') : t);
    if (Number.isFinite(plain)) return plain;
    const figure = cellFigure(t, this.mapping.decimal);
    if (figure) return figure.value * unitFactor(figure.unit, unit);
    else
      throw new InputProblem(
        'not-a-number',
        `“${t.slice(0, 40)}” is not a number.`,
        where(),
        /^\d+,\d+$/.test(t)
          ? 'Decimal points, or a decimal comma with semicolons between the columns.'
          : 'A number such as 3.982, or an empty cell for a reading that is missing.',
      );
  }

  /** Rows without a time are one moment, or follow each other by as much as somebody said. */
  private untimed(line: number): number {
    const { intervalS } = this.mapping;
    if (this.lastTimeS === -Infinity) return (this.lastTimeS = 0);
    if (intervalS === undefined)
      throw new InputProblem(
        'no-interval',
        'The table has several rows and no time.',
        `line ${line}`,
        'How many seconds there are from row to row; it is remembered for this heading.',
      );
    return (this.lastTimeS += intervalS);
  }

  private time(text: string, line: number): number {
    const target = this.mapping.targets[this.timeColumn] as TimeTarget;
    const where = (): string => `line ${line}, column ${this.names[this.timeColumn]}`;
    let t: number;
    const dated = target.unit === 'date-dmy' || target.unit === 'date-mdy';
    if (dated || target.unit === 'clock' || text.includes(':') || dateOrder(text) !== undefined) {
      t = clockSeconds(text, dated ? (target.unit as 'date-dmy') : null);
      if (Number.isNaN(t) && dateOrder(text) === null && !dated)
        throw new InputProblem(
          'date-order',
          `“${text.slice(0, 40)}” may be day first or month first.`,
          where(),
          'Say once for this heading which comes first.',
        );
      if (Number.isNaN(t))
        throw new InputProblem(
          'not-a-time',
          `“${text.slice(0, 40)}” is not a time.`,
          where(),
          'Seconds, HH:MM:SS, or a date with time.',
        );
      if (/^\d{1,2}:/.test(text.trim())) {
        t += this.clockDays * 86400;
        if (t < this.lastTimeS - 43200) {
          this.clockDays++;
          t += 86400;
        }
      }
    } else
      t =
        this.number(text, where) *
        { s: 1, ms: 0.001, min: 60, h: 3600 }[target.unit as 's' | 'ms' | 'min' | 'h'];
    if (Number.isNaN(t))
      throw new InputProblem(
        'no-time',
        'The time is missing.',
        where(),
        'Seconds since the start of the scan.',
      );
    if (t < this.lastTimeS)
      throw new InputProblem(
        'time-falls',
        `Time goes back from ${this.lastTimeS} s to ${t} s.`,
        where(),
        'Rows in the order they were recorded.',
      );
    this.lastTimeS = t;
    return t;
  }

  /** Takes one row of cells. @throws InputProblem that names line and column. */
  row(cells: string[], line: number): void {
    if (this.mapping.layout === 'wide') this.wide(cells, line);
    else this.long(cells, line);
  }

  private wide(cells: string[], line: number): void {
    const { plan } = this;
    if (cells.length !== plan.length)
      throw new InputProblem(
        'ragged-row',
        `This row has ${cells.length} cells, the heading ${plan.length}.`,
        `line ${line}`,
        'The same number of cells in every row; a decimal comma needs semicolons between the columns.',
      );
    const timeS = this.timeColumn < 0 ? this.untimed(line) : this.time(cells[this.timeColumn]!, line);
    this.builder.rowTime(timeS);
    for (let c = 0; c < plan.length; c++) {
      const { target, values, name } = plan[c]!;
      if (!values) continue;
      const where = (): string => `line ${line}, column ${name}`;
      const unit = 'unit' in target ? target.unit : '';
      this.builder.put(target, timeS, this.number(cells[c]!, where, unit), name, where);
    }
  }

  private long(cells: string[], line: number): void {
    const { signalColumn, valueColumn } = this.mapping;
    const name = cells[signalColumn!]?.trim() ?? '';
    if (cells.length < 3 || name === '')
      throw new InputProblem(
        'ragged-row',
        `This row has ${cells.length} cells where time, signal and value were expected.`,
        `line ${line}`,
        'time_s,signal,value',
      );
    const target = this.signal(name);
    const timeS = this.time(cells[this.timeColumn] ?? '', line);
    const where = (): string => `line ${line}, signal ${name}`;
    if (target.kind !== 'ignore')
      this.builder.put(target, timeS, this.number(cells[valueColumn!] ?? '', where), name, where);
  }

  private signal(name: string): Target {
    let target = this.signals.get(name);
    if (!target) {
      target = this.known[name] ?? guessTargets([name], this.pack)[0]!;
      this.signals.set(name, target);
      if (target.kind === 'ignore' && !this.known[name])
        this.builder.notices.push(`Signal ${name} is not used.`);
    }
    return target;
  }

  /** @throws InputProblem if there were no readings, or channels lack. */
  finish(line: number): ScanRecord {
    return this.builder.finish(`after line ${line}`, TABLE_SHAPE);
  }
}
