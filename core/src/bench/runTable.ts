import Papa from 'papaparse';
import { InputProblem } from '../problem';

/** Columns of a logged run, discharge positive, time from its first row. */
export interface RunColumns {
  timeS: number[];
  currentA: number[];
  voltageV: number[];
  temperatureC?: number[];
  /** What was taken for granted. */
  notices: string[];
}
type Column = 'time' | 'current' | 'voltage' | 'temperature';

const MOST_ROWS = 2_000_000;
const NAMES: Record<Column, RegExp> = {
  time: /^(?:t|time|elapsed|zeit|temps|tiempo|seconds?|minutes?|hours?)\b/i,
  current: /^(?:i|current|amps?|strom|courant|corriente)\b/i,
  voltage: /^(?:u|v|volts?|voltage|spannung|tension)\b/i,
  temperature: /^(?:temp|temperature|ntc|t_?cell|°c)\b/i,
};
const plain = (heading: string): string => heading.trim().replace(/_/g, ' ');
const unitIn = (heading: string): string =>
  /[([,\s]\s*([a-zµ°]+)\s*[)\]]?\s*$/i.exec(heading)?.[1]?.toLowerCase() ?? '';
const TIME_S: Record<string, number> = {
  s: 1,
  sec: 1,
  seconds: 1,
  min: 60,
  minutes: 60,
  h: 3600,
  hours: 3600,
  ms: 0.001,
};

/** Seconds of `75`, `1:15`, `00:01:15.5`, or of a date. NaN for anything else. */
function seconds(text: string, scale: number): number {
  const clock = /^(?:(\d+):)?(\d{1,2}):(\d{1,2}(?:[.,]\d+)?)$/.exec(text);
  if (clock)
    return Number(clock[1] ?? 0) * 3600 + Number(clock[2]) * 60 + Number(clock[3]!.replace(',', '.'));
  if (/\d{4}-\d\d-\d\d/.test(text)) return Date.parse(text.replace(' ', 'T')) / 1000;
  return Number(text.replace(',', '.')) * scale;
}

/**
 * Reads a run as loggers and chargers write it: columns told by their headings in several tongues, time in seconds, minutes,
 * hours, clock or date, milliamps and millivolts by their unit. Where the voltage falls while the current is negative, discharge
 * is counted negative there: it is turned round, and said so.
 * @throws InputProblem that says which column or row
 */
export function parseRunTable(text: string): RunColumns {
  const { data } = Papa.parse<string[]>(text.trim(), { skipEmptyLines: true });
  const at = data.findIndex(
    (row) => row.filter((c) => Object.values(NAMES).some((n) => n.test(plain(c)))).length >= 2,
  );
  if (at < 0)
    throw new InputProblem(
      'run-heading',
      'No heading with time, voltage and current was found.',
      'the first rows',
      'Columns such as time_s, voltage_V, current_A, temperature_C.',
    );
  const heading = data[at]!.map((h) => h.trim());
  const column = (name: Column): number => heading.findIndex((h) => NAMES[name].test(plain(h)));
  const [ti, ii, vi] = [column('time'), column('current'), column('voltage')];
  const ci = column('temperature');
  for (const [name, i] of [
    ['time', ti],
    ['current', ii],
    ['voltage', vi],
  ] as const)
    if (i < 0)
      throw new InputProblem(
        'run-column',
        `There is no column of ${name}.`,
        heading.join(', '),
        'time, voltage and current.',
      );
  const unit = (i: number): string => unitIn(plain(heading[i]!));
  const timeScale = TIME_S[unit(ti)] ?? TIME_S[heading[ti]!.toLowerCase()] ?? 1;
  const milli = (i: number, of: string): number => (unit(i) === `m${of}` ? 0.001 : 1);
  const [iScale, vScale] = [milli(ii, 'a'), milli(vi, 'v')];
  const fahrenheit = ci >= 0 && unit(ci) === 'f';
  const rows = data.slice(at + 1);
  if (rows.length > MOST_ROWS)
    throw new InputProblem('run-long', `The run has ${rows.length} rows.`, 'rows', `At most ${MOST_ROWS}.`);
  const timeS: number[] = [];
  const currentA: number[] = [];
  const voltageV: number[] = [];
  const temperatureC: number[] = [];
  let left = 0;
  const figure = (text: string | undefined): number =>
    text === undefined || text.trim() === '' ? NaN : Number(text.trim().replace(',', '.'));
  for (const row of rows) {
    const t = seconds((row[ti] ?? '').trim(), timeScale);
    const [i, v] = [figure(row[ii]) * iScale, figure(row[vi]) * vScale];
    if (
      !Number.isFinite(t) ||
      !Number.isFinite(i) ||
      !Number.isFinite(v) ||
      Math.abs(i) > 1e5 ||
      Math.abs(v) > 2000
    ) {
      left++;
      continue;
    }
    timeS.push(t);
    currentA.push(i);
    voltageV.push(v);
    if (ci >= 0) {
      const c = figure(row[ci]);
      temperatureC.push(fahrenheit ? (c - 32) / 1.8 : c);
    }
  }
  if (timeS.length < 2)
    throw new InputProblem(
      'run-rows',
      'No rows of figures were found under that heading.',
      'rows',
      'Two rows or more.',
    );
  const back = timeS.findIndex((t, i) => i > 0 && t < timeS[i - 1]!);
  if (back >= 0)
    throw new InputProblem(
      'time-falls',
      `Time goes back in row ${at + 2 + back}.`,
      `row ${at + 2 + back}`,
      'Rows in the order they were recorded.',
    );
  const notices: string[] = [];
  if (left > 0) notices.push(`${left} ${left === 1 ? 'row' : 'rows'} without figures left out.`);
  // Which way it counts: charge flows out while the voltage falls.
  let falls = 0;
  for (let k = 1; k < timeS.length; k++)
    if (currentA[k] !== 0)
      falls +=
        (voltageV[k]! - voltageV[k - 1]!) *
        Math.sign(currentA[k]!) *
        Math.min(Math.abs(currentA[k]!), Math.abs(currentA[k - 1]!));
  const turned = falls > 0;
  if (turned) notices.push('The voltage falls while its current is negative: taken as a discharge.');
  const first = timeS[0]!;
  return {
    timeS: timeS.map((t) => t - first),
    currentA: turned ? currentA.map((i) => -i) : currentA,
    voltageV,
    ...(ci >= 0 && temperatureC.some(Number.isFinite) ? { temperatureC } : {}),
    notices,
  };
}

/**
 * A course in at most so many points: of each stretch its lowest and highest voltage, in their order, so that no peak is lost.
 */
export function condenseRun(run: RunColumns, most = 800): RunColumns {
  const n = run.timeS.length;
  if (n <= most) return run;
  const keep: number[] = [];
  const buckets = Math.floor(most / 2);
  for (let b = 0; b < buckets; b++) {
    const [from, to] = [Math.floor((b * n) / buckets), Math.floor(((b + 1) * n) / buckets)];
    let [low, high] = [from, from];
    for (let i = from; i < to; i++) {
      if (run.voltageV[i]! < run.voltageV[low]!) low = i;
      if (run.voltageV[i]! > run.voltageV[high]!) high = i;
    }
    keep.push(Math.min(low, high));
    if (low !== high) keep.push(Math.max(low, high));
  }
  if (keep[0] !== 0) keep.unshift(0);
  if (keep.at(-1) !== n - 1) keep.push(n - 1);
  const pick = (list: readonly number[]): number[] => keep.map((i) => list[i]!);
  return {
    timeS: pick(run.timeS),
    currentA: pick(run.currentA),
    voltageV: pick(run.voltageV),
    ...(run.temperatureC ? { temperatureC: pick(run.temperatureC) } : {}),
    notices: run.notices,
  };
}
