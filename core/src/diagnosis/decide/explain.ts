import { factsOf, type Pack } from '../../pack';
import type { Observation, DeviationSet } from '../channel/deviations';
import type { Trajectory } from '../cell/typicalCell';
import { heldFromTo, type Estimate, type Verdict } from '../verdict';
import { type ChannelFit, leakMilliamp } from '../channel/channelModel';
import { byElectrode, type Hypothesis } from '../channel/parameters';

const NAMES: Record<Verdict, string> = {
  healthy: 'healthy',
  imbalance: 'out of balance',
  'low-capacity': 'low capacity',
  'high-resistance': 'high resistance',
  'self-discharge': 'self-discharge',
  'sense-fault': 'sense fault',
  dead: 'dead',
  undetermined: 'cannot tell yet',
};
/** Plain words for a verdict, as the page and the hand-over sheet say them. */
export const verdictName = (v: Verdict): string => NAMES[v];

const capital = (s: string): string => s.charAt(0).toUpperCase() + s.slice(1);
const pct = (fraction: number, digits = 1): string => `${(fraction * 100).toFixed(digits)} %`;

/** Why this verdict: what the readings do, in the trade's words with the numbers behind them. */
export function explain(
  verdict: Verdict,
  found: { fit: ChannelFit; hypothesis: Hypothesis; inCell: boolean },
  observed: DeviationSet,
  pack: Pack,
  channelIndex: number,
  open: Verdict[],
  estimate: Estimate,
): string[] {
  const t = observed.trajectory;
  const { theta } = found.fit;
  const channel = observed.channels[channelIndex]!;
  const last = channel.at.length - 1;
  const firstMv = channel.deviationV[0]! * 1000;
  const lastMv = channel.deviationV[last]! * 1000;
  const from = t.socFraction[channel.at[0]!]!;
  const to = t.socFraction[channel.at[last]!]!;
  const covered = Math.abs(from - to);
  const reasons: string[] = [
    covered < 0.02
      ? `${signed(lastMv)} mV against the pack at ${pct(to, 0)} charge.`
      : `${signed(firstMv)} mV against the pack at ${pct(from, 0)}, ${signed(lastMv)} mV at ${pct(to, 0)}.`,
  ];
  if (open.length > 1) {
    const names = open.map(verdictName);
    const all = `${names.slice(0, -1).join(', ')} and ${names[names.length - 1]}`;
    reasons.push(
      `${capital(all)} ${open.length === 2 ? 'both' : 'all'} fit: ${covered < 0.05 ? 'the record covers only one state of charge' : `the record covers ${pct(from, 0)} to ${pct(to, 0)}`}${factsOf(pack.profile.chemistry).flat ? ' and the curve is flat in between' : ''}.`,
    );
    return reasons;
  }
  if (verdict === 'imbalance')
    reasons.push(
      `The gap is the same ${pct(Math.abs(theta[0]!))} of charge all along (± ${pct((estimate.deltaSocPctSd ?? 0) / 100)}), ${(Math.abs(theta[0]!) * t.capacityAh).toFixed(1)} A·h ${theta[0]! < 0 ? 'low' : 'high'}.`,
    );
  if (verdict === 'low-capacity')
    reasons.push(
      `${byElectrode(found.hypothesis) ? `The gap comes and goes with the steps of the curve (${widest(channel, t)}), so lithium or the material of one electrode is lost` : 'The gap grows with the charge drawn'}: ${holds(estimate)}`,
    );
  if (verdict === 'high-resistance')
    reasons.push(
      `The gap follows the current: ${(1 + theta[2]!).toFixed(2)} times the resistance of the others${seatOf(found)}.`,
    );
  if (verdict === 'self-discharge')
    reasons.push(
      `It sinks with time at rest: ${pct(theta[4]!, 2)} a day more than the others, about ${leakMilliamp(theta[4]!, t).toFixed(0)} mA.`,
    );
  if (verdict === 'sense-fault')
    reasons.push(
      `The gap stays ${signed(theta[5]! * 1000)} mV whatever the charge, current and time: the reading, not the cell.`,
    );
  return reasons;
}

/** What a channel holds of what the others hold, in words. */
function holds(estimate: Estimate): string {
  const rough = heldFromTo(estimate);
  return rough
    ? `it holds ${(100 * rough.from).toFixed(0)} to ${pct(rough.to, 0)} of what the others hold; the record tells it no closer.`
    : `it holds ${pct(estimate.capacityRatio!, 0)} of what the others hold (± ${pct(estimate.capacityRatioSd!)}).`;
}

/** The widest gap of a record, and where on the charge it is. */
function widest({ at, deviationV, count }: Observation, { socFraction }: Trajectory): string {
  const size = deviationV.map((v, i) => (count[i]! > 0 ? Math.abs(v) : 0));
  const i = size.indexOf(Math.max(...size));
  return `${signed(deviationV[i]! * 1000)} mV at ${pct(socFraction[at[i]!]!, 0)}`;
}

/** Where a high resistance sits, as far as its course tells. */
function seatOf({ inCell, hypothesis }: { inCell: boolean; hypothesis: Hypothesis }): string {
  if (inCell) return ', the slow part too: the cell itself';
  return hypothesis.tied
    ? ': a weld, bolt or bus-bar, or the cell itself'
    : ', at once with the current: a weld, bolt or bus-bar, or the cell’s own';
}

const signed = (v: number): string =>
  Math.round(v) === 0 ? '0' : `${v < 0 ? '−' : '+'}${Math.abs(v).toFixed(0)}`;
