import { factsOf, modulesOfChannel, type Estimated, type Pack } from '../../pack';
import type { ScanRecord } from '../../scan';
import { lookAbsolutely, type AbsoluteLook } from '../record/absoluteLimits';
import { observe, type DeviationSet } from '../channel/deviations';
import { openFinding } from './oneReading';
import { median } from '../../numerics/robustStatistics';
import {
  healthyBaselineOf,
  healthyFit,
  reestimateSpread,
  type Judged,
  type HealthyBaseline,
} from '../baseline/healthyBaseline';
import {
  differencesOf,
  hasStood,
  isUnexplained,
  senseWireFindings,
  SEPARATE_LIMIT,
  verdictsOf,
  type Difference,
} from './policy';
import { belowOcvRange, unexplainedChannels } from './unexplainedChannels';
import { senseWiresUnderLoad, suspectedSenseWires, senseWirePairs } from './senseWires';
import { findSignatures, signatureFinding } from '../record/signatures';
import type { ChannelFinding, Verdict } from '../verdict';
import { HEALTHY, hypothesesFor, OPEN } from '../channel/hypotheses';
import { gains, retainedCapacityOf, heldSd, isFuller } from '../channel/electrodeLoss';
import { byElectrode } from '../channel/parameters';
import { withChargeGaps } from '../record/unloggedCharge';
import { isIdentifiable, isMaterial, isSeen, isVisible } from './materiality';
import type { ChannelFit } from '../channel/channelModel';
import { asks } from './rules';
import { blockInflation } from '../channel/residuals';

/** Explanations that may lie far off along the bend of the curve. */
const WIDE = new Set(['imbalance', 'low capacity, level at the start']);
/** Gaps too small for the bend of the curve to hide a better answer further off. */
const SMALL_GAP = { soc: 0.03, capacity: 0.08 };
/** A figure counts as measured when the record leaves less than this share of the doubt there was before. */
const TELLS = 0.7;
/** What the record measures of one channel against the typical one. */
export interface ChannelEstimate {
  channelIndex: number;
  deltaSoc: Estimated;
  /** Null where the record does not measure it. */
  capacityRatio: Estimated | null;
  resistanceRatio: Estimated | null;
}

export interface Diagnosis {
  findings: ChannelFinding[];
  /** What differs for certain and does no harm. */
  differences: Difference[];
  channels: ChannelEstimate[];
  startSocFraction: number;
  endSocFraction: number;
  observed: DeviationSet;
}

/**
 * A channel's readings together say no more than so many that scatter by so much, V: boards and curves err alike in all of them. At 1.5 mV six more of 390 faults
 * in drives of sloped lithium packs were left open than at this, in packs of four worlds, and one false flag fewer of 5 was raised.
 */
const MOST_READINGS = 150;
const READ_V = 0.001;

/**
 * A loss by electrode has to be so many times as plain as anything else: it bends to whatever the model of a load leaves. Of true ones in packs of
 * particles none was less plain than 41, of healthy channels taken for one none in packs of four worlds more than 36.
 */
const LOSS_LIMIT = 3;

/**
 * How much oftener one channel among others is out of balance, or worn as they are only more, than it has lost lithium or one electrode's material
 * alone. Common practice, no source: a low channel is charged up before it is replaced.
 */
const LOSS_ODDS = 8;

/** Inflation of a channel's noise at which its readings say no more than so many of them do. */
function leastInflation(m: HealthyBaseline, channel: number): number {
  // Without electrodes nothing bends so far that it has to be held back; nor do those of a flat curve, of which there are only steps.
  if (!m.observed.negative || m.observed.bendsBehind || !asks('electrode-noise')) return 0;
  const all = m.observed.channels[channel]!.count.reduce((a, b) => a + b, 0);
  return (all / MOST_READINGS) * (READ_V / m.noiseV) ** 2;
}

/**
 * A second look at a channel that the linear one finds odd: the linear look overstates where the curve bends. The best
 * fit of all if the channel stays odd by `limit`, null if it does not.
 */
function oddAfterAll(m: HealthyBaseline, channel: number, limit: number): ChannelFit | null {
  const { fit } = m;
  const inflation = Math.max(m.inflation, leastInflation(m, channel));
  const bound = fit(channel, HEALTHY, inflation, { passes: 5 });
  const loose = fit(channel, { ...HEALTHY, tied: false }, inflation, { passes: 5 });
  const calm = Math.min(bound.chiSquare, loose.chiSquare);
  const enough = (f: Pick<ChannelFit, 'chiSquare'>): boolean => calm - f.chiSquare > limit * 0.8;
  // Not even an explanation that left nothing would be enough.
  if (!enough({ chiSquare: 0 })) return null;
  let close = fit(channel, OPEN, inflation, { near: true });
  // The bend of the curve can trap a fit: one that is free to be healthy is never truly worse than healthy.
  if (close.chiSquare > bound.chiSquare) close = fit(channel, OPEN, inflation, { near: true, also: [bound] });
  const small = Math.abs(close.theta[0]!) < SMALL_GAP.soc && Math.abs(close.theta[1]!) < SMALL_GAP.capacity;
  if (asks('small-gap') && small && calm - close.chiSquare < 0.4 * limit) return null;
  let least = fit(channel, OPEN, inflation, { also: [bound, close] });
  if (enough(least)) return least;
  for (const { hypothesis } of hypothesesFor(m.pack.profile.chemistry))
    if (WIDE.has(hypothesis.name)) {
      const f = fit(channel, hypothesis, inflation, { also: [least] });
      if (f.chiSquare < least.chiSquare) least = f;
    }
  return enough(least) ? least : null;
}

/** Every explanation that the record can speak for, the best of each verdict, and how much better it is than none. */
function explanationsOf(m: HealthyBaseline, channelIndex: number, least: ChannelFit): Judged {
  const { fit, observed, pack } = m;
  const facts = factsOf(pack.profile.chemistry);
  const { cells } = pack.channels[channelIndex]!;
  // Where the model itself is off for this channel, its readings weigh less; what is known of healthy channels does not.
  const own = Math.max(
    m.inflation,
    leastInflation(m, channelIndex),
    Math.min(blockInflation(least, m.noiseV), 50 * m.inflation),
  );
  const byVerdict: Judged['byVerdict'] = new Map();
  // Where one explanation has found its way through the bends, the next may start.
  let deepest = fit(channelIndex, HEALTHY, own, { also: [least] });
  const healthy = deepest;
  const all = hypothesesFor(pack.profile.chemistry, observed.negative !== null);
  for (const { verdict, hypothesis } of all) {
    const f = fit(channelIndex, hypothesis, own, { also: [deepest, least] });
    if (f.chiSquare < deepest.chiSquare) deepest = f;
    // With charge free as well, leakage that is not plain in itself is only an imbalance told twice.
    if (
      asks('leak-plain-in-itself') &&
      hypothesis.free.leak &&
      hypothesis.free.soc &&
      f.theta[4]! < 4 * f.sd[4]!
    )
      continue;
    // A loss that is none, by what is left between full and empty or by what would have grown.
    const rare = byElectrode(hypothesis);
    if (rare && asks('electrode-loss-plain'))
      if (
        gains(f) ||
        // Of a flat curve only the steps of that electrode show, and those of a fuller one are like those of another charge.
        (facts.flat && isFuller(f)) ||
        retainedCapacityOf(observed, f).value >= (facts.flat ? 1 - facts.matters.capacity : 1) ||
        healthy.chiSquare - f.chiSquare < LOSS_LIMIT * facts.detect.rest
      )
        continue;
    if (!isIdentifiable(hypothesis, observed, pack, cells)) continue;
    if (
      asks('seen-as-one') &&
      !isSeen(hypothesis, f, observed.channels[channelIndex]!, observed.trajectory, cells)
    )
      continue;
    const best = byVerdict.get(verdict);
    const apart = best ? Math.abs(best.fit.logEvidence - f.logEvidence) : Infinity;
    const share =
      rare && asks('electrode-loss-rare')
        ? Math.log(LOSS_ODDS * all.filter((a) => a.verdict === verdict).length)
        : 0;
    const logEvidence = logSum(best?.logEvidence ?? -Infinity, f.logEvidence - share);
    byVerdict.set(
      verdict,
      !best || f.chiSquare < best.chiSquare
        ? { chiSquare: f.chiSquare, logEvidence, fit: f, hypothesis, apart }
        : { ...best, logEvidence, apart: Math.min(best.apart, apart) },
    );
  }
  const nothing = healthyFit(m, channelIndex, own, { passes: 8, also: [deepest] }).chiSquare;
  const best = Math.min(...[...byVerdict.values()].map((v) => v.chiSquare));
  return { channelIndex, detect: nothing - best, byVerdict };
}

/** Logarithm of the sum of two numbers given by their logarithms. */
const logSum = (a: number, b: number): number =>
  a === -Infinity ? b : Math.max(a, b) + Math.log1p(Math.exp(-Math.abs(a - b)));

/**
 * Whether something that is not harmless is among the explanations that are still open.
 * @param seen only what shows in the volts of this record counts.
 */
function isWrong(m: HealthyBaseline, { channelIndex, byVerdict }: Judged, seen: boolean): boolean {
  const all = [...byVerdict.values()];
  const best = Math.min(...all.map((v) => v.chiSquare));
  return all.some(
    (v) =>
      v.chiSquare - best < SEPARATE_LIMIT &&
      (!asks('has-to-matter') || isMaterial(v.hypothesis, v.fit, m.harmless, m.pack, m.observed)) &&
      (!seen || isVisible(v.hypothesis, v.fit, m.harmless, m.observed, m.pack.channels[channelIndex]!.cells)),
  );
}

/** A channel whose pair speaks for it needs no more than this of its own. */
const PAIRED_LIMIT = 3;

/**
 * A loss of capacity has to be so plain on a flat curve over which the record moved: its steps lie a little elsewhere in every cell. Of losses that stood
 * out by less 5 of 16 were one and 10 were nothing, in packs of four worlds; of those that stood out by more 60 of 70 were.
 */
const FLAT_LOSS_LIMIT = 30;

/** The likeliest cause of a channel, if any can be. */
const likeliestOf = ({ byVerdict }: Judged): Verdict | undefined =>
  [...byVerdict].sort(([, a], [, b]) => b.logEvidence - a.logEvidence)[0]?.[0];

/** What a look at every channel found, under the healthy differences of a majority. */
function judgeAll(m: HealthyBaseline, plain: readonly number[], limit: number) {
  const healthy = new Map(plain.map((c) => [c, healthyFit(m, c, m.inflation, { passes: 1 })]));
  const weighed = m.byElectrodes();
  const flatAndMoved = factsOf(m.pack.profile.chemistry).flat !== null && !hasStood(m.observed);
  const taps = suspectedSenseWires(m, plain, healthy, limit);
  const byLoad = senseWiresUnderLoad(m, plain, limit);
  const onBars = new Set(byLoad.flatMap((t) => t.channels));
  const harmless: Judged[] = [];
  const judged = plain.flatMap((c): Judged[] => {
    if (onBars.has(c)) return [];
    const enough = taps.has(c) && asks('pair-needs-less') ? PAIRED_LIMIT : limit;
    const wide = Math.max(m.inflation, leastInflation(m, c));
    const calm = healthyFit(m, c, wide, { passes: 1 }).chiSquare;
    if (calm - m.fit(c, OPEN, wide, { passes: 1 }).chiSquare < enough * 0.7) return [];
    const least = oddAfterAll(m, c, enough);
    if (!least) return [];
    const found = explanationsOf(weighed, c, least);
    if (found.detect <= enough) return [];
    // What leaves that much is not harmless: nobody knows what it is.
    if (isWrong(weighed, found, true) || isUnexplained(found, weighed)) return [found];
    // What would matter and only does not show in these volts is not harmless: nothing is said of it.
    if (found.detect > limit && !isWrong(weighed, found, false)) harmless.push(found);
    return [];
  });
  const pairs = senseWirePairs(judged, m.scatter, m.observed, m.pack, limit);
  const limitOf = (j: Judged): number =>
    flatAndMoved && asks('flat-loss-plain') && likeliestOf(j) === 'low-capacity'
      ? Math.max(limit, FLAT_LOSS_LIMIT)
      : limit;
  // Half of a pair stands whatever it looks like alone.
  const standing = judged.filter((j) => j.detect > limitOf(j) || pairs.has(j.channelIndex));
  return { healthy, byLoad, onBars, harmless, pairs, standing, weighed };
}

/** Channels odd by charge or capacity in this many modules are looked at again: faults keep together, what a pack differs by does not. */
const MANY_MODULES = 4;
/** So is one alone that is no odder than this: what its pack differs by may be all of it. On a flat curve a channel alone shows too little for that. */
const FAINT = 18;

/** Whether what was found by charge or capacity asks for a second look at how far this pack's channels differ. */
function worthAnother(standing: readonly Judged[], pack: Pack): boolean {
  const byCharge = standing.filter((j) => {
    const likeliest = likeliestOf(j);
    return likeliest === 'imbalance' || likeliest === 'low-capacity';
  });
  return (
    (!factsOf(pack.profile.chemistry).flat && byCharge.some((j) => j.detect < FAINT)) ||
    new Set(byCharge.map((j) => modulesOfChannel(pack, j.channelIndex))).size >= MANY_MODULES
  );
}

/**
 * Finds what is wrong with each channel of a record.
 * Every channel is compared with the typical one; explanations are weighed by their marginal likelihood, with what healthy
 * channels differ by as prior. A verdict is given only if no other explanation comes near, else `undetermined`.
 */
export function diagnose(
  given: ScanRecord,
  pack: Pack,
  look: AbsoluteLook = lookAbsolutely(given, pack),
): Diagnosis {
  const record = withChargeGaps(given, pack);
  const facts = factsOf(pack.profile.chemistry);
  const read = observe(record, pack, new Set(look.outOfBounds.map((o) => o.channelIndex)));
  const { trajectory } = read;
  const signatures = findSignatures(record, pack, look);
  const signed = new Set(signatures.map((s) => s.channelIndex));
  const plain = [...pack.channels.keys()].filter((c) => !signed.has(c));
  const { rated, change } = currentsOf(pack, trajectory.currentA);
  const worked = trajectory.currentA.some((i) => Math.abs(i) > rated);
  const limit = worked ? facts.detect.load : facts.detect.rest;
  let m = healthyBaselineOf(record, pack, read, plain);
  let looked = judgeAll(m, plain, limit);
  const wider =
    asks('second-look') && worthAnother(looked.standing, pack) ? reestimateSpread(m, plain) : null;
  if (wider) {
    m = wider;
    looked = judgeAll(m, plain, limit);
  }
  const { observed } = m;
  const { healthy, byLoad, onBars, harmless, pairs, standing, weighed } = looked;

  const oneReading = asks('one-reading') && isOneReading(m.observed, worked);
  const opened = (f: ChannelFinding): ChannelFinding => (oneReading ? leftOpenByOne(f, m.observed, pack) : f);
  const judged = verdictsOf(standing, pack, pairs, weighed);
  const findings = [
    ...signatures.map((s) => signatureFinding(s, pack)),
    ...byLoad.flatMap((t) => senseWireFindings(t, pack)),
    ...judged.map(opened),
  ];
  const indexOf = new Map(pack.channels.map((c, i) => [c.id, i]));
  const told = new Set([...onBars, ...standing.map((j) => j.channelIndex)]);
  if (asks('strange-channel')) findings.push(...unexplainedChannels(m, plain, healthy, told));
  const named = new Set([...told, ...findings.map((f) => indexOf.get(f.channel)!)]);
  findings.push(...belowOcvRange(m, plain, named).map(opened));
  findings.sort((a, b) => b.detect - a.detect);
  const last = trajectory.socFraction.length - 1;
  return {
    findings,
    differences: differencesOf(harmless, weighed),
    channels: plain.map((c) =>
      estimateOfChannel(
        weighed,
        c,
        healthy.get(c)!,
        standing.find((j) => j.channelIndex === c),
        change > rated,
      ),
    ),
    startSocFraction: trajectory.socFraction[0]!,
    endSocFraction: trajectory.socFraction[last]!,
    observed,
  };
}

/** Readings within this time are of one moment, s: nothing has drifted by then. */
const ONE_MOMENT_S = 12 * 3600;

/** Whether a record shows its pack at one state of charge, at rest, and not long enough for anything to drift. */
const isOneReading = (observed: DeviationSet, worked: boolean): boolean => {
  const { timeS } = observed.trajectory;
  return !worked && hasStood(observed) && timeS.at(-1)! - timeS[0]! < ONE_MOMENT_S;
};

/** What one reading leaves open of a finding. Two neighbours that mirror each other are settled by it: the wire between them. */
function leftOpenByOne(finding: ChannelFinding, observed: DeviationSet, pack: Pack): ChannelFinding {
  if (finding.pairedWith) return finding;
  const channel = pack.channels.find((c) => c.id === finding.channel)!;
  const { curve, channels, leftOut, trajectory } = observed;
  const { cells } = channel;
  const past = leftOut[channel.index];
  if (past) {
    const { socFraction, typicalV, voltageV } = past;
    return openFinding(finding, {
      curve,
      socFraction,
      typicalV: typicalV / cells,
      cellV: voltageV / cells,
      cells,
    });
  }
  const typicalV = median([...trajectory.typicalV]);
  return openFinding(finding, {
    curve,
    socFraction: median([...trajectory.socFraction]),
    typicalV,
    cellV: typicalV + median([...channels[channel.index]!.deviationV]) / cells,
    cells,
  });
}

/** Current that counts as work for this pack, A, and the widest change of current in the record. */
function currentsOf(pack: Pack, currentA: Float64Array): { rated: number; change: number } {
  let low = Infinity;
  let high = -Infinity;
  for (const i of currentA) {
    low = Math.min(low, i);
    high = Math.max(high, i);
  }
  return { rated: 0.05 * pack.profile.ratedCapacityAh, change: high - low };
}

/** What the record measures of a channel, by the best explanation if it is odd, else as the healthy channel it is. */
function estimateOfChannel(
  { observed, scatter }: HealthyBaseline,
  channelIndex: number,
  healthy: ChannelFit,
  found: Judged | undefined,
  loadChanged: boolean,
): ChannelEstimate {
  const best =
    found && [...found.byVerdict.values()].reduce((a, b) => (b.logEvidence > a.logEvidence ? b : a));
  const f = best?.fit ?? healthy;
  const level =
    best?.hypothesis.levelAt === 'full' ? Math.max(0, 1 - observed.trajectory.socFraction[0]!) : 0;
  const held = retainedCapacityOf(observed, f);
  const tells = (at: number, prior: number): boolean => f.sd[at]! < TELLS * prior;
  return {
    channelIndex,
    deltaSoc: { value: f.theta[0]! - f.theta[1]! * level, sd: f.sd[0]! },
    capacityRatio:
      held.sd < TELLS * held.beforeSd({ ...scatter, ...best?.hypothesis.free })
        ? { value: held.value, sd: best ? heldSd(held, best.hypothesis, observed) : held.sd }
        : null,
    resistanceRatio:
      loadChanged && tells(2, best?.hypothesis.free.ohmic ?? scatter.resistance)
        ? { value: 1 + f.theta[2]!, sd: f.sd[2]! }
        : null,
  };
}
