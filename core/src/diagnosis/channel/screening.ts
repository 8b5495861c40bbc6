import { SHAPES, shapesOf } from './curveErrors';
import { accumulateColumns, solveSpd, spdInverseDiagonal } from '../../numerics/linearAlgebra';
import type { Observation, DeviationSet } from './deviations';
import { PARAMETERS, SHAPE, type ChannelFit, type Hypothesis } from './parameters';
import { placesOf } from './electrodePositions';
import { addBranch, daysAt, levelOf, setColumns, type Slopes } from './channelTerms';

/** Parameters of a channel while its differences are small: its own and its shapes. */
export const SCREENED = SHAPE + SHAPES;

/** All that one channel's readings say of the parameters while they are small: columns, and sums that no prior enters. */
export interface Screened {
  /** What one unit of each parameter adds to each reading, V; slow resistance goes with the ohmic one. */
  columns: Float64Array;
  /** Sums of products of two columns, and of a column and the readings, each reading by how many are behind it. */
  info: Float64Array;
  rhs: Float64Array;
  /** Sum of squares of the readings, each by how many are behind it, V². */
  squares: number;
}

const known = new WeakMap<Slopes, WeakMap<Observation, Screened>>();

/** The columns and sums of one channel, once for all that is asked of them. */
export function screened(
  observed: DeviationSet,
  slopes: Slopes,
  channel: Observation,
  cells: number,
): Screened {
  const own = known.get(slopes) ?? new WeakMap<Observation, Screened>();
  known.set(slopes, own);
  let found = own.get(channel);
  if (!found) {
    const columns = columnsOf(observed, slopes, channel, cells);
    const info = new Float64Array(SCREENED * SCREENED);
    const rhs = new Float64Array(SCREENED);
    accumulateColumns(info, rhs, columns, channel.deviationV, channel.count, 1);
    const squares = channel.deviationV.reduce((sum, v, i) => sum + channel.count[i]! * v * v, 0);
    found = { columns, info, rhs, squares };
    own.set(channel, found);
  }
  return found;
}

function columnsOf(observed: DeviationSet, slopes: Slopes, { at }: Observation, cells: number): Float64Array {
  const t = observed.trajectory;
  const n = at.length;
  const columns = new Float64Array(n * SCREENED);
  const shapes = shapesOf(observed);
  const places = placesOf(observed);
  for (let i = 0; i < n; i++) {
    const k = at[i]!;
    const steep = {
      positive: slopes.positive[k]!,
      negative: slopes.negative[k]!,
      positiveDrawn: places.positiveDrawn[k]!,
      negativeDrawn: places.negativeDrawn[k]!,
      below: 1 - places.negative[k]!,
      positiveLag: t.positiveLagAh[k]! / t.capacityAh,
      negativeLag: t.negativeLagAh[k]! / t.capacityAh,
    };
    setColumns(columns, n, i, cells, steep, daysAt(t, k), t.ohmicV[k]!, t.slowV[k]!, 1);
    if (t.branch) addBranch(columns, n, i, k, cells, t.branch);
    for (let j = 0; j < SHAPES; j++) columns[(SHAPE + j) * n + i] = shapes[j]![k]!;
  }
  return columns;
}

const [SOC, CAPACITY, OHMIC, SLOW] = [0, 1, 2, 3];

/**
 * The linear fit of one explanation: what `fitChannel` finds while every difference is small, from the channel's sums alone.
 * @param priorSd how far each parameter may be from nothing, one standard deviation
 * @param weight of one reading, 1/V²
 */
export function screen(
  observed: DeviationSet,
  slopes: Slopes,
  channel: Observation,
  cells: number,
  hypothesis: Hypothesis,
  priorSd: readonly number[],
  weight: number,
): ChannelFit {
  const { columns, info: sums, rhs: right, squares } = screened(observed, slopes, channel, cells);
  const info = sums.slice();
  const rhs = right.slice();
  const level = levelOf(hypothesis, observed.trajectory);
  // A parameter that also moves what another stands for: its column is the sum of both.
  const also: [of: number, from: number, times: number][] = [];
  if (!hypothesis.tied) also.push([OHMIC, SLOW, -1]);
  if (level > 0) also.push([CAPACITY, SOC, -level]);
  const n = SCREENED;
  for (const [of, from, times] of also) {
    for (let j = 0; j < n; j++) info[of * n + j]! += times * info[from * n + j]!;
    for (let j = 0; j < n; j++) info[j * n + of]! += times * info[j * n + from]!;
    rhs[of]! += times * rhs[from]!;
  }
  for (let i = 0; i < info.length; i++) info[i]! *= weight;
  for (let j = 0; j < n; j++) {
    rhs[j]! *= weight;
    info[j * (n + 1)]! += 1 / priorSd[j]! ** 2;
  }
  const theta = solveSpd(info, rhs);
  // The sum of squares at the least of a parabola, from its sums: no reading is looked at again.
  let chiSquare = hypothesis.penalty + weight * squares;
  for (let i = 0; i < n; i++) {
    let row = -2 * rhs[i]!;
    for (let j = 0; j < n; j++) row += info[i * n + j]! * theta[j]!;
    chiSquare += theta[i]! * row;
  }
  const wrongSide = hypothesis.positive && theta[PARAMETERS.indexOf(hypothesis.positive)]! <= 0;
  const left = once(() => {
    const by = theta.slice();
    for (const [of, from, times] of also) by[from]! += times * theta[of]!;
    const rows = channel.at.length;
    const residualV = channel.deviationV.slice();
    for (let j = 0; j < n; j++) {
      const b = by[j]!;
      if (b !== 0) for (let i = 0; i < rows; i++) residualV[i]! -= b * columns[j * rows + i]!;
    }
    return residualV;
  });
  const sd = once(() => spdInverseDiagonal(info).map(Math.sqrt));
  return {
    theta,
    info,
    chiSquare: wrongSide ? Infinity : chiSquare,
    logEvidence: -Infinity,
    count: channel.count,
    get sd() {
      return sd();
    },
    get residualV() {
      return left();
    },
  };
}

/** What most screenings are never asked for is worked out when it is, and kept. */
function once<T>(make: () => T): () => T {
  let made: { value: T } | null = null;
  return () => (made ??= { value: make() }).value;
}
