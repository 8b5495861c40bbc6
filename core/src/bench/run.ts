import { InputProblem } from '../problem';
import type { Chemistry } from '../pack';

/** One logged run of a charger, load or logger. Discharge is positive. */
export interface BenchRun {
  chemistry: Chemistry;
  cellsInSeries: number;
  cutoffV: number;
  timeS: number[];
  currentA: number[];
  voltageV: number[];
  temperatureC?: number[] | undefined;
  /** Whoever ran it saw it come to its cut-off, if between two rows: a load that ends by itself. */
  atCutoff?: boolean | undefined;
}
export interface Pulse {
  atS: number;
  fromA: number;
  toA: number;
  r1sMilliohm: number | null;
  r10sMilliohm: number | null;
}
export interface RunAnswer {
  /** The discharge came to its cut-off. */
  complete: boolean;
  capacityAh: number | null;
  /** The capacity is at least this: the run ended before its cut-off. */
  lowerBound: boolean;
  energyWh: number;
  dischargedAh: number;
  netAh: number;
  cellsDroppedOut: number;
  dropoutsAh: number[];
  gaps: { fromS: number; toS: number }[];
  pulses: Pulse[];
  warnings: string[];
}

/** A step counts as a pulse from here, A. cli.md, bench. */
const PULSE_A = 5;
/** Rows this much further apart than usual are missing. */
const GAP_RATIO = 5;
const GAP_LEAST_S = 5;
/** A NiMH cell that runs empty falls from its plateau to about nothing; half of it is the middle of its knee. From memory. */
const PLATEAU_V = 1.2;
const KNEE_V = 0.6;
/** NiMH warms steadily near its end; above this it is near running away. Common practice, no source. */
const NIMH_HOT_C = 55;

const at = (xs: readonly number[], ys: readonly number[], x: number): number => {
  let i = 0;
  let j = xs.length - 1;
  while (j - i > 1) {
    const m = (i + j) >> 1;
    if (xs[m]! <= x) i = m;
    else j = m;
  }
  const span = xs[j]! - xs[i]!;
  return span <= 0 ? ys[i]! : ys[i]! + ((x - xs[i]!) / span) * (ys[j]! - ys[i]!);
};
/** Runs are of any length: nothing is spread out over a call. −∞ where there is no figure. */
const mostOf = (values: readonly number[]): number =>
  values.reduce((most, v) => (v > most ? v : most), -Infinity);
/** First row at or after a time, from a row on; −1 where there is none. */
const firstFrom = (timeS: readonly number[], from: number, atS: number): number => {
  let [low, high] = [from, timeS.length];
  while (low < high) {
    const mid = (low + high) >> 1;
    if (timeS[mid]! >= atS) high = mid;
    else low = mid + 1;
  }
  return low < timeS.length ? low : -1;
};
const medianOf = (values: readonly number[]): number => {
  const s = [...values].sort((a, b) => a - b);
  const m = s.length >> 1;
  return s.length === 0 ? NaN : s.length % 2 ? s[m]! : (s[m - 1]! + s[m]!) / 2;
};

function check(run: BenchRun): void {
  const n = run.timeS.length;
  for (const [name, list] of [
    ['currentA', run.currentA],
    ['voltageV', run.voltageV],
    ...(run.temperatureC ? ([['temperatureC', run.temperatureC]] as const) : []),
  ] as const)
    if (list.length !== n)
      throw new InputProblem(
        'shape',
        `${name} has ${list.length} values, timeS ${n}.`,
        name,
        'One value a row.',
      );
  if (n < 2) throw new InputProblem('rows', `The run has ${n} rows.`, 'timeS', 'Two rows or more.');
  for (let i = 1; i < n; i++)
    if (!(run.timeS[i]! >= run.timeS[i - 1]!))
      throw new InputProblem(
        'time-falls',
        `Time goes back from ${run.timeS[i - 1]!} s to ${run.timeS[i]!} s.`,
        `timeS[${i}]`,
        'Rows in the order they were recorded.',
      );
}

/** Where a discharge begins and where it first falls below its cut-off under load; by row, with the moment between rows. */
function span(run: BenchRun): { from: number; to: number; endS: number; crossed: boolean } {
  const { timeS, currentA, voltageV, cutoffV } = run;
  const loaded = Math.max(0.02, 0.02 * mostOf(currentA));
  const from = currentA.findIndex((i) => i > loaded);
  if (from < 0) return { from: -1, to: -1, endS: NaN, crossed: false };
  for (let i = from; i < timeS.length; i++) {
    if (!(currentA[i]! > loaded) || !(voltageV[i]! < cutoffV)) continue;
    const [v0, v1] = [voltageV[i - 1] ?? NaN, voltageV[i]!];
    const share = i > from && v0 > cutoffV ? (v0 - cutoffV) / (v0 - v1) : 1;
    const endS = i > 0 ? timeS[i - 1]! + share * (timeS[i]! - timeS[i - 1]!) : timeS[i]!;
    return { from, to: i, endS, crossed: true };
  }
  let last = timeS.length - 1;
  while (last > from && !(currentA[last]! > loaded)) last--;
  return { from, to: last, endS: timeS[last]!, crossed: run.atCutoff === true };
}

/** ∫ y dt in hours over a stretch of time, straight between rows. */
function integral(timeS: readonly number[], y: (i: number) => number, from: number, endS: number): number {
  let sum = 0;
  for (let i = from + 1; i < timeS.length && timeS[i - 1]! < endS; i++) {
    const [t0, t1] = [timeS[i - 1]!, timeS[i]!];
    if (t1 <= t0) continue;
    const to = Math.min(t1, endS);
    const [y0, y1] = [y(i - 1), y(i)];
    const end = y0 + ((to - t0) / (t1 - t0)) * (y1 - y0);
    sum += ((y0 + end) / 2) * (to - t0);
  }
  return sum / 3600;
}

/**
 * Cells that run empty one after another: the terminal voltage falls by a plateau within little charge. Each is counted where
 * its own voltage passes the middle of its knee; two close together make one double step.
 */
function dropouts(run: BenchRun, from: number, endS: number): number[] {
  const { timeS, currentA, voltageV } = run;
  const ah: number[] = [];
  const v: number[] = [];
  let q = 0;
  for (let i = from; i < timeS.length && timeS[i]! <= endS + 1e-9; i++) {
    if (i > from) q += ((currentA[i - 1]! + currentA[i]!) / 2) * ((timeS[i]! - timeS[i - 1]!) / 3600);
    ah.push(q);
    v.push(voltageV[i]!);
  }
  if (ah.length < 8 || q <= 0) return [];
  // What the string loses by itself: the usual slope of the run.
  const slopes = ah.slice(1).map((a, i) => (a > ah[i]! ? (v[i + 1]! - v[i]!) / (a - ah[i]!) : 0));
  const usual = Math.min(0, medianOf(slopes));
  const flat = v.map((x, i) => x - usual * ah[i]!);
  // Steep: what falls a third of a plateau within a hundredth of the charge.
  // A knee is no narrower than the rows lie apart.
  const apart = medianOf(ah.slice(1).map((a, i) => a - ah[i]!));
  const width = Math.max(0.012 * q, 1.01 * apart);
  let j0 = 0;
  const steep = flat.map((x, i) => {
    // Charge only rises: where the stretch of one row ends, that of the next ends no earlier.
    let j = Math.max(i, j0);
    while (j < ah.length - 1 && ah[j]! - ah[i]! < width) j++;
    j0 = j;
    return x - flat[j]! > 0.3 * PLATEAU_V;
  });
  const out: number[] = [];
  for (let i = 0; i < flat.length; i++) {
    if (!steep[i]) continue;
    let j = i;
    // To the row after the last steep one at least: across a gap of the log the fall is between two rows.
    while (j < flat.length - 1 && (steep[j] || steep[j + 1] || ah[j + 1]! - ah[lastSteep(steep, j)]! < width))
      j++;
    const fall = flat[i]! - flat[j]!;
    // One whose own voltage has not come to the middle of its knee has not run empty yet.
    const cells = fall < KNEE_V ? 0 : Math.floor((fall - KNEE_V) / PLATEAU_V) + 1;
    const each = fall / cells >= 0.9 * PLATEAU_V ? fall / cells : PLATEAU_V;
    // The k-th is at the middle of its knee when so many plateaus and a half are gone.
    for (let k = 0; k < cells; k++) {
      const level = flat[i]! - (k + KNEE_V / PLATEAU_V) * each;
      let m = i;
      while (m < j && flat[m]! > level) m++;
      const [a, b] = [flat[m - 1] ?? flat[m]!, flat[m]!];
      out.push(a > b ? ah[m - 1]! + ((a - level) / (a - b)) * (ah[m]! - ah[m - 1]!) : ah[m]!);
    }
    i = j;
  }
  return out;
}
const lastSteep = (steep: readonly boolean[], upTo: number): number => {
  for (let i = upTo; i >= 0; i--) if (steep[i]) return i;
  return 0;
};

/** Resistance by a step of current: what the voltage falls within x seconds of the last row before it, for what the current rises. cli.md, bench. */
function pulses(run: BenchRun): Pulse[] {
  const { timeS, currentA, voltageV } = run;
  const out: Pulse[] = [];
  for (let i = 1; i < timeS.length; i++) {
    const [before, after] = [currentA[i - 1]!, currentA[i]!];
    if (Math.abs(after - before) <= PULSE_A || Math.abs(after) < 0.5) continue;
    const beforeS = timeS[i - 1]!;
    const held = (x: number): number | null => {
      const end = beforeS + x;
      // No row of the pulse is there yet, or none any more: nothing was read x seconds after the step.
      if (end < timeS[i]! - 1e-9 || end > timeS[timeS.length - 1]! + 1e-9) return null;
      for (let j = i; j < timeS.length && timeS[j]! <= end + 1e-9; j++)
        if (Math.abs(currentA[j]! - after) > Math.max(0.5, 0.05 * Math.abs(after))) return null;
      // Straight between rows only where the row behind still belongs to the pulse.
      const next = firstFrom(timeS, i, end - 1e-9);
      if (next >= 0 && Math.abs(currentA[next]! - after) > Math.max(0.5, 0.05 * Math.abs(after))) return null;
      const r = (voltageV[i - 1]! - at(timeS, voltageV, end)) / (at(timeS, currentA, end) - before);
      return r * 1000;
    };
    out.push({ atS: timeS[i]!, fromA: before, toA: after, r1sMilliohm: held(1), r10sMilliohm: held(10) });
  }
  return out;
}

/** What one logged run says: how much it gave, which cells ran empty on the way, its resistance, and what is missing in it. */
export function analyseRun(run: BenchRun): RunAnswer {
  check(run);
  const { timeS, currentA, voltageV, temperatureC, chemistry } = run;
  const nimh = chemistry === 'nimh';
  const warnings: string[] = [];
  const steps = timeS.slice(1).map((t, i) => t - timeS[i]!);
  const usualS = medianOf(steps.filter((s) => s > 0));
  const gaps = steps.flatMap((s, i) =>
    s > Math.max(GAP_LEAST_S, GAP_RATIO * usualS) ? [{ fromS: timeS[i]!, toS: timeS[i + 1]! }] : [],
  );
  for (const g of gaps)
    warnings.push(
      `Rows are missing from ${g.fromS} s to ${g.toS} s; what flowed there is taken as straight between.`,
    );
  const { from, endS, crossed } = span(run);
  if (from < 0) {
    warnings.push('No discharge in this run.');
    return {
      complete: false,
      capacityAh: null,
      lowerBound: false,
      energyWh: 0,
      dischargedAh: 0,
      netAh: 0,
      cellsDroppedOut: 0,
      dropoutsAh: [],
      gaps,
      pulses: pulses(run),
      warnings,
    };
  }
  // A step of current is no ramp: what lies before the first loaded row counts for nothing.
  const dischargedAh = integral(timeS, (i) => Math.max(0, currentA[i]!), from, endS);
  const netAh = integral(timeS, (i) => currentA[i]!, from, endS);
  const energyWh = integral(timeS, (i) => currentA[i]! * voltageV[i]!, from, endS);
  const dropoutsAh = nimh ? dropouts(run, from, endS) : [];
  if (!crossed) warnings.push('The run ended before its cut-off: the capacity is at least this.');
  if (dropoutsAh.length > 0)
    warnings.push(
      `${dropoutsAh.length} ${dropoutsAh.length === 1 ? 'cell ran' : 'cells ran'} empty before the cut-off and ${dropoutsAh.length === 1 ? 'was' : 'were'} driven backwards from there: raise the cut-off for the next cycle.`,
    );
  const hottest = temperatureC ? mostOf(temperatureC) : NaN;
  if (nimh && hottest >= NIMH_HOT_C)
    warnings.push(`It came to ${hottest.toFixed(0)} °C: stop earlier and cool it.`);
  return {
    complete: crossed,
    capacityAh: nimh ? dischargedAh : netAh,
    lowerBound: !crossed,
    energyWh,
    dischargedAh,
    netAh,
    cellsDroppedOut: dropoutsAh.length,
    dropoutsAh,
    gaps,
    pulses: pulses(run),
    warnings,
  };
}
