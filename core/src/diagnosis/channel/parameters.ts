import { SHAPES } from './curveErrors';

/** Parameters of one channel, in this order; after them come shapes of its curve and how the table lies beside it. */
export const PARAMETERS = ['soc', 'capacity', 'ohmic', 'slow', 'leak', 'offset', 'slip', 'stretch'] as const;
export type Parameter = (typeof PARAMETERS)[number];
/** Where the shapes begin among the parameters of a fit, and where the curve's own errors do. */
export const SHAPE = PARAMETERS.length;
export const BENT = SHAPE + SHAPES;

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

/** Whether it says that lithium or the material of one electrode is lost. */
export const byElectrode = ({ free }: Hypothesis): boolean =>
  free.slip !== undefined || free.stretch !== undefined;

/** One explanation as it fits one channel best. */
export interface ChannelFit {
  theta: Float64Array;
  sd: Float64Array;
  /** Information matrix of the parameters, row by row: its inverse is their covariance. */
  info: Float64Array;
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
