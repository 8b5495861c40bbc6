import { Column } from './column';
import type { ScanRecord, Series } from './record';

/** Most rows kept of a record whose signals were read together. */
const MOST_ROWS = 16_384;
/** Most readings kept of signals read one after another: of all channels together, and of each other signal. */
const MOST_POLLED = 262_144;

/**
 * The column of one signal of a record, by its stored name: `time`, `channel:<index>`, `current`, `soc`,
 * `pack-voltage`, `insulation`, `temperature`, `sensor:<name>`; where signals were read one after another each has a `time:<name>` of its own.
 * The same values give the same course, whether they come from a file or from where they are stored.
 */
export function columnFor(
  name: string,
  channels: number,
  together: boolean,
  pass?: (piece: Float64Array) => void,
): Column {
  if (together) return new Column('mean', MOST_ROWS, pass);
  const share = /^(time:)?channel:/.test(name) ? channels : 1;
  return new Column('first', 2 * Math.ceil(MOST_POLLED / share / 2), pass);
}

/** A record from the courses of its signals, under the names that `columnFor` tells. */
export function recordOf(
  courses: ReadonlyMap<string, Float64Array>,
  facts: Pick<ScanRecord, 'channelIds' | 'simultaneous' | 'notices' | 'startEpochS' | 'thinned'>,
): ScanRecord {
  const series = (name: string): Series | null => {
    const value = courses.get(name);
    return value ? { timeS: courses.get(facts.simultaneous ? 'time' : `time:${name}`)!, value } : null;
  };
  const sensors = [...courses.keys()]
    .filter((name) => name.startsWith('sensor:'))
    .sort()
    .map((name) => ({ name: name.slice('sensor:'.length), series: series(name)! }));
  const [packVoltageV, insulationOhm] = [series('pack-voltage'), series('insulation')];
  return {
    ...facts,
    voltageV: facts.channelIds.map((_, i) => series(`channel:${i}`)!),
    currentA: series('current'),
    temperatureC: series('temperature') ?? meanOfSensors(sensors, facts.simultaneous),
    ...(sensors.length > 1 ? { sensors } : {}),
    reportedSocFraction: series('soc'),
    ...(packVoltageV && { packVoltageV }),
    ...(insulationOhm && { insulationOhm }),
  };
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
