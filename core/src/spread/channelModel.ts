import type { Scatter } from '../pack';
import { CURVE_SHIFT_SD, CURVE_WAVES, SHAPES, shapesOf, wavesOf } from './curveErrors';
import { minimise } from './levenberg';
import { accumulateColumns, logDeterminant, spdInverseDiagonal } from './linear';
import type { Observation, Observed } from './observe';
import { CURVE_STEPS, sampledCurve } from './sampledCurve';
import type { Trajectory } from './trajectory';

/** Parameters of one channel, in this order; after them come shapes of its curve and how the table lies beside it. */
export const PARAMETERS = ['soc', 'capacity', 'ohmic', 'slow', 'leak', 'offset'] as const;
export type Parameter = (typeof PARAMETERS)[number];
/** Where the shapes begin among the parameters of a fit, and where the curve's own errors do. */
const SHAPE = PARAMETERS.length;
const BENT = SHAPE + SHAPES;

/** Days since the record began. */
const daysAt = ({ timeS }: Trajectory, k: number): number => (timeS[k]! - timeS[0]!) / 86400;

/**
 * What one unit of each parameter adds to reading `i` of `n`, V.
 * @param along volts a cell for a unit of charge; `tied` is 1 where slow resistance goes with the ohmic one, else 0.
 */
function setColumns(
  columns: Float64Array,
  n: number,
  i: number,
  cells: number,
  along: number,
  drawn: number,
  days: number,
  ohmicV: number,
  slowV: number,
  tied: number,
): void {
  columns[i] = cells * along;
  columns[n + i] = -cells * along * drawn;
  columns[2 * n + i] = -cells * (ohmicV + tied * slowV);
  columns[3 * n + i] = -cells * slowV;
  columns[4 * n + i] = -cells * along * days;
  columns[5 * n + i] = 1;
}

/**
 * What one unit of each parameter, and of each shape, adds to the readings of a channel while differences are small, V:
 * one column a parameter, as long as the channel's readings.
 */
export function screeningColumns(
  observed: Observed,
  slopes: Float64Array,
  channel: number,
  cells: number,
): Float64Array {
  const t = observed.trajectory;
  const { at } = observed.channels[channel]!;
  const n = at.length;
  const columns = new Float64Array(n * (SHAPE + SHAPES));
  const shapes = shapesOf(observed);
  for (let i = 0; i < n; i++) {
    const k = at[i]!;
    const drawn = t.drawnAh[k]! / t.capacityAh;
    setColumns(columns, n, i, cells, slopes[k]!, drawn, daysAt(t, k), t.ohmicV[k]!, t.slowV[k]!, 1);
    for (let j = 0; j < SHAPES; j++) columns[(SHAPE + j) * n + i] = shapes[j]![k]!;
  }
  return columns;
}

/**
 * One explanation of a channel's deviation: which parameters may be far from healthy, and how capacity and
 * resistance hang together.
 */
export interface Hypothesis {
  name: string;
  free: Partial<Record<Parameter, number>>;
  /** Charge state at which a low-capacity channel is level with the others: the record's start, or full. */
  levelAt: 'start' | 'full';
  /** Ohmic and slow resistance rise together (a worn cell) or only the ohmic part does (a joint). */
  tied: boolean;
  /** Parameters that can only go one way; a fit on the other side does not count. */
  positive?: Parameter;
  /** Added to the chi-square for explanations that need two things at once. */
  penalty: number;
}

export interface ChannelFit {
  theta: Float64Array;
  sd: Float64Array;
  /** Misfit plus distance from healthy of what is not free. */
  chiSquare: number;
  /**
   * Logarithm of how likely the readings are under this explanation with its parameters integrated out (Laplace), but for
   * what is the same for all explanations of a channel. Not computed by the linear screening.
   */
  logEvidence: number;
  residualV: Float64Array;
  /** Readings behind each residual. */
  count: Float64Array;
}

/** Slope of the curve on the trajectory's grid, so that it is looked up once and not per channel. */
export function slopesOf(observed: Observed): Float64Array {
  return Float64Array.from(observed.trajectory.socFraction, (s) => observed.curve.slopeAt(s));
}

/**
 * Fits one hypothesis to one channel by Levenberg–Marquardt with normal priors:
 *   d = n·[OCV(s+Δ) − OCV(s)] − n·(r·ohmic + r₂·slow) + b,  Δ = a − g·q − L·t
 * with a the SOC gap at the start, g = 1/capacityRatio − 1, q the charge drawn over typical capacity, r and r₂
 * the excess of the ohmic and slow resistance, L the extra leakage a day and b the reading offset. A seventh
 * group of parameters lets the curve lie a little beside its table.
 * @param noiseV standard deviation of one deviation, V; `inflation` widens it for errors that last.
 * @param passes 1 for the linear screening, more for large deviations.
 * @param near look for the answer near the linear one only: enough to tell that a channel is not odd.
 * @param also answers of narrower explanations to start from: a wider one fits at least as well as they do.
 */
export function fitChannel(
  observed: Observed,
  slopes: Float64Array,
  channel: Observation,
  cells: number,
  scatter: Scatter,
  hypothesis: Hypothesis,
  noiseV: number,
  inflation: number,
  passes: number,
  near = false,
  also: readonly ChannelFit[] = [],
): ChannelFit {
  // A bent curve has more than one valley: a large gap is looked for from several sides, and from the linear answer.
  const at = (parameter: Parameter, value: number): Float64Array => {
    const theta = new Float64Array(PARAMETERS.length);
    theta[PARAMETERS.indexOf(parameter)] = value;
    return theta;
  };
  const from = (start: Float64Array | null, count: number, beat = Infinity): ChannelFit =>
    fitFrom(observed, slopes, channel, cells, scatter, hypothesis, noiseV, inflation, count, start, beat);
  const open = hypothesis.name === 'open';
  let best = from(open && near ? from(null, 1).theta : null, passes);
  if (passes === 1) return best;
  const starts = also.map((f) => f.theta);
  if (open && !near) starts.push(from(null, 1).theta);
  else if (!near && hypothesis.penalty === 0) {
    if (hypothesis.free.soc) starts.push(at('soc', -0.04), at('soc', -0.1), at('soc', 0.05));
    if (hypothesis.free.capacity) starts.push(at('capacity', 0.2), at('capacity', 0.6));
  }
  for (const start of starts) {
    const other = from(start, passes, best.chiSquare);
    if (other.chiSquare < best.chiSquare) best = other;
  }
  return best;
}

/** Room for the columns of one fit, kept between fits. */
let scratch = new Float64Array(4096);

/** How far each parameter may be from healthy under an explanation, one standard deviation. */
function priorsOf({ free, tied }: Hypothesis, scatter: Scatter, cells: number, bent: boolean): number[] {
  // A healthy channel's slow resistance goes with its ohmic one but for a little; a joint has nothing to do with it.
  const slowSd = tied ? scatter.slow : Math.hypot(scatter.resistance, scatter.slow);
  const priorSd = [
    scatter.socFraction,
    scatter.capacity,
    scatter.resistance,
    slowSd,
    scatter.leakPerDay,
    scatter.offsetV,
    ...Array.from({ length: SHAPES }, () => cells * scatter.shapeV),
    ...(bent ? [CURVE_SHIFT_SD, ...CURVE_WAVES.flatMap((w) => [w.sdV, w.sdV])] : []),
  ];
  PARAMETERS.forEach((p, j) => {
    const wide = free[p];
    if (wide !== undefined) priorSd[j] = wide;
  });
  return priorSd;
}

/** What one look at a channel needs: everything but the parameters. */
interface Looked {
  observed: Observed;
  slopes: Float64Array;
  channel: Observation;
  cells: number;
  hypothesis: Hypothesis;
  bent: boolean;
  /** One column a parameter: what it adds to each reading; kept from the last look so that the next step needs no second one. */
  columns: Float64Array;
  residualV: Float64Array;
  shapeV: Float64Array;
}

/**
 * The charge term of one reading, V a cell, and how it changes with the gap, V per unit of charge: the table's own
 * difference, and that of the shift and the waves beside it, whose columns are filled.
 */
function chargeTerm(l: Looked, th: Float64Array, i: number, d: number): { charge: number; along: number } {
  const k = l.channel.at[i]!;
  const plain = l.slopes[k]!;
  if (!l.bent) return { charge: plain * d, along: plain };
  const n = l.residualV.length;
  const s = l.observed.trajectory.socFraction[k]!;
  const { volt, slope: steep } = sampledCurve(l.observed.curve);
  const inside = Math.min(1, Math.max(0, s));
  const insideToo = Math.min(1, Math.max(0, s + d));
  const here = inside * CURVE_STEPS;
  const there = insideToo * CURVE_STEPS;
  const h = Math.floor(here);
  const g = Math.floor(there);
  const slope = steep[g]! + (there - g) * (steep[g + 1]! - steep[g]!);
  const shift = th[BENT]!;
  let charge =
    volt[g]! +
    (there - g) * (volt[g + 1]! - volt[g]!) -
    volt[h]! -
    (here - h) * (volt[h + 1]! - volt[h]!) +
    // Beyond its ends the curve goes on as it left.
    slope * (s + d - insideToo) -
    plain * (s - inside) +
    shift * (slope - plain);
  let along =
    s + d === insideToo
      ? CURVE_STEPS * (volt[g + 1]! - volt[g]! + shift * (steep[g + 1]! - steep[g]!))
      : slope;
  l.columns[BENT * n + i] = l.cells * (slope - plain);
  const waves = wavesOf(l.observed);
  for (let j = 0; j < CURVE_WAVES.length; j++) {
    // sin and cos of a sum, with those of the typical cell's charge known already.
    const { sin, cos } = waves[j]!;
    const { perSoc } = CURVE_WAVES[j]!;
    const x = perSoc * d;
    const small = x > -0.25 && x < 0.25;
    // Series to the seventh power are good to 1e-9 there.
    const cosD = small ? x * x * (-0.5 + x * x * (1 / 24 - (x * x) / 720)) : Math.cos(x) - 1;
    const sinD = small ? x * (1 + x * x * (-1 / 6 + x * x * (1 / 120 - (x * x) / 5040))) : Math.sin(x);
    const a = sin[k]! * cosD + cos[k]! * sinD;
    const b = cos[k]! * cosD - sin[k]! * sinD;
    const [byA, byB] = [th[BENT + 1 + 2 * j]!, th[BENT + 2 + 2 * j]!];
    l.columns[(BENT + 1 + 2 * j) * n + i] = l.cells * a;
    l.columns[(BENT + 2 + 2 * j) * n + i] = l.cells * b;
    charge += byA * a + byB * b;
    along += perSoc * (byA * (b + cos[k]!) - byB * (a + sin[k]!));
  }
  return { charge, along };
}

/** Fills residuals and columns for a set of parameters; returns the weighted sum of squares of the residuals. */
function look(l: Looked, th: Float64Array, weight: number): number {
  const { channel, columns, residualV, shapeV, cells, hypothesis } = l;
  const t = l.observed.trajectory;
  const n = residualV.length;
  const level = hypothesis.levelAt === 'full' ? Math.max(0, 1 - t.socFraction[0]!) : 0;
  const slowV = hypothesis.tied ? 1 : 0;
  shapeV.fill(0);
  for (let j = SHAPE; j < SHAPE + SHAPES; j++) {
    const by = th[j]!;
    if (by !== 0) for (let i = 0; i < n; i++) shapeV[i]! += by * columns[j * n + i]!;
  }
  let sum = 0;
  for (let i = 0; i < n; i++) {
    const k = channel.at[i]!;
    const drawn = t.drawnAh[k]! / t.capacityAh + level;
    const days = daysAt(t, k);
    const { charge, along } = chargeTerm(l, th, i, th[0]! - th[1]! * drawn - th[4]! * days);
    const slow = slowV * th[2]! + th[3]!;
    const r =
      channel.deviationV[i]! -
      (cells * (charge - th[2]! * t.ohmicV[k]! - slow * t.slowV[k]!) + th[5]! + shapeV[i]!);
    residualV[i] = r;
    sum += weight * channel.count[i]! * r * r;
    setColumns(columns, n, i, cells, along, drawn, days, t.ohmicV[k]!, t.slowV[k]!, slowV);
  }
  return sum;
}

/** One fit from one start; `beat` is the chi-square of another, beside which a start far behind is given up. */
function fitFrom(
  observed: Observed,
  slopes: Float64Array,
  channel: Observation,
  cells: number,
  scatter: Scatter,
  hypothesis: Hypothesis,
  noiseV: number,
  inflation: number,
  passes: number,
  from: Float64Array | null,
  beat: number,
): ChannelFit {
  const bent = passes > 1;
  const weight = 1 / (noiseV * noiseV * inflation);
  const priorSd = priorsOf(hypothesis, scatter, cells, bent);
  const count = priorSd.length;
  const n = channel.at.length;
  if (scratch.length < n * count) scratch = new Float64Array(2 * n * count);
  const columns = scratch.subarray(0, n * count);
  // Shapes lie over the typical cell's charge, whatever the channel's own gap is.
  shapesOf(observed).forEach((shape, j) => {
    for (let i = 0; i < n; i++) columns[(SHAPE + j) * n + i] = shape[channel.at[i]!]!;
  });
  const residualV = new Float64Array(n);
  const looked: Looked = {
    observed,
    slopes,
    channel,
    cells,
    hypothesis,
    bent,
    columns,
    residualV,
    shapeV: new Float64Array(n),
  };
  const theta = new Float64Array(count);
  if (from) theta.set(from.subarray(0, Math.min(from.length, count)));
  const { cost: chiSquare, info } = minimise(
    {
      cost: (th) => {
        let sum = look(looked, th, weight);
        for (let j = 0; j < count; j++) sum += (th[j]! / priorSd[j]!) ** 2;
        return sum;
      },
      normal: (th, matrix, rhs) => {
        matrix.fill(0);
        for (let j = 0; j < count; j++) {
          matrix[j * count + j] = 1 / priorSd[j]! ** 2;
          rhs[j] = -th[j]! / priorSd[j]! ** 2;
        }
        accumulateColumns(matrix, rhs, columns, residualV, channel.count, weight);
      },
    },
    theta,
    { steps: (bent ? 4 : 1) * passes, damping: bent ? 1e-3 : 0, hopelessAbove: 2 * beat + 50 },
  );
  const priorLog = priorSd.reduce((s, x) => s + Math.log(x), 0);
  const wrongSide = hypothesis.positive && theta[PARAMETERS.indexOf(hypothesis.positive)]! <= 0;
  return {
    theta,
    sd: spdInverseDiagonal(info).map(Math.sqrt),
    chiSquare: (wrongSide ? Infinity : chiSquare) + hypothesis.penalty,
    logEvidence:
      wrongSide || !bent
        ? -Infinity
        : -0.5 * (chiSquare + hypothesis.penalty + logDeterminant(info)) - priorLog,
    residualV,
    count: channel.count,
  };
}

/** Standard deviation of one reading's deviation and how much slow errors widen it, from the pack's own residuals. */
export function residualNoise(fits: ChannelFit[], floorV: number): { noiseV: number; inflation: number } {
  const rms = fits.map((f) =>
    Math.sqrt(
      f.residualV.reduce((s, r, i) => s + r * r * f.count[i]!, 0) / Math.max(1, f.residualV.length - 2),
    ),
  );
  const sorted = rms.filter((r) => Number.isFinite(r)).sort((a, b) => a - b);
  const noiseV = Math.max(floorV, sorted[Math.floor(sorted.length / 2)] ?? floorV);
  const factors = fits.map((f) => blockInflation(f, noiseV)).sort((a, b) => a - b);
  return { noiseV, inflation: Math.max(1, factors[Math.floor(factors.length / 2)] ?? 1) };
}

/** Variance of block means over what white noise would give: 1 for white residuals, more when errors last. */
export function blockInflation({ residualV, count }: ChannelFit, noiseV: number): number {
  const size = Math.floor(residualV.length / 16);
  if (size < 2) return 1;
  let sum = 0;
  for (let b = 0; b < 16; b++) {
    let total = 0;
    let weight = 0;
    for (let i = b * size; i < (b + 1) * size; i++) {
      total += residualV[i]! * count[i]!;
      weight += count[i]!;
    }
    sum += (total * total) / Math.max(1, weight);
  }
  return sum / 16 / (noiseV * noiseV);
}

/** Charge that leaks in a day as a current, mA. */
export const leakMilliamp = (perDay: number, trajectory: Trajectory): number =>
  (perDay * trajectory.capacityAh * 1000) / 24;
