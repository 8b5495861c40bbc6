import Papa from 'papaparse';
import { CELL_LIMITS, type Pack } from '../pack';
import { InputProblem } from '../problem';
import { Growing } from './growing';
import { quickNumber } from './quickNumber';
import { guessTargets, type ColumnMapping, type Target } from './mapping';
import type { ScanRecord, Series } from './record';

/** A line longer than this is not a scan: refused before it fills the memory. */
const LONGEST_LINE = 1 << 20;
const SHAPE =
  'A table with a heading line: time_s, current_A, temp_C, soc_pct and one column per channel, or time_s,signal,value.';

interface Column {
  time: Growing;
  value: Growing;
}
const column = (): Column => ({ time: new Growing(), value: new Growing() });
const series = (c: Column, sharedTime?: Float64Array): Series => ({
  timeS: sharedTime ?? c.time.done(),
  value: c.value.done(),
});

/** Seconds from `HH:MM[:SS[.fff]]`, an ISO date and time, or NaN. */
function clockSeconds(text: string): number {
  const clock = /^(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?$/.exec(text.trim());
  if (clock)
    return Number(clock[1]) * 3600 + Number(clock[2]) * 60 + Number((clock[3] ?? '0').replace(',', '.'));
  const date = Date.parse(text.trim());
  return Number.isNaN(date) ? NaN : date / 1000;
}

/**
 * Reads a scan CSV piece by piece: `push` text as it arrives, then `finish`. Memory grows with the numbers kept,
 * not with the text. Wide files have one column per channel, long files one reading per line.
 */
export class CsvScanReader {
  private rest = '';
  private line = 0;
  private mapping: ColumnMapping | null;
  private names: string[] = [];
  private readonly shared = new Growing();
  private readonly targets = new Map<string, Target>();
  private channelColumns: (Column | undefined)[] = [];
  private current: Column | null = null;
  private temperature: Column | null = null;
  private soc: Column | null = null;
  private readonly notices: string[] = [];
  private lastTime = -Infinity;
  private clockDays = 0;
  private quoted = false;

  constructor(
    private readonly pack: Pack,
    mapping: ColumnMapping | null = null,
  ) {
    this.mapping = mapping;
  }

  /** @throws InputProblem at the first line that cannot be read. */
  push(text: string): void {
    this.rest += this.line === 0 && this.rest === '' ? text.replace(/^\uFEFF/, '') : text;
    const cut = Math.max(this.rest.lastIndexOf('\n'), this.rest.lastIndexOf('\r'));
    if (cut < 0) {
      if (this.rest.length > LONGEST_LINE)
        throw new InputProblem(
          'line-too-long',
          'One line is longer than a million characters: this is not a scan table.',
          `line ${this.line + 1}`,
          SHAPE,
        );
      return;
    }
    const block = this.rest.slice(0, cut + 1);
    this.rest = this.rest.slice(cut + 1);
    this.block(block);
  }

  private block(text: string): void {
    if (!this.mapping && this.names.length === 0) text = this.open(text);
    if (text.trim() === '') {
      this.line += (text.match(/\n/g) ?? []).length;
      return;
    }
    this.quoted ||= text.includes('"');
    const { data, errors } = Papa.parse<string[]>(text, {
      delimiter: this.mapping!.delimiter,
      fastMode: !this.quoted,
    });
    const bad = errors.find((e) => e.type === 'Quotes');
    if (bad)
      throw new InputProblem(
        'quotes',
        'A quotation mark is opened and never closed.',
        `line ${this.line + 1 + (bad.row ?? 0)}`,
        'Plain numbers, or text in matching quotation marks.',
      );
    const last = data.length - 1;
    for (let i = 0; i <= last; i++) {
      const cells = data[i]!;
      if (i === last && cells.length === 1 && cells[0] === '') break;
      this.line++;
      if (cells.length === 1 && cells[0]!.trim() === '') continue;
      if (this.mapping!.layout === 'wide') this.wideRow(cells);
      else this.longRow(cells);
    }
  }

  /** Reads the heading, decides delimiter, decimal sign and layout; returns the text after the heading. */
  private open(text: string): string {
    if (text.includes('\u0000'))
      throw new InputProblem('binary', 'The file holds binary data, not text.', 'line 1', SHAPE);
    const lines = text.split(/\r\n|\n|\r/);
    const at = lines.findIndex((l) => l.trim() !== '');
    if (at < 0) return '';
    const heading = lines[at]!;
    const sample = lines.slice(at, at + 20).join('\n');
    const delimiter =
      [';', '\t', '|', ','].find(
        (d) =>
          heading.split(d).length > 1 &&
          Papa.parse<string[]>(sample, { delimiter: d })
            .data.slice(1, 3)
            .every((r) => r.length <= 1 || r.length >= 3),
      ) ?? ',';
    const names = (Papa.parse<string[]>(heading, { delimiter }).data[0] ?? []).map((n) => n.trim());
    if (names.length < 2)
      throw new InputProblem(
        'not-a-table',
        `The first line reads “${heading.slice(0, 60)}”: that is not a heading of columns.`,
        `line ${at + 1}`,
        SHAPE,
      );
    const first = lines[at + 1] ?? '';
    const decimal = delimiter !== ',' && /\d,\d/.test(first) ? ',' : '.';
    this.names = names;
    this.line = at + 1;
    const lower = names.map((n) => n.toLowerCase());
    const signalColumn = lower.findIndex((n) => /^(signal|name|parameter|pid|channel)$/.test(n));
    const valueColumn = lower.findIndex((n) => /^(value|reading|wert)$/.test(n));
    const long = signalColumn >= 0 && valueColumn >= 0;
    const targets = guessTargets(names, this.pack);
    this.mapping = {
      layout: long ? 'long' : 'wide',
      delimiter,
      decimal,
      targets,
      ...(long ? { signalColumn, valueColumn } : {}),
    };
    if (!long) this.checkColumns(targets, first.split(delimiter).length);
    else if (!targets.some((t) => t.kind === 'time')) this.missing('a time column', 'time_s');
    const all = text.split(/(?<=\n|\r(?!\n))/);
    return all.slice(at + 1).join('');
  }

  private missing(what: string, accepted: string): never {
    throw new InputProblem(
      'missing-columns',
      `The heading lacks ${what}.`,
      `line ${this.line}: ${this.names.slice(0, 8).join(', ')}${this.names.length > 8 ? ', …' : ''}`,
      accepted,
    );
  }

  private checkColumns(targets: Target[], cellsInFirstRow: number): void {
    if (!targets.some((t) => t.kind === 'time'))
      this.missing('a time column', 'time_s, or a column named time, clock or timestamp.');
    const found = new Set(targets.flatMap((t) => (t.kind === 'channel' ? [t.channelIndex] : [])));
    const absent = this.pack.channels.filter((c) => !found.has(c.index)).map((c) => c.id);
    if (found.size === 0)
      this.missing(
        'every channel voltage',
        `${this.pack.channels.length} columns such as ${this.pack.channels[0]!.id}_V.`,
      );
    if (absent.length > 0) {
      throw new InputProblem(
        'missing-channels',
        `${found.size} of ${this.pack.channels.length} channels are in the file; missing: ${absent.slice(0, 6).join(', ')}${absent.length > 6 ? ` and ${absent.length - 6} more` : ''}.`,
        `line ${this.line}, heading`,
        `All ${this.pack.channels.length} channels of “${this.pack.profile.name}”. If this is another pack, open its job.`,
      );
    }
    if (cellsInFirstRow > targets.length && this.mapping?.delimiter === ',') {
      throw new InputProblem(
        'decimal-comma',
        `The heading has ${targets.length} columns but the first row has ${cellsInFirstRow}: the numbers seem to use a decimal comma.`,
        `line ${this.line + 1}`,
        'Decimal points, or a decimal comma with semicolons between the columns.',
      );
    }
    if (!targets.some((t) => t.kind === 'current'))
      this.notices.push('No current column: the record is read as taken at rest.');
  }

  private number(text: string, name: string): number {
    const t = text.trim();
    if (t === '' || t === '-' || /^(nan|na|null)$/i.test(t)) return NaN;
    const n = Number(this.mapping!.decimal === ',' ? t.replace(',', '.') : t);
    if (!Number.isFinite(n)) {
      throw new InputProblem(
        'not-a-number',
        `“${t.slice(0, 40)}” is not a number.`,
        `line ${this.line}, column ${name}`,
        /^\d+,\d+$/.test(t)
          ? 'Decimal points, or a decimal comma with semicolons between the columns.'
          : 'A number such as 3.982, or an empty cell for a reading that is missing.',
      );
    }
    return n;
  }

  private time(text: string, target: Extract<Target, { kind: 'time' }>, name: string): number {
    let t: number;
    if (target.unit === 'clock' || text.includes(':')) {
      t = clockSeconds(text);
      if (Number.isNaN(t))
        throw new InputProblem(
          'not-a-time',
          `“${text.slice(0, 40)}” is not a time.`,
          `line ${this.line}, column ${name}`,
          'Seconds, HH:MM:SS, or a date with time.',
        );
      if (/^\d{1,2}:/.test(text.trim())) {
        t += this.clockDays * 86400;
        if (t < this.lastTime - 43200) {
          this.clockDays++;
          t += 86400;
        }
      }
    } else t = this.number(text, name) * { s: 1, ms: 0.001, min: 60, h: 3600 }[target.unit];
    if (Number.isNaN(t))
      throw new InputProblem(
        'no-time',
        'The time is missing.',
        `line ${this.line}, column ${name}`,
        'Seconds since the start of the scan.',
      );
    if (t < this.lastTime)
      throw new InputProblem(
        'time-falls',
        `Time goes back from ${this.lastTime} s to ${t} s.`,
        `line ${this.line}, column ${name}`,
        'Rows in the order they were recorded.',
      );
    this.lastTime = t;
    return t;
  }

  private put(target: Target, timeS: number, value: number, name: string): void {
    if (target.kind === 'channel') {
      const v = target.unit === 'mV' ? value / 1000 : value;
      this.checkVoltage(v, target.channelIndex, name);
      this.keep((this.channelColumns[target.channelIndex] ??= column()), timeS, v);
    } else if (target.kind === 'current') {
      const a = target.unit === 'mA' ? value / 1000 : value;
      this.keep((this.current ??= column()), timeS, target.positive === 'charge' ? -a : a);
    } else if (target.kind === 'temperature') {
      this.keep(
        (this.temperature ??= column()),
        timeS,
        target.unit === 'F' ? (value - 32) / 1.8 : target.unit === 'K' ? value - 273.15 : value,
      );
    } else if (target.kind === 'soc') {
      this.keep((this.soc ??= column()), timeS, target.unit === 'percent' ? value / 100 : value);
    }
  }

  private keep(c: Column, timeS: number, value: number): void {
    if (this.mapping!.layout === 'long') c.time.push(timeS);
    c.value.push(value);
  }

  /** A reversed cell reads a little below zero; anything beyond is a wrong sign, unit or column. */
  private checkVoltage(v: number, channelIndex: number, name: string): void {
    const { cells } = this.pack.channels[channelIndex]!;
    const full = CELL_LIMITS[this.pack.profile.chemistry].fullV;
    if (v < -1.2 * cells)
      throw new InputProblem(
        'negative-volts',
        `${v} V: no cell reads that far below zero.`,
        `line ${this.line}, column ${name}`,
        `Volts from ${(-1.2 * cells).toFixed(1)} to ${((full + 1) * cells).toFixed(1)}; check the sign and the leads.`,
      );
    if (v > (full + 1.6) * cells)
      throw new InputProblem(
        'too-many-volts',
        `${v} V: more than ${cells === 1 ? 'a cell' : `${cells} cells`} can give.`,
        `line ${this.line}, column ${name}`,
        `Volts from ${(-1.2 * cells).toFixed(1)} to ${((full + 1.6) * cells).toFixed(1)}. For millivolts name the column ${this.pack.channels[channelIndex]!.id}_mV.`,
      );
  }

  /** Column by column for the rows of a wide file: what to do with a cell is decided once, not per reading. */
  private plan: { column: Column; low: number; high: number; target: Target; plain: boolean }[] | null = null;

  private planWide(): NonNullable<CsvScanReader['plan']> {
    const full = CELL_LIMITS[this.pack.profile.chemistry].fullV;
    return this.mapping!.targets.map((target) => {
      const free = { column: column(), low: -Infinity, high: Infinity, target, plain: false };
      if (target.kind === 'channel') {
        const { cells } = this.pack.channels[target.channelIndex]!;
        return {
          ...free,
          column: (this.channelColumns[target.channelIndex] ??= column()),
          low: -1.2 * cells,
          high: (full + 1.6) * cells,
          plain: target.unit === 'V' && this.mapping!.decimal === '.',
        };
      }
      if (target.kind === 'current') return { ...free, column: (this.current ??= column()) };
      if (target.kind === 'temperature') return { ...free, column: (this.temperature ??= column()) };
      if (target.kind === 'soc') return { ...free, column: (this.soc ??= column()) };
      return free;
    });
  }

  private wideRow(cells: string[]): void {
    const { targets } = this.mapping!;
    if (cells.length !== targets.length) {
      throw new InputProblem(
        'ragged-row',
        `This row has ${cells.length} cells, the heading ${targets.length}.`,
        `line ${this.line}`,
        'The same number of cells in every row; a decimal comma needs semicolons between the columns.',
      );
    }
    const plan = (this.plan ??= this.planWide());
    let timeS = 0;
    for (let c = 0; c < plan.length; c++) {
      const step = plan[c]!;
      const text = cells[c]!;
      // The common case is a plain number within its limits; everything else takes the careful way.
      if (step.plain) {
        const quick = quickNumber(text);
        if (quick >= step.low && quick <= step.high) {
          step.column.value.push(quick);
          continue;
        }
      }
      const { target } = step;
      if (target.kind === 'ignore') continue;
      if (target.kind === 'time') {
        timeS = this.time(text, target, this.names[c]!);
        this.shared.push(timeS);
      } else this.put(target, timeS, this.number(text, this.names[c]!), this.names[c]!);
    }
  }

  private longRow(cells: string[]): void {
    const { targets, signalColumn, valueColumn } = this.mapping!;
    const timeColumn = targets.findIndex((t) => t.kind === 'time');
    const name = cells[signalColumn!]?.trim() ?? '';
    if (cells.length < 3 || name === '')
      throw new InputProblem(
        'ragged-row',
        `This row has ${cells.length} cells where time, signal and value were expected.`,
        `line ${this.line}`,
        'time_s,signal,value',
      );
    let target = this.targets.get(name);
    if (!target) {
      target = guessTargets([name], this.pack)[0]!;
      this.targets.set(name, target);
      if (target.kind === 'ignore') this.notices.push(`Signal ${name} is not used.`);
    }
    const timeS = this.time(
      cells[timeColumn]!,
      targets[timeColumn] as Extract<Target, { kind: 'time' }>,
      this.names[timeColumn]!,
    );
    if (target.kind !== 'ignore') this.put(target, timeS, this.number(cells[valueColumn!]!, name), name);
  }

  /** @throws InputProblem if the file held no readings, or lacks channels. */
  finish(): ScanRecord {
    if (this.rest !== '') {
      const tail = this.rest;
      this.rest = '';
      this.block(tail);
    }
    if (this.names.length === 0) throw new InputProblem('empty-file', 'The file is empty.', '', SHAPE);
    const absent = this.pack.channels
      .filter((c) => (this.channelColumns[c.index]?.value.length ?? 0) === 0)
      .map((c) => c.id);
    if (absent.length === this.pack.channels.length)
      throw new InputProblem(
        'no-readings',
        'The file has a heading but no readings.',
        `after line ${this.line}`,
        SHAPE,
      );
    if (absent.length > 0)
      throw new InputProblem(
        'missing-channels',
        `${this.pack.channels.length - absent.length} of ${this.pack.channels.length} channels are in the file; missing: ${absent.slice(0, 6).join(', ')}.`,
        'signal names',
        `All ${this.pack.channels.length} channels of “${this.pack.profile.name}”.`,
      );
    const wide = this.mapping!.layout === 'wide';
    const shared = wide ? this.shared.done() : undefined;
    const optional = (c: Column | null): Series | null => (c ? series(c, shared) : null);
    return {
      channelIds: this.pack.channels.map((c) => c.id),
      voltageV: this.pack.channels.map((c) => series(this.channelColumns[c.index]!, shared)),
      currentA: optional(this.current),
      temperatureC: optional(this.temperature),
      reportedSocFraction: optional(this.soc),
      simultaneous: wide,
      notices: this.notices,
    };
  }
}

/** Reads a whole scan CSV held in one string. @throws InputProblem */
export function readScanCsv(text: string, pack: Pack): ScanRecord {
  const reader = new CsvScanReader(pack);
  reader.push(text);
  return reader.finish();
}
