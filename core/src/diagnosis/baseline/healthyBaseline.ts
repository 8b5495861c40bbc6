import { factsOf, type Pack, type Scatter } from '../../pack';
import type { ScanRecord } from '../../scan';
import { HEALTHY, OPEN } from '../channel/hypotheses';
import { downweightSkewedSamples } from './samplingSkew';
import type { Bends, Observation, DeviationSet } from '../channel/deviations';
import { populationSpread, SCATTER_KEYS, sensorStepOf } from './populationSpread';
import { withoutThermalGradient } from './thermalGradient';
import type { Verdict } from '../verdict';
import { type ChannelFit, fitChannel } from '../channel/channelModel';
import { type Slopes, slopesOf } from '../channel/channelTerms';
import type { Hypothesis } from '../channel/parameters';
import { tableCorrection } from './tableCorrection';
import { residualNoise } from '../channel/residuals';
import { robustSigma } from '../../numerics/robustStatistics';

/** Shape that is allowed, in times of the usual one, while the noise of the readings is told. */
const WIDE_SHAPE = 4;

/** The deepest fit of a verdict, and how likely the readings are under all of the verdict's explanations together. */
export interface Explanation {
  chiSquare: number;
  logEvidence: number;
  fit: ChannelFit;
  hypothesis: Hypothesis;
  /** Logarithm of how much likelier the deepest is than the best of the others of the same verdict. */
  apart: number;
}

/** What was found of one odd channel: the best explanation of every verdict that the record can speak for. */
export interface Judged {
  channelIndex: number;
  /** How much better the best of them is than nothing wrong, by chi-square. */
  detect: number;
  byVerdict: Map<Verdict, Explanation>;
}

/** Fits one explanation to one channel of a record, with what healthy channels of its pack differ by as prior. */
export type FitHypothesis = (
  channel: number,
  hypothesis: Hypothesis,
  inflation: number,
  /** `reads`: other readings of the channel than those observed. */
  how?: { passes?: number; near?: boolean; also?: readonly ChannelFit[]; reads?: Observation },
) => ChannelFit;

/** What is known of a record once its healthy majority has spoken. */
export interface HealthyBaseline {
  observed: DeviationSet;
  pack: Pack;
  scatter: Scatter;
  /** No less than packs usually differ by: what is less is no fault, however plain it is. */
  harmless: Scatter;
  noiseV: number;
  inflation: number;
  fit: FitHypothesis;
  /** The same with other healthy differences. */
  withScatter: (scatter: Scatter) => HealthyBaseline;
  /** The same with the electrodes behind a flat curve, to weigh causes with what lost lithium would show; itself where the curve is not flat. */
  byElectrodes: () => HealthyBaseline;
}

/** What this pack's own majority says of noise, lasting errors and healthy differences. */
export function healthyBaselineOf(
  record: ScanRecord,
  pack: Pack,
  given: DeviationSet,
  plain: readonly number[],
): HealthyBaseline {
  const facts = factsOf(pack.profile.chemistry);
  const slopes = slopesOf(given);
  const floorV = (0.6 * sensorStepOf(record, facts.sensorStepV)) / Math.sqrt(given.readingsPerMoment);
  const fitWith =
    (observed: DeviationSet, by: Slopes, scatter: Scatter, noiseV: number): FitHypothesis =>
    (c, hypothesis, inflation, { passes = 8, near = false, also = [], reads = observed.channels[c]! } = {}) =>
      fitChannel(
        observed,
        by,
        reads,
        pack.channels[c]!.cells,
        scatter,
        hypothesis,
        noiseV,
        inflation,
        passes,
        near,
        also,
      );
  const wide = { ...facts.healthy, shapeV: WIDE_SHAPE * facts.healthy.shapeV };
  const loosely = fitWith(given, slopes, wide, 1.3 * floorV);
  const looks = plain.map((c) => loosely(c, OPEN, 1, { passes: 1 }));
  const { noiseV, inflation } = residualNoise(looks, floorV);
  const placed = withoutThermalGradient(given, pack, plain, looks);
  const observed = downweightSkewedSamples(placed, plain, looks, noiseV, (c, reads) =>
    loosely(c, OPEN, 1, { passes: 1, reads }),
  );
  const own = populationSpread(
    observed,
    slopes,
    pack,
    plain,
    facts.healthy,
    OPEN.free,
    noiseV * Math.sqrt(inflation),
  );
  const around = (seen: DeviationSet, scatter: Scatter): HealthyBaseline => ({
    observed: seen,
    pack,
    scatter,
    harmless: largerOf(scatter, facts.healthy),
    noiseV,
    inflation,
    fit: fitWith(seen, slopes, scatter, noiseV),
    withScatter: (other) => around(seen, other),
    byElectrodes() {
      if (!facts.flat || mostLag(seen.trajectory) < LAG_SHOWS) return this;
      const parted = electrodesOfFlat(seen);
      // The steps of healthy channels are as far apart as charge and capacity make them: what they differ by else is in the shapes.
      const bound = { ...scatter, slip: NO_MORE, stretch: NO_MORE };
      return {
        ...this,
        observed: parted,
        scatter: bound,
        fit: fitWith(parted, slopesOf(parted), bound, noiseV),
      };
    },
  });
  const scatter = widened(own, plain.length, facts.detect.rest);
  const asTabled = around(observed, scatter);
  // Where the steps of a flat curve have been found, all channels together show more closely where they are than any one.
  return facts.flat && observed.trajectory.ageing
    ? around({ ...observed, bends: bendsOf(asTabled, plain) }, scatter)
    : asTabled;
}

/** Next to nothing, as a standard deviation. */
const NO_MORE = 1e-6;

/**
 * How far a load has to have moved the surface of the electrodes, share of charge, for the steps of a flat curve to be laid at one of them: of fourteen
 * packs of particles thirteen are at 0.011 to 0.044, of four of circuits none above 0.008.
 */
const LAG_SHOWS = 0.01;
const mostLag = ({ positiveLagAh, capacityAh }: DeviationSet['trajectory']): number =>
  positiveLagAh.reduce((most, q) => Math.max(most, Math.abs(q) / capacityAh), 0);

/** A flat curve with the electrodes behind it. */
const electrodesOfFlat = (observed: DeviationSet): DeviationSet => ({
  ...observed,
  negative: observed.steps ?? null,
  bendsBehind: true,
  // What lags under load is the electrode that has the steps.
  trajectory: { ...observed.trajectory, negativeLagAh: observed.trajectory.positiveLagAh },
});

/** A channel that is no odder than this is asked how the curve of its pack bends; so many of them are enough. */
const CALM = 9;
const ASKED = 32;

/** How the curve of a pack lies beside its table, by channels that nothing is wrong with. */
function bendsOf({ fit, inflation }: HealthyBaseline, plain: readonly number[]): Bends {
  const calm = plain.filter((c) => {
    const [healthy, open] = [HEALTHY, OPEN].map((h) => fit(c, h, inflation, { passes: 1 }).chiSquare);
    return healthy! - open! <= CALM;
  });
  const stride = Math.ceil(calm.length / ASKED);
  return tableCorrection(
    calm.filter((_, i) => i % stride === 0).map((c) => fit(c, HEALTHY, inflation, { passes: 5 })),
  );
}

/** Charge and capacity as a channel alone shows them, as far as the curve bends. */
const FREE: Hypothesis = {
  name: 'free',
  free: { soc: OPEN.free.soc!, capacity: OPEN.free.capacity! },
  levelAt: 'start',
  tied: true,
  penalty: 0,
};
/** A pack whose healthy channels differ by less than this many times what was taken for it is as it was taken. */
const WIDER = 1.2;

/**
 * The same pack with the differences of charge and capacity that its channels show each for itself along the bends of the curve, by the median, so that
 * a few faulty ones say nothing of it; null where they are no wider. Screening by slopes takes a knee for something else.
 */
export function reestimateSpread(m: HealthyBaseline, plain: readonly number[]): HealthyBaseline | null {
  const alone = plain.map((c) => m.fit(c, FREE, m.inflation, { passes: 5 }));
  const { scatter } = m;
  const socFraction = Math.max(scatter.socFraction, robustSigma(alone.map((f) => f.theta[0]!)));
  const capacity = Math.max(scatter.capacity, robustSigma(alone.map((f) => f.theta[1]!)));
  return socFraction > WIDER * scatter.socFraction || capacity > WIDER * scatter.capacity
    ? m.withScatter(
        widened(
          { ...scatter, socFraction, capacity },
          plain.length,
          factsOf(m.pack.profile.chemistry).detect.rest,
        ),
      )
    : null;
}

/** The better of two healthy channels: slow resistance bound to the ohmic one, or on its own. */
export function healthyFit(
  { fit }: HealthyBaseline,
  channel: number,
  inflation: number,
  how: { passes: number; also?: readonly ChannelFit[] },
): ChannelFit {
  const bound = fit(channel, HEALTHY, inflation, how);
  const loose = fit(channel, { ...HEALTHY, tied: false }, inflation, how);
  return loose.chiSquare < bound.chiSquare ? loose : bound;
}

const largerOf = (a: Scatter, b: Scatter): Scatter => {
  const out = { ...a };
  for (const key of SCATTER_KEYS) out[key] = Math.max(a[key], b[key]);
  return out;
};

/**
 * The median of few channels is itself uncertain, and so is how far they differ: what is beyond that is Student's t and no normal. The priors carry both, as
 * wide as makes a channel at the limit as odd as it is by that (Gelman and others, Bayesian Data Analysis, 3rd ed., 3.2, from memory).
 * @param limit chi-square from which a channel counts as odd
 */
export function widened(scatter: Scatter, channels: number, limit: number): Scatter {
  const freedom = Math.max(1, channels - 1);
  const tail = Math.sqrt((freedom * Math.expm1(limit / (freedom + 1))) / limit);
  const by = Math.sqrt(1 + 1.57 / channels) * tail;
  const out = { ...scatter };
  for (const key of SCATTER_KEYS) if (key !== 'shapeV') out[key] = scatter[key] * by;
  return out;
}
