import type { Scatter } from '../../pack';
import { look, lookedAt, type Slopes } from './channelTerms';
import { SHAPES, USUAL_BENDS } from './curveErrors';
import { minimise } from '../../numerics/levenbergMarquardt';
import { accumulateColumns, logDeterminant, spdInverseDiagonal } from '../../numerics/linearAlgebra';
import type { Bends, Observation, DeviationSet } from './deviations';
import { BENT, PARAMETERS, type ChannelFit, type Hypothesis, type Parameter } from './parameters';
import { screen } from './screening';
import type { Trajectory } from '../cell/typicalCell';

export type { ChannelFit } from './parameters';

/**
 * Fits one hypothesis to one channel by Levenberg–Marquardt with normal priors:
 *   d = n·[P(s+Δ) − P(s) − U(s+Δ−λ−μ·(1−s)) + U(s)] − n·(r·ohmic + r₂·slow) + b,  Δ = a − g·q − L·t
 * with a the SOC gap at the start, g = 1/capacityRatio − 1, q the charge drawn over typical capacity, r and r₂
 * the excess of the ohmic and slow resistance, L the extra leakage a day and b the reading offset; P and U are the potentials of
 * the electrodes at their surfaces, λ the lithium that is lost and μ how much sooner the negative electrode runs empty. More
 * parameters let the curve lie a little beside its table.
 * @param noiseV standard deviation of one deviation, V; `inflation` widens it for errors that last.
 * @param passes 1 for the linear screening, more for large deviations.
 * @param near look for the answer near the linear one only: enough to tell that a channel is not odd.
 * @param also answers of narrower explanations to start from: a wider one fits at least as well as they do.
 */
export function fitChannel(
  observed: DeviationSet,
  slopes: Slopes,
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
  const all = (values: Partial<Record<Parameter, number>>): Float64Array =>
    Float64Array.from(PARAMETERS, (p) => values[p] ?? 0);
  const at = (parameter: Parameter, value: number): Float64Array => all({ [parameter]: value });
  const weight = 1 / (noiseV * noiseV * inflation);
  const linear = (): ChannelFit =>
    screen(observed, slopes, channel, cells, hypothesis, priorsOf(hypothesis, scatter, cells, null), weight);
  if (passes === 1) return linear();
  // The best so far, whether or not its explanation may go that way, and the least that any explanation is known to leave.
  const leastKnown = Math.min(...also.map((f) => f.chiSquare));
  let beat: { theta: Float64Array; cost: number } | null = null;
  const from = (start: Float64Array | null): ChannelFit => {
    const { fit, cost } = fitFrom(
      observed,
      slopes,
      channel,
      cells,
      scatter,
      hypothesis,
      weight,
      passes,
      start,
      beat,
      leastKnown,
    );
    if (!beat || cost < beat.cost) beat = { theta: fit.theta, cost };
    return fit;
  };
  const open = hypothesis.name === 'open';
  let best = from(open && near ? linear().theta : null);
  const starts = also.map((f) => f.theta);
  if (open && !near) starts.push(linear().theta);
  else if (!near && hypothesis.penalty === 0) {
    if (hypothesis.free.soc)
      starts.push(...[-0.22, -0.16, -0.1, -0.07, -0.04, 0.05].map((gap) => at('soc', gap)));
    if (hypothesis.free.capacity)
      starts.push(at('capacity', 0.1), at('capacity', 0.2), at('capacity', 0.35), at('capacity', 0.6));
    if (hypothesis.free.offset)
      starts.push(at('soc', 0.05), at('soc', -0.04), at('soc', -0.1), at('capacity', 0.2));
    if (hypothesis.free.slip)
      starts.push(
        at('slip', 0.15),
        at('capacity', 0.2),
        all({ soc: -0.04, slip: 0.3 }),
        all({ slip: 0.2, stretch: -0.5 }),
      );
    if (hypothesis.free.stretch) starts.push(at('stretch', 0.2));
  }
  for (const start of starts) {
    const other = from(start);
    if (other.chiSquare < best.chiSquare) best = other;
  }
  return best;
}

/** Room for the columns of one fit, kept between fits. */
let scratch = new Float64Array(4096);

/** How far each parameter may be from healthy under an explanation, one standard deviation. */
function priorsOf(
  { free, tied }: Hypothesis,
  scatter: Scatter,
  cells: number,
  bends: Bends | null,
): number[] {
  // A healthy channel's slow resistance goes with its ohmic one but for a little; a joint has nothing to do with it.
  const slowSd = tied ? scatter.slow : Math.hypot(scatter.resistance, scatter.slow);
  const priorSd = [
    scatter.socFraction,
    scatter.capacity,
    scatter.resistance,
    slowSd,
    scatter.leakPerDay,
    scatter.offsetV,
    scatter.slip,
    scatter.stretch,
    ...Array.from({ length: SHAPES }, () => cells * scatter.shapeV),
    ...(bends ? bends.sd : []),
  ];
  PARAMETERS.forEach((p, j) => {
    const wide = free[p];
    if (wide !== undefined) priorSd[j] = wide;
  });
  return priorSd;
}

/** One fit from one start, and what it leaves; `beat` is the best of the others, beside which, and beside the least of any explanation, a start far behind is given up. */
function fitFrom(
  observed: DeviationSet,
  slopes: Slopes,
  channel: Observation,
  cells: number,
  scatter: Scatter,
  hypothesis: Hypothesis,
  weight: number,
  passes: number,
  from: Float64Array | null,
  beat: { theta: Float64Array; cost: number } | null,
  leastKnown: number,
): { fit: ChannelFit; cost: number } {
  const bends = observed.bends ?? USUAL_BENDS;
  const priorSd = priorsOf(hypothesis, scatter, cells, bends);
  const count = priorSd.length;
  const mean = new Float64Array(count);
  mean.set(bends.mean, BENT);
  const n = channel.at.length;
  if (scratch.length < n * count) scratch = new Float64Array(2 * n * count);
  const columns = scratch.subarray(0, n * count);
  const looked = lookedAt(observed, slopes, channel, cells, hypothesis, columns);
  const { residualV } = looked;
  const theta = mean.slice();
  if (from) theta.set(from.subarray(0, Math.min(from.length, count)));
  const { cost, info } = minimise(
    {
      cost: (th) => {
        let sum = look(looked, th, weight);
        for (let j = 0; j < count; j++) sum += ((th[j]! - mean[j]!) / priorSd[j]!) ** 2;
        return sum;
      },
      normal: (th, matrix, rhs) => {
        matrix.fill(0);
        for (let j = 0; j < count; j++) {
          matrix[j * count + j] = 1 / priorSd[j]! ** 2;
          rhs[j] = (mean[j]! - th[j]!) / priorSd[j]! ** 2;
        }
        accumulateColumns(matrix, rhs, columns, residualV, channel.count, weight);
      },
    },
    theta,
    {
      steps: 4 * passes,
      damping: 1e-3,
      hopelessAbove: beat ? 2 * Math.min(beat.cost, leastKnown) + 50 : Infinity,
      known: beat,
    },
  );
  const priorLog = priorSd.reduce((s, x) => s + Math.log(x), 0);
  const wrongSide = hypothesis.positive && theta[PARAMETERS.indexOf(hypothesis.positive)]! <= 0;
  const fit: ChannelFit = {
    theta,
    sd: spdInverseDiagonal(info).map(Math.sqrt),
    info,
    chiSquare: (wrongSide ? Infinity : cost) + hypothesis.penalty,
    logEvidence: wrongSide ? -Infinity : -0.5 * (cost + hypothesis.penalty + logDeterminant(info)) - priorLog,
    residualV,
    count: channel.count,
  };
  return { fit, cost };
}

/** Charge that leaks in a day as a current, mA. */
export const leakMilliamp = (perDay: number, trajectory: Trajectory): number =>
  (perDay * trajectory.capacityAh * 1000) / 24;
