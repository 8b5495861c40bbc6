import { possibleV, type Pack } from '../pack';
import { InputProblem } from '../problem';
import type { Column, Sink } from './column';
import { columnFor, recordOf } from './courses';
import type { Target } from './mapping';
import type { ScanRecord } from './record';

/** Times beyond this are dates: no record runs for ten years. */
const CALENDAR_S = 3e8;

/** Volts a channel may show: a reversed cell reads a little below zero; anything beyond is a wrong sign or unit. */
export function voltageLimits(pack: Pack, channelIndex: number): { lowV: number; highV: number } {
  const { leastV, mostV } = possibleV(pack.profile, pack.channels[channelIndex]!.cells, 'board');
  return { lowV: leastV, highV: mostV };
}

/** Seconds since 1970 of the year 2100: a time beyond is in another unit. */
const LAST_EPOCH_S = 4.1e9;

/**
 * What a signal besides the voltages can be at all, in our units; what lies beyond is a fault of the log and is left out.
 * Common practice, no source: sixty times the rated capacity an hour and 1500 A at least; sensors from −90 to 400 °C,
 * 2000 V of a pack, a teraohm of insulation.
 */
export function plausible(pack: Pack, target: Target): { low: number; high: number } {
  switch (target.kind) {
    case 'current': {
      const most = Math.max(1500, 60 * pack.profile.ratedCapacityAh);
      return { low: -most, high: most };
    }
    case 'temperature':
      return { low: -90, high: 400 };
    case 'soc':
      return { low: -0.1, high: 1.2 };
    case 'pack-voltage':
      return { low: 0, high: 2000 };
    case 'insulation':
      return { low: 0, high: 1e12 };
    default:
      return { low: -Infinity, high: Infinity };
  }
}
const KIND_WORDS: Partial<Record<Target['kind'], [string, string]>> = {
  current: ['current that no pack gives', 'A'],
  temperature: ['temperature that no pack has', '°C'],
  soc: ['state of charge that cannot be', ''],
  'pack-voltage': ['voltage that no pack has', 'V'],
  insulation: ['insulation that cannot be', 'Ω'],
};

/** A raw value in our units: V, A positive on discharge, °C, SOC as a fraction. */
export function inOurUnits(target: Target, value: number): number {
  switch (target.kind) {
    case 'channel':
      return target.unit === 'mV' ? value / 1000 : value;
    case 'current': {
      const a = target.unit === 'mA' ? value / 1000 : value;
      return target.positive === 'charge' ? -a : a;
    }
    case 'temperature':
      return target.unit === 'F' ? (value - 32) / 1.8 : target.unit === 'K' ? value - 273.15 : value;
    case 'soc':
      return target.unit === 'percent' ? value / 100 : value;
    case 'pack-voltage':
      return target.unit === 'mV' ? value / 1000 : value;
    case 'insulation':
      return value * { ohm: 1, kohm: 1e3, Mohm: 1e6 }[target.unit];
    default:
      return value;
  }
}

/** The columns of one signal: its values and, where signals were read one after another, their times. */
interface SignalColumns {
  value: Column;
  time: Column | null;
}

/**
 * Collects readings into a record. All of them go to the sink; the record keeps a condensed course of each signal
 * (see `Column`), so that memory does not grow with the length of a file.
 */
export class RecordBuilder {
  private readonly signals = new Map<string, SignalColumns>();
  private readonly shared: Column | null;
  private readonly channels: SignalColumns[];
  private originS: number | null = null;
  private firstS = 0;
  private lastS = 0;
  readonly notices: string[] = [];
  private readonly leftOut = new Map<Target['kind'], { count: number; value: number; where: string }>();

  /**
   * @param together all channels of a row were read at the same moment.
   * @param sink takes every reading under the names that `recordOf` reads; times count from the record's zero.
   */
  constructor(
    private readonly pack: Pack,
    private readonly together: boolean,
    private readonly sink?: Sink,
  ) {
    this.shared = together ? this.column('time') : null;
    this.channels = pack.channels.map((c) => this.signal(`channel:${c.index}`));
  }

  private column(name: string): Column {
    const { sink } = this;
    return columnFor(name, this.pack.channels.length, this.together, sink && ((piece) => sink(name, piece)));
  }

  private signal(name: string): SignalColumns {
    let found = this.signals.get(name);
    if (!found) {
      found = { value: this.column(name), time: this.together ? null : this.column(`time:${name}`) };
      this.signals.set(name, found);
    }
    return found;
  }

  private columnsOf(target: Target, name: string): SignalColumns | null {
    switch (target.kind) {
      case 'channel':
        return this.channels[target.channelIndex]!;
      case 'current':
      case 'soc':
      case 'pack-voltage':
      case 'insulation':
        return this.signal(target.kind);
      case 'temperature':
        return this.signal(`sensor:${name}`);
      default:
        return null;
    }
  }

  /** The values of one target, to be filled row by row. */
  valuesOf(target: Target, name: string): Column | null {
    return this.columnsOf(target, name)?.value ?? null;
  }

  /** A time from the record's zero: its first reading, where times are those of a calendar. */
  private fromZero(timeS: number): number {
    if (Math.abs(timeS) > LAST_EPOCH_S)
      throw new InputProblem(
        'no-such-time',
        `Time ${timeS} s lies beyond the year 2100.`,
        'the time column',
        'Seconds. If the column counts milliseconds or microseconds, say so at its heading.',
      );
    if (this.originS === null) {
      this.originS = timeS > CALENDAR_S ? timeS : 0;
      this.firstS = timeS - this.originS;
    }
    this.lastS = timeS - this.originS;
    return this.lastS;
  }

  /** The figures are a meter’s, typed by somebody: nought is one of them. */
  metered = false;
  /** The rows have times of their own. */
  timed = true;

  rowTime(timeS: number): void {
    this.shared!.push(this.fromZero(timeS));
  }

  /** Adds one reading in the file's own unit. @throws InputProblem for volts no cell can give. */
  put(target: Target, timeS: number, raw: number, name: string, where: () => string): void {
    let value = inOurUnits(target, raw);
    if (target.kind === 'channel') this.checkVoltage(value, target.channelIndex, where);
    const to = this.columnsOf(target, name);
    if (!to) return;
    const { low, high } = plausible(this.pack, target);
    if (value < low || value > high) {
      const known = this.leftOut.get(target.kind);
      if (known) known.count++;
      else this.leftOut.set(target.kind, { count: 1, value, where: where() });
      value = NaN;
    }
    to.time?.push(this.fromZero(timeS));
    to.value.push(value);
  }

  private checkVoltage(v: number, channelIndex: number, where: () => string): void {
    const { lowV, highV } = voltageLimits(this.pack, channelIndex);
    const { cells, id } = this.pack.channels[channelIndex]!;
    if (v < lowV)
      throw new InputProblem(
        'negative-volts',
        `${v} V: no cell reads that far below zero.`,
        where(),
        `Volts from ${lowV.toFixed(1)} to ${highV.toFixed(1)}; check the sign and the leads.`,
      );
    if (v > highV)
      throw new InputProblem(
        'too-many-volts',
        `${v} V: more than ${cells === 1 ? 'a cell' : `${cells} cells`} can give.`,
        where(),
        `Volts from ${lowV.toFixed(1)} to ${highV.toFixed(1)}. For millivolts name the column ${id}_mV.`,
      );
  }

  /** How many channels have a reading. */
  seen(): number {
    return this.channels.filter((c) => c.value.length > 0).length;
  }

  /** How many rows were read; of signals read one after another, the readings of the first channel. */
  get rows(): number {
    return (this.shared ?? this.channels[0]!.value).length;
  }

  /** Times of the first and the newest reading, from the record's zero. */
  get oldestS(): number {
    return this.firstS;
  }
  get newestS(): number {
    return this.lastS;
  }

  /** Says what was left out, and which channels are there without a single figure. */
  private tellLeftOut(): void {
    for (const [kind, { count, value, where }] of this.leftOut) {
      const [word, unit] = KIND_WORDS[kind]!;
      const first = `${Number(value.toPrecision(6))} ${unit}`.trim();
      this.notices.push(
        count === 1
          ? `One ${word} was left out: ${first}, ${where}.`
          : `${count} readings of a ${word} were left out; the first: ${first}, ${where}.`,
      );
    }
    const empty = this.pack.channels
      .filter((c) => this.channels[c.index]!.value.length > 0 && !this.channels[c.index]!.value.hasValue)
      .map((c) => c.id);
    if (empty.length > 0)
      this.notices.push(
        `No reading of ${empty.slice(0, 6).join(', ')}${empty.length > 6 ? ` and ${empty.length - 6} more` : ''} in the whole record.`,
      );
  }

  /** Ids of the channels that have no reading. */
  absent(): string[] {
    return this.pack.channels.filter((c) => this.channels[c.index]!.value.length === 0).map((c) => c.id);
  }

  /** @throws InputProblem if there are no readings, or channels are lacking. */
  finish(where: string, shape: string): ScanRecord {
    const absent = this.absent();
    const all = this.pack.channels.length;
    if (this.channels.every((c) => !c.value.hasValue))
      throw new InputProblem('no-readings', 'The file has a heading but no readings.', where, shape);
    if (!this.metered && this.channels.every((c) => !c.value.everOff))
      throw new InputProblem(
        'all-nought',
        'Every channel reads exactly 0 V all along: that is a management unit asleep or unplugged, not a measurement.',
        where,
        'A record with the management unit awake. If the meter at the terminals says 0 V as well, type that by hand.',
      );
    if (absent.length > 0)
      throw new InputProblem(
        'missing-channels',
        `${all - absent.length} of ${all} channels are in the file; missing: ${absent.slice(0, 6).join(', ')}${absent.length > 6 ? ` and ${absent.length - 6} more` : ''}.`,
        'signal names',
        `All ${all} channels of “${this.pack.profile.name}”.`,
      );
    if (this.together && this.timed && this.rows > 2 && this.lastS === this.firstS)
      throw new InputProblem(
        'one-time',
        `All ${this.rows} rows have the same time.`,
        'the time column',
        'A time that runs from row to row, or no time column: then say how far apart the rows are.',
      );
    this.tellLeftOut();
    const courses = new Map<string, Float64Array>();
    if (this.shared) courses.set('time', this.shared.done());
    for (const [name, { value, time }] of this.signals) {
      courses.set(name, value.done());
      if (time) courses.set(`time:${name}`, time.done());
    }
    return recordOf(courses, {
      channelIds: this.pack.channels.map((c) => c.id),
      simultaneous: this.together,
      notices: this.notices,
      ...(this.originS ? { startEpochS: this.originS } : {}),
      ...(this.channels.some((c) => c.value.thinned) ? { thinned: true } : {}),
    });
  }
}
