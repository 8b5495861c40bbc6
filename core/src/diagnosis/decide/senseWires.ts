import type { Pack, Scatter } from '../../pack';
import { hypothesesFor } from '../channel/hypotheses';
import { healthyFit, type Judged, type HealthyBaseline } from '../baseline/healthyBaseline';
import { HEALTHY_WITHIN, loadChanges } from './materiality';
import type { DeviationSet } from '../channel/deviations';
import type { ChannelFit } from '../channel/channelModel';
import { type Hypothesis, PARAMETERS } from '../channel/parameters';

/**
 * Channels that are off as much as their neighbour in the string, the other way: a tap wire between two channels moves
 * both, so the two speak together where neither does alone.
 */
export function suspectedSenseWires(
  m: HealthyBaseline,
  plain: readonly number[],
  healthy: ReadonlyMap<number, ChannelFit>,
  limit: number,
): Set<number> {
  const offset = hypothesesFor(m.pack.profile.chemistry).find((h) => h.verdict === 'sense-fault')!.hypothesis;
  const found = new Set<number>();
  const look = new Map(plain.map((c) => [c, m.fit(c, offset, m.inflation, { passes: 1 })]));
  const at = PARAMETERS.indexOf('offset');
  for (const a of plain) {
    const b = a + 1;
    const [fa, fb] = [look.get(a), look.get(b)];
    if (!fa || !fb || fa.theta[at]! * fb.theta[at]! >= 0) continue;
    const gain = healthy.get(a)!.chiSquare - fa.chiSquare + healthy.get(b)!.chiSquare - fb.chiSquare;
    const variance = fa.sd[at]! ** 2 + fb.sd[at]! ** 2 + 2 * m.scatter.offsetV ** 2;
    const mismatch = (fa.theta[at]! + fb.theta[at]!) ** 2 / variance;
    if (mismatch < 6 && gain - mismatch > limit) found.add(a).add(b);
  }
  return found;
}

/**
 * Two neighbours together have to be so many times as plain as one channel has to be: a long string has many pairs, and chance finds some. Of pairs in a
 * thousand packs of four worlds none that was chance came above 1.1, and of wires one came below 1.15.
 */
const PAIR_TIMES = 1.15;

/**
 * Neighbours off by opposite and equal volts: one tap wire, not two faults.
 * @param limit what one channel has to be odd by
 */
export function senseWirePairs(
  judged: Judged[],
  scatter: Scatter,
  observed: DeviationSet,
  pack: Pack,
  limit: number,
): Map<number, number> {
  const pairs = new Map<number, number>();
  for (const a of judged) {
    const b = judged.find((j) => j.channelIndex === a.channelIndex + 1);
    if (!b || pairs.has(a.channelIndex) || a.detect + b.detect < PAIR_TIMES * limit) continue;
    const fa = a.byVerdict.get('sense-fault');
    const fb = b.byVerdict.get('sense-fault');
    if (!fa || !fb) continue;
    const offsetA = fa.fit.theta[5]!;
    const offsetB = fb.fit.theta[5]!;
    if (offsetA * offsetB >= 0) continue;
    const slope =
      Math.abs(observed.curve.slopeAt(observed.trajectory.socFraction[0]!)) *
      pack.channels[a.channelIndex]!.cells;
    const healthyV = Math.hypot(scatter.offsetV, scatter.socFraction * slope);
    const mismatch = (offsetA + offsetB) ** 2 / (2 * healthyV ** 2 + fa.fit.sd[5]! ** 2 + fb.fit.sd[5]! ** 2);
    const least = (j: Judged): number => Math.min(...[...j.byVerdict.values()].map((v) => v.chiSquare));
    const worse = fa.chiSquare + fb.chiSquare - least(a) - least(b);
    if (mismatch < 9 && worse + mismatch < 14) {
      pairs.set(a.channelIndex, b.channelIndex);
      pairs.set(b.channelIndex, a.channelIndex);
    }
  }
  return pairs;
}

/** A sense wire on a bar that carries current: it reads the drop of that bar to one channel and takes it from the next. */
const SENSE_JOINT: Hypothesis = {
  name: 'sense joint',
  free: { ohmic: 2 },
  levelAt: 'start',
  tied: false,
  penalty: 0,
};
/** No cell has so much less resistance than the others: the reading is wrong. From memory. */
const LESS_THAN_ANY = 0.2;

/** From this share less it is none at all: a new cell among worn ones has half of what they have. From memory. */
const NO_CELL = 0.7;
/** Two halves of one wire's error are seldom further apart than this share. From memory. */
const HALVES = 0.5;

/** Under a weak load much else looks like too little resistance: that has to take away most of what is odd. From memory. */
const MOST_EXPLAINED = 1 / 3;
const explains = (f: ChannelFit, calm: number): boolean => f.chiSquare < MOST_EXPLAINED * calm;

/** Neighbours whose readings follow the current, as much as each other the other way; or one alone that no cell would give. */
export interface LoadTap {
  channels: [number, number] | [number];
  /** What the first reads too little for each ampere drawn, Ω; negative: too much. */
  ohm: number;
  /** How much better that is than nothing wrong with both, by chi-square. */
  detect: number;
}

/**
 * Pairs of neighbours of which one seems to have too much resistance at once with the current and the other as much too
 * little. No cell has that much less than the others, so the wire between them is what is wrong. A channel that seems to have hardly any
 * resistance, or less than none, is one whether or not its neighbour shows it as well.
 */
export function senseWiresUnderLoad(m: HealthyBaseline, plain: readonly number[], limit: number): LoadTap[] {
  const { observed, pack, scatter, inflation } = m;
  const at = PARAMETERS.indexOf('ohmic');
  const able = plain.filter((c) => loadChanges(observed, pack, pack.channels[c]!.cells));
  const look = new Map(able.map((c) => [c, m.fit(c, SENSE_JOINT, inflation, { passes: 1 })]));
  const taken = new Set<number>();
  const found: LoadTap[] = [];
  const calm = (c: number): number => healthyFit(m, c, inflation, { passes: 1 }).chiSquare;
  for (const a of able) {
    const b = a + 1;
    const [fa, fb] = [look.get(a), look.get(b)];
    if (!fa || !fb || taken.has(a)) continue;
    const drop = (f: ChannelFit, c: number): number => f.theta[at]! * pack.channels[c]!.cells;
    const [da, db] = [drop(fa, a), drop(fb, b)];
    if (da * db >= 0) continue;
    const less = da < 0 ? fa.theta[at]! : fb.theta[at]!;
    if (less > -Math.max(LESS_THAN_ANY, HEALTHY_WITHIN * scatter.resistance)) continue;
    const cells = Math.max(pack.channels[a]!.cells, pack.channels[b]!.cells);
    const variance = cells ** 2 * (fa.sd[at]! ** 2 + fb.sd[at]! ** 2 + 2 * scatter.resistance ** 2);
    const mismatch = (da + db) ** 2 / (variance + (MISMATCH * Math.max(Math.abs(da), Math.abs(db))) ** 2);
    const detect = calm(a) - fa.chiSquare + calm(b) - fb.chiSquare - mismatch;
    const unlike = Math.abs(da + db) < HALVES * Math.max(Math.abs(da), Math.abs(db));
    const agree =
      mismatch <= 6 || (less < -NO_CELL && unlike && explains(fa, calm(a)) && explains(fb, calm(b)));
    if (!agree || detect < 2 * limit) continue;
    taken.add(a).add(b);
    found.push({ channels: [a, b], ohm: ((da - db) / 2) * observed.trajectory.resistanceOhm, detect });
  }
  for (const a of able) {
    const f = look.get(a)!;
    const detect = calm(a) - f.chiSquare;
    if (taken.has(a) || f.theta[at]! > -NO_CELL || detect < 2 * limit || !explains(f, calm(a))) continue;
    const { cells } = pack.channels[a]!;
    found.push({ channels: [a], ohm: f.theta[at]! * cells * observed.trajectory.resistanceOhm, detect });
  }
  return found;
}
/** Both halves of one wire's error agree within this share. From memory. */
const MISMATCH = 0.1;
