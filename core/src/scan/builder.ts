import { CELL_LIMITS, type Pack } from '../pack';
import { InputProblem } from '../problem';
import { Growing } from './growing';
import type { Target } from './mapping';
import type { ScanRecord, Series } from './record';

/** Times beyond this are dates: no record runs for ten years. */
const CALENDAR_S = 3e8;

interface Column {
  time: Growing;
  value: Growing;
}
const column = (): Column => ({ time: new Growing(), value: new Growing() });

/** Volts a channel may show: a reversed cell reads a little below zero; anything beyond is a wrong sign or unit. */
export function voltageLimits(pack: Pack, channelIndex: number): { lowV: number; highV: number } {
  const { cells } = pack.channels[channelIndex]!;
  return { lowV: -1.2 * cells, highV: (CELL_LIMITS[pack.profile.chemistry].fullV + 1.6) * cells };
}

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
    default:
      return value;
  }
}

/** Collects readings into a record. Memory grows with the numbers kept, not with the text they came from. */
export class RecordBuilder {
  private readonly shared = new Growing();
  private readonly channelColumns: Column[];
  private current: Column | null = null;
  private soc: Column | null = null;
  private readonly sensors = new Map<string, Column>();
  readonly notices: string[] = [];

  /** @param together all channels of a row were read at the same moment. */
  constructor(
    private readonly pack: Pack,
    private readonly together: boolean,
  ) {
    this.channelColumns = pack.channels.map(column);
  }

  /** The values of one target, to be filled row by row. */
  valuesOf(target: Target, name: string): Growing | null {
    return this.columnOf(target, name)?.value ?? null;
  }

  private columnOf(target: Target, name: string): Column | null {
    switch (target.kind) {
      case 'channel':
        return this.channelColumns[target.channelIndex]!;
      case 'current':
        return (this.current ??= column());
      case 'soc':
        return (this.soc ??= column());
      case 'temperature': {
        let found = this.sensors.get(name);
        if (!found) this.sensors.set(name, (found = column()));
        return found;
      }
      default:
        return null;
    }
  }

  rowTime(timeS: number): void {
    this.shared.push(timeS);
  }

  /** Adds one reading in the file's own unit. @throws InputProblem for volts no cell can give. */
  put(target: Target, timeS: number, raw: number, name: string, where: () => string): void {
    const value = inOurUnits(target, raw);
    if (target.kind === 'channel') this.checkVoltage(value, target.channelIndex, where);
    const to = this.columnOf(target, name);
    if (!to) return;
    if (!this.together) to.time.push(timeS);
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
    return this.channelColumns.filter((c) => c.value.length > 0).length;
  }

  /** Ids of the channels that have no reading. */
  absent(): string[] {
    return this.pack.channels
      .filter((c) => this.channelColumns[c.index]!.value.length === 0)
      .map((c) => c.id);
  }

  /** First time of all, if times are those of a calendar and not counted from a start. */
  private startEpochS(): number | undefined {
    const firsts = this.together
      ? [this.shared.first()]
      : [...this.channelColumns, this.current, this.soc, ...this.sensors.values()].map(
          (c) => c?.time.first() ?? NaN,
        );
    const first = Math.min(...firsts.filter((t) => !Number.isNaN(t)));
    return Number.isFinite(first) && first > CALENDAR_S ? first : undefined;
  }

  /** @throws InputProblem if there are no readings, or channels are lacking. */
  finish(where: string, shape: string): ScanRecord {
    const absent = this.absent();
    const all = this.pack.channels.length;
    if (absent.length === all)
      throw new InputProblem('no-readings', 'The file has a heading but no readings.', where, shape);
    if (absent.length > 0)
      throw new InputProblem(
        'missing-channels',
        `${all - absent.length} of ${all} channels are in the file; missing: ${absent.slice(0, 6).join(', ')}${absent.length > 6 ? ` and ${absent.length - 6} more` : ''}.`,
        'signal names',
        `All ${all} channels of “${this.pack.profile.name}”.`,
      );
    const startEpochS = this.startEpochS();
    const fromZero = (times: Float64Array): Float64Array =>
      startEpochS === undefined ? times : times.map((t) => t - startEpochS);
    const time = this.together ? fromZero(this.shared.done()) : undefined;
    const series = (c: Column | null): Series | null =>
      c ? { timeS: time ?? fromZero(c.time.done()), value: c.value.done() } : null;
    const sensors = [...this.sensors].map(([name, c]) => ({ name, series: series(c)! }));
    return {
      channelIds: this.pack.channels.map((c) => c.id),
      voltageV: this.channelColumns.map((c) => series(c)!),
      currentA: series(this.current),
      temperatureC: meanOfSensors(sensors, this.together),
      ...(sensors.length > 1 ? { sensors } : {}),
      reportedSocFraction: series(this.soc),
      simultaneous: this.together,
      ...(startEpochS === undefined ? {} : { startEpochS }),
      notices: this.notices,
    };
  }
}

/** One course for several sensors: their mean where they were read together, else the first. */
function meanOfSensors(sensors: { series: Series }[], together: boolean): Series | null {
  const first = sensors[0]?.series;
  if (!first || sensors.length === 1 || !together) return first ?? null;
  const value = first.value.map((_, i) => {
    const row = sensors.map((s) => s.series.value[i]!).filter((v) => !Number.isNaN(v));
    return row.length ? row.reduce((a, b) => a + b, 0) / row.length : NaN;
  });
  return { timeS: first.timeS, value };
}
