import { factsOf } from '../../pack';
import { retainedCapacityOf, heldSd } from '../channel/electrodeLoss';
import type { Judged, HealthyBaseline } from '../baseline/healthyBaseline';
import type { DeviationSet } from '../channel/deviations';
import type { Estimate, Verdict } from '../verdict';
import { leakMilliamp } from '../channel/channelModel';

/**
 * What a fit does not know of its own errors, as a share of the figure: the slope of the curve, the pack's own typical
 * capacity and resistance, and what the model leaves out. Set by packs of each simulated world. On a flat curve the slope is what is known least: of 55
 * imbalances there two standard deviations at 0.16 held 43, at 0.28 hold 53; of 36 leakages at 0.22 27, at 0.4 34.
 */
const SYSTEMATIC = {
  sloped: { charge: 0.16, leak: 0.22 },
  flat: { charge: 0.28, leak: 0.4 },
  offset: 0.02,
};
/**
 * Excess resistance: with readings every second, and more the longer they are apart, since fast lags then look ohmic. Of 111 joints and cells read every
 * ten seconds two standard deviations at 0.06 held 97, at 0.09 hold 104.
 */
const RESISTANCE = { sampled: 0.025, perTenSeconds: 0.09 };
/** Share of the healthy scatter of boards that stays in a fitted offset. */
const BOARD = 0.45;

/** How well the typical channel itself is known: the median of so many that differ by `sd`. */
const ofTypical = (sd: number, observed: DeviationSet): number =>
  (1.25 * sd) / Math.sqrt(observed.channels.length);

const samplingS = ({ trajectory: { timeS } }: DeviationSet): number =>
  (timeS[timeS.length - 1]! - timeS[0]!) / Math.max(1, timeS.length - 1);

/** The figure of a verdict with a standard deviation that holds more than the fit's own: see `SYSTEMATIC`. */
export function estimateOf(
  verdict: Verdict,
  judged: Judged,
  { observed, scatter, pack }: Pick<HealthyBaseline, 'observed' | 'scatter' | 'pack'>,
): Estimate {
  const share = SYSTEMATIC[factsOf(pack.profile.chemistry).flat ? 'flat' : 'sloped'];
  const { fit, hypothesis } = judged.byVerdict.get(verdict)!;
  const { theta, sd } = fit;
  switch (verdict) {
    case 'imbalance':
      return {
        deltaSocPct: theta[0]! * 100,
        deltaSocPctSd:
          100 * Math.hypot(sd[0]!, share.charge * theta[0]!, ofTypical(scatter.socFraction, observed)),
      };
    case 'low-capacity': {
      const held = retainedCapacityOf(observed, fit);
      return { capacityRatio: held.value, capacityRatioSd: heldSd(held, hypothesis, observed) };
    }
    case 'high-resistance': {
      const read = RESISTANCE.sampled + RESISTANCE.perTenSeconds * Math.min(1, samplingS(observed) / 10);
      return {
        resistanceRatio: 1 + theta[2]!,
        resistanceRatioSd: Math.hypot(sd[2]!, read * theta[2]!, ofTypical(scatter.resistance, observed)),
      };
    }
    case 'self-discharge':
      return {
        leakageMilliamp: leakMilliamp(theta[4]!, observed.trajectory),
        leakageMilliampSd: leakMilliamp(
          Math.hypot(sd[4]!, share.leak * theta[4]!, scatter.leakPerDay),
          observed.trajectory,
        ),
      };
    case 'sense-fault':
      return {
        offsetMillivolt: theta[5]! * 1000,
        offsetMillivoltSd: 1000 * Math.hypot(sd[5]!, SYSTEMATIC.offset * theta[5]!, BOARD * scatter.offsetV),
      };
    default:
      return {};
  }
}
