import { InputProblem } from '../problem';
import type { Chemistry } from '../pack';

/** A module left alone after its charge. */
export interface HoldTest {
  chemistry: Chemistry;
  cellsInSeries: number;
  capacityAh: number;
  socFraction: number;
  /** Module volts per ampere-hour at this state of charge. */
  ocvSlopeVPerAh: number;
  /** Module volts per kelvin; null to fit it. */
  temperatureCoefficientVPerK: number | null;
  leakLimitMilliamp: number;
  deadBelowV: number;
  suddenDropV: number;
  /** From the end of the charge. */
  timeH: number[];
  voltageV: number[];
  temperatureC: number[];
}
export interface HoldAnswer {
  verdict: 'pass' | 'fail' | 'inconclusive' | 'dead';
  leakageMilliamp: number | null;
  leakageSdMilliamp: number | null;
  lossPerDayFraction: number | null;
  reasons: string[];
}

/** The limit has to lie this many standard deviations away. cli.md, hold. */
const SIGMAS = 3;
/** Time constants of relaxation that are tried, as shares of the time since the charge: from minutes to days. */
const TAUS = 60;
/** No meter reads better than this, V. */
const LEAST_SD_V = 2e-4;

/** Least squares of y on columns, with the inverse of the normal matrix; null where the columns do not tell each other apart. */
function regress(
  columns: readonly (readonly number[])[],
  y: readonly number[],
): { beta: number[]; inverse: number[][]; rss: number } | null {
  const k = columns.length;
  const scale = columns.map((c) => Math.sqrt(c.reduce((s, x) => s + x * x, 0)) || 1);
  const a = columns.map((ci, i) =>
    columns.map((cj, j) => ci.reduce((s, x, r) => s + x * cj[r]!, 0) / (scale[i]! * scale[j]!)),
  );
  const m = a.map((row, i) => [...row, ...columns.map((_, j) => (i === j ? 1 : 0))]);
  for (let i = 0; i < k; i++) {
    let p = i;
    for (let r = i + 1; r < k; r++) if (Math.abs(m[r]![i]!) > Math.abs(m[p]![i]!)) p = r;
    if (Math.abs(m[p]![i]!) < 1e-11) return null;
    [m[i], m[p]] = [m[p]!, m[i]!];
    const d = m[i]![i]!;
    for (let c = 0; c < 2 * k; c++) m[i]![c]! /= d;
    for (let r = 0; r < k; r++) {
      if (r === i) continue;
      const f = m[r]![i]!;
      if (f !== 0) for (let c = 0; c < 2 * k; c++) m[r]![c]! -= f * m[i]![c]!;
    }
  }
  const inverse = m.map((row, i) => row.slice(k).map((x, j) => x / (scale[i]! * scale[j]!)));
  const xty = columns.map((c) => c.reduce((s, x, r) => s + x * y[r]!, 0));
  const beta = inverse.map((row) => row.reduce((s, x, j) => s + x * xty[j]!, 0));
  const rss = y.reduce((s, v, r) => s + (v - columns.reduce((t, c, j) => t + beta[j]! * c[r]!, 0)) ** 2, 0);
  return { beta, inverse, rss };
}

/**
 * Whether a module keeps its charge: V(t) = V∞ + a·e^(−t/τ) − s·t + k·(T − T₀), all of it fitted together, τ over its whole range
 * with its weight; leakage = s / (dV/dQ). numbers.md, hold test.
 */
export function judgeHold(test: HoldTest): HoldAnswer {
  const {
    timeH,
    voltageV,
    temperatureC,
    ocvSlopeVPerAh,
    capacityAh,
    leakLimitMilliamp,
    temperatureCoefficientVPerK,
  } = test;
  const n = timeH.length;
  if (voltageV.length !== n || temperatureC.length !== n)
    throw new InputProblem(
      'shape',
      `timeH has ${n} values, voltageV ${voltageV.length}, temperatureC ${temperatureC.length}.`,
      'timeH, voltageV, temperatureC',
      'One of each a reading.',
    );
  if (!(ocvSlopeVPerAh > 0))
    throw new InputProblem(
      'slope',
      `The slope of the rest voltage is ${ocvSlopeVPerAh} V/A·h.`,
      'ocvSlopeVPerAh',
      'More than 0.',
    );
  for (let i = 1; i < n; i++)
    if (!(timeH[i]! > timeH[i - 1]!))
      throw new InputProblem(
        'time-falls',
        `Time does not rise from ${timeH[i - 1]!} h to ${timeH[i]!} h.`,
        `timeH[${i}]`,
        'Readings in their order.',
      );
  const none = { leakageMilliamp: null, leakageSdMilliamp: null, lossPerDayFraction: null };
  const lowest = voltageV.findIndex((v) => v < test.deadBelowV);
  if (lowest >= 0)
    return {
      verdict: 'dead',
      ...none,
      reasons: [
        `${voltageV[lowest]!.toFixed(2)} V after ${timeH[lowest]!.toFixed(1)} h: below ${test.deadBelowV} V it holds nothing.`,
      ],
    };
  for (let i = 1; i < n; i++)
    if (voltageV[i - 1]! - voltageV[i]! > test.suddenDropV)
      return {
        verdict: 'dead',
        ...none,
        reasons: [
          `It fell by ${(voltageV[i - 1]! - voltageV[i]!).toFixed(2)} V between ${timeH[i - 1]!.toFixed(1)} h and ${timeH[i]!.toFixed(1)} h: a cell has gone.`,
        ],
      };
  const warm = medianSpread(temperatureC);
  const fitsK = temperatureCoefficientVPerK === null && warm > 0.3;
  const known = 2 + 1 + (fitsK ? 1 : 0) + 1;
  if (n < known + 1)
    return {
      verdict: 'inconclusive',
      ...none,
      reasons: [`${n} readings are too few to tell a leak from the voltage settling: ${known + 1} or more.`],
    };
  const t0 = temperatureC[0]!;
  const y = voltageV.map((v, i) => v - (temperatureCoefficientVPerK ?? 0) * (temperatureC[i]! - t0));
  const one = timeH.map(() => 1);
  const drift = timeH.map((t) => -t);
  const heat = temperatureC.map((t) => t - t0);
  const columnsFor = (tau: number | null): number[][] => [
    one,
    drift,
    ...(tau === null ? [] : [timeH.map((t) => Math.exp(-t / tau))]),
    ...(fitsK ? [heat] : []),
  ];
  const spanH = timeH[n - 1]! - timeH[0]!;
  const fits: { s: number; varUnit: number; rss: number; df: number }[] = [];
  const from = Math.max(0.05, Math.min(...timeH.slice(1).map((t, i) => t - timeH[i]!)) / 2);
  // A relaxation slower than half of what was watched cannot be told from a leak at all.
  const to = Math.max(2 * from, spanH / 2);
  for (let i = 0; i < TAUS; i++) {
    const tau = from * (to / from) ** (i / (TAUS - 1));
    const columns = columnsFor(tau);
    const fit = regress(columns, y);
    if (fit)
      fits.push({
        s: fit.beta[1]!,
        varUnit: fit.inverse[1]![1]!,
        rss: fit.rss,
        df: Math.max(1, n - columns.length - 1),
      });
  }
  if (fits.length === 0)
    return {
      verdict: 'inconclusive',
      ...none,
      reasons: ['The readings do not tell a leak from the voltage settling: read again later.'],
    };
  const best = fits.reduce((a, b) => (b.rss < a.rss ? b : a));
  const variance = Math.max(best.rss / best.df, LEAST_SD_V ** 2);
  // Every time constant counts by how well it goes with the readings; that it is not known adds to the uncertainty.
  const weights = fits.map((f) => Math.exp(-(f.rss - best.rss) / (2 * variance)));
  const sum = weights.reduce((a, b) => a + b, 0);
  const s = fits.reduce((m, f, i) => m + (weights[i]! / sum) * f.s, 0);
  const varS = fits.reduce((m, f, i) => m + (weights[i]! / sum) * (variance * f.varUnit + (f.s - s) ** 2), 0);
  const leakageMilliamp = (s / ocvSlopeVPerAh) * 1000;
  const leakageSdMilliamp = (Math.sqrt(varS) / ocvSlopeVPerAh) * 1000;
  const lossPerDayFraction = ((leakageMilliamp / 1000) * 24) / capacityAh;
  const said = `${leakageMilliamp.toFixed(2)} ± ${leakageSdMilliamp.toFixed(2)} mA where up to ${leakLimitMilliamp} mA are allowed`;
  const far = Math.abs(leakageMilliamp - leakLimitMilliamp) > SIGMAS * leakageSdMilliamp;
  return {
    verdict: !far ? 'inconclusive' : leakageMilliamp < leakLimitMilliamp ? 'pass' : 'fail',
    leakageMilliamp,
    leakageSdMilliamp,
    lossPerDayFraction,
    reasons: [
      far ? `It leaks ${said}.` : `Too early to tell: it leaks ${said}. Let it stand and read again.`,
      `That is ${(100 * lossPerDayFraction).toFixed(2)} % a day.`,
    ],
  };
}
const medianSpread = (values: readonly number[]): number => Math.max(...values) - Math.min(...values);
