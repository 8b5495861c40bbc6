import { factsOf, modulesOfChannel, type Estimated, type Pack, type Scatter } from '../pack';
import type { ScanRecord } from '../scan';
import {
  fitChannel,
  leakMilliamp,
  residualNoise,
  slopesOf,
  blockInflation,
  type ChannelFit,
  type Hypothesis,
} from './channelModel';
import { lookAbsolutely, type AbsoluteLook } from './absolute';
import { observe, type Observed } from './observe';
import { LOOSE, packScatter, scatterTimes, sensorStepOf, spreadFactor } from './packScatter';
import { findSignatures, type Signature } from './signature';
import { median } from './statistics';
import type { Alternative, ChannelFinding, Estimate, Verdict } from './verdicts';
import { explain } from './explain';
import { HEALTHY, hypothesesFor, OPEN } from './hypotheses';
import { canTell, isMaterial, isSeen, isVisible } from './material';

/** Channels that tell how well the model fits this pack at all. */
const STRICTNESS_SAMPLE = 12;
/** Explanations that may lie far off along the bend of the curve. */
const WIDE = new Set(['imbalance', 'low capacity, level at the start']);
/** Gaps too small for the bend of the curve to hide a better answer further off. */
const SMALL_GAP = { soc: 0.03, capacity: 0.08 };
/** A figure counts as measured when the record leaves less than this share of the doubt there was before. */
const TELLS = 0.7;
/** Explanations within this of the best are still open. */
export const SEPARATE_LIMIT = 9;

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
  channels: ChannelEstimate[];
  startSocFraction: number;
  endSocFraction: number;
  observed: Observed;
}

interface Judged {
  channelIndex: number;
  detect: number;
  byVerdict: Map<Verdict, { chiSquare: number; fit: ChannelFit; hypothesis: Hypothesis }>;
}

/**
 * Finds what is wrong with each channel of a record.
 * Every channel is compared with the typical one; explanations are weighed by chi-square, with what healthy
 * channels differ by as prior. A verdict is given only if no other explanation comes near, else `undetermined`.
 */
export function diagnose(
  record: ScanRecord,
  pack: Pack,
  look: AbsoluteLook = lookAbsolutely(record, pack),
): Diagnosis {
  const facts = factsOf(pack.profile.chemistry);
  const condemned = new Set(look.outOfBounds.map((o) => o.channelIndex));
  const observed = observe(record, pack, condemned);
  const slopes = slopesOf(observed);
  const { trajectory } = observed;
  const stepV = sensorStepOf(record, facts.sensorStepV);
  const floorV = (0.6 * stepV) / Math.sqrt(observed.readingsPerMoment);
  const signatures = findSignatures(record, pack, look);
  const plain = pack.channels.filter((c) => !signatures.some((s) => s.channelIndex === c.index));
  const usual = facts.healthy;
  const loosely = plain.map((c) =>
    fitChannel(
      observed,
      slopes,
      observed.channels[c.index]!,
      c.cells,
      scatterTimes(usual, LOOSE),
      HEALTHY,
      1.3 * floorV,
      1,
      1,
    ),
  );
  // What this pack's own majority says; where volts cannot be told apart into charge and reading, both by the same factor.
  const told = packScatter(loosely, usual);
  const factor = spreadFactor(
    observed,
    slopes,
    pack.channels.map((c) => c.cells),
    told,
    floorV,
  );
  const scatter = widened(
    { ...told, socFraction: told.socFraction * factor, offsetV: told.offsetV * factor },
    pack.channels.length,
  );
  const fit = (
    c: number,
    h: Hypothesis,
    noiseV: number,
    inflation: number,
    passes: number,
    near = false,
    also: readonly ChannelFit[] = [],
  ): ChannelFit =>
    fitChannel(
      observed,
      slopes,
      observed.channels[c]!,
      pack.channels[c]!.cells,
      scatter,
      h,
      noiseV,
      inflation,
      passes,
      near,
      also,
    );

  const open = new Map(plain.map((c) => [c.index, fit(c.index, OPEN, 1.3 * floorV, 1, 1)]));
  const { noiseV, inflation } = residualNoise([...open.values()], floorV);
  /** The better of two healthy channels: slow resistance bound to the ohmic one, or on its own. */
  const nothingWrong = (
    c: number,
    widen: number,
    passes: number,
    also: readonly ChannelFit[] = [],
  ): ChannelFit => {
    const bound = fit(c, HEALTHY, noiseV, widen, passes, false, also);
    const loose = fit(c, { ...HEALTHY, tied: false }, noiseV, widen, passes, false, also);
    return loose.chiSquare < bound.chiSquare ? loose : bound;
  };
  const healthy = new Map(plain.map((c) => [c.index, nothingWrong(c.index, inflation, 1)]));
  const gains = plain.map(
    (c) => healthy.get(c.index)!.chiSquare - fit(c.index, OPEN, noiseV, inflation, 1).chiSquare,
  );
  // Where even the middle channel gains much, the model is off for this pack: ask for more before flagging.
  const sample = plain.filter((_, i) => i % Math.ceil(plain.length / STRICTNESS_SAMPLE) === 0);
  const strictness = Math.max(
    1,
    median(
      sample.map(
        (c) =>
          nothingWrong(c.index, inflation, 5).chiSquare - fit(c.index, OPEN, noiseV, inflation, 8).chiSquare,
      ),
    ) / 5,
  );

  // Where the model is off for the whole pack, its readings weigh less; what is known of healthy channels does not.
  const lasting = inflation * strictness;
  const worked = trajectory.currentA.some((i) => Math.abs(i) > 0.05 * pack.profile.ratedCapacityAh);
  const amps = trajectory.currentA;
  const loadChanged =
    amps.reduce((a, v) => Math.max(a, v), -Infinity) - amps.reduce((a, v) => Math.min(a, v), Infinity) >
    0.05 * pack.profile.ratedCapacityAh;
  const limit = worked ? facts.detect.load : facts.detect.rest;
  const screen = facts.detect.rest;
  const judged: Judged[] = [];
  plain.forEach((channel, i) => {
    if (gains[i]! < screen * 0.7) return;
    // The linear look overstates where the curve bends: look again, close by first, before every explanation is tried.
    const bound = fit(channel.index, HEALTHY, noiseV, lasting, 5);
    let close = fit(channel.index, OPEN, noiseV, lasting, 8, true);
    // The bend of the curve can trap a fit: one that is free to be healthy is never truly worse than healthy.
    if (close.chiSquare > bound.chiSquare)
      close = fit(channel.index, OPEN, noiseV, lasting, 8, true, [bound]);
    const small = Math.abs(close.theta[0]!) < SMALL_GAP.soc && Math.abs(close.theta[1]!) < SMALL_GAP.capacity;
    if (small && bound.chiSquare - close.chiSquare < screen * 0.4) return;
    const loose = fit(channel.index, { ...HEALTHY, tied: false }, noiseV, lasting, 5).chiSquare;
    const calm = Math.min(bound.chiSquare, loose);
    if (small && calm - close.chiSquare < screen * 0.4) return;
    const enough = (f: ChannelFit): boolean => calm - f.chiSquare > limit * 0.8;
    let least = fit(channel.index, OPEN, noiseV, lasting, 8, false, [bound, close]);
    if (!enough(least))
      for (const { hypothesis } of hypothesesFor(pack.profile.chemistry).filter((h) =>
        WIDE.has(h.hypothesis.name),
      )) {
        const f = fit(channel.index, hypothesis, noiseV, lasting, 8, false, [least]);
        if (f.chiSquare < least.chiSquare) least = f;
      }
    if (!enough(least)) return;
    const own = Math.max(lasting, Math.min(blockInflation(least, noiseV), 50 * inflation));
    const byVerdict: Judged['byVerdict'] = new Map();
    // Where one explanation has found its way through the bends, the next may start.
    let deepest = fit(channel.index, HEALTHY, noiseV, own, 8, false, [least]);
    for (const { verdict, hypothesis } of hypothesesFor(pack.profile.chemistry)) {
      const f = fit(channel.index, hypothesis, noiseV, own, 8, false, [deepest]);
      if (f.chiSquare < deepest.chiSquare) deepest = f;
      // With charge free as well, leakage that is not plain in itself is only an imbalance told twice.
      if (hypothesis.free.leak && hypothesis.free.soc && f.theta[4]! < 4 * f.sd[4]!) continue;
      if (!canTell(hypothesis, f, scatter, observed, pack, channel.cells)) continue;
      if (!isSeen(hypothesis, f, observed.channels[channel.index]!)) continue;
      const best = byVerdict.get(verdict);
      if (!best || f.chiSquare < best.chiSquare)
        byVerdict.set(verdict, { chiSquare: f.chiSquare, fit: f, hypothesis });
    }
    const nothing = nothingWrong(channel.index, own, 8, [deepest]).chiSquare;
    const best = Math.min(...[...byVerdict.values()].map((v) => v.chiSquare));
    const detect = nothing - best;
    const open = [...byVerdict.values()].filter((v) => v.chiSquare - best < SEPARATE_LIMIT);
    const wrong = open.some(
      (v) =>
        isMaterial(v.hypothesis, v.fit, scatter, pack) &&
        isVisible(v.hypothesis, v.fit, scatter, observed, channel.cells),
    );
    if (detect > limit && wrong) judged.push({ channelIndex: channel.index, detect, byVerdict });
  });

  const findings = [
    ...signatures.map((s) => signatureFinding(s, pack)),
    ...verdictsOf(judged, pack, scatter, observed),
  ];
  findings.sort((a, b) => b.detect - a.detect);
  const last = trajectory.socFraction.length - 1;
  return {
    findings,
    channels: plain.map((c): ChannelEstimate => {
      const found = judged.find((j) => j.channelIndex === c.index);
      const best =
        found && [...found.byVerdict.values()].reduce((a, b) => (b.chiSquare < a.chiSquare ? b : a));
      const f = best?.fit ?? healthy.get(c.index)!;
      const level = best?.hypothesis.levelAt === 'full' ? Math.max(0, 1 - trajectory.socFraction[0]!) : 0;
      const ratio = 1 / (1 + f.theta[1]!);
      const tells = (at: number, prior: number): boolean => f.sd[at]! < TELLS * prior;
      return {
        channelIndex: c.index,
        deltaSoc: { value: f.theta[0]! - f.theta[1]! * level, sd: f.sd[0]! },
        capacityRatio: tells(1, best?.hypothesis.free.capacity ?? scatter.capacity)
          ? { value: ratio, sd: f.sd[1]! * ratio * ratio }
          : null,
        resistanceRatio:
          loadChanged && tells(2, best?.hypothesis.free.ohmic ?? scatter.resistance)
            ? { value: 1 + f.theta[2]!, sd: f.sd[2]! }
            : null,
      };
    }),
    startSocFraction: trajectory.socFraction[0]!,
    endSocFraction: trajectory.socFraction[last]!,
    observed,
  };
}

/** The median of few channels is itself uncertain; the priors carry that. */
function widened(scatter: Scatter, channels: number): Scatter {
  const by = Math.sqrt(1 + 1.57 / channels);
  return {
    socFraction: scatter.socFraction * by,
    capacity: scatter.capacity * by,
    resistance: scatter.resistance * by,
    leakPerDay: scatter.leakPerDay * by,
    offsetV: scatter.offsetV * by,
  };
}

/** What a signature says, how sure, and what else it could be. Only a meter tells a dead cell from a dead reading. */
const SIGNED: Record<Signature['kind'], { verdict: Verdict; confidence: number; others: Alternative[] }> = {
  dead: { verdict: 'dead', confidence: 0.95, others: [{ verdict: 'sense-fault', confidence: 0.05 }] },
  reversed: { verdict: 'dead', confidence: 0.95, others: [{ verdict: 'sense-fault', confidence: 0.05 }] },
  'over-charged': {
    verdict: 'undetermined',
    confidence: 0.5,
    others: [
      { verdict: 'imbalance', confidence: 0.5 },
      { verdict: 'sense-fault', confidence: 0.5 },
    ],
  },
  stuck: { verdict: 'sense-fault', confidence: 0.97, others: [{ verdict: 'dead', confidence: 0.02 }] },
  beyond: { verdict: 'sense-fault', confidence: 0.97, others: [{ verdict: 'dead', confidence: 0.02 }] },
};

export function signatureFinding(s: Signature, pack: Pack): ChannelFinding {
  const { verdict, confidence, others } = SIGNED[s.kind];
  return {
    channel: pack.channels[s.channelIndex]!.id,
    module: modulesOfChannel(pack, s.channelIndex),
    verdict,
    confidence,
    alternatives: others,
    estimate: {},
    reasons: [s.reason],
    detect: 1e4,
    separate: 1e3,
    ...(s.kind === 'reversed' || s.kind === 'over-charged' ? { absolute: s.kind } : {}),
  };
}

const shares = (judged: Judged): { verdict: Verdict; chiSquare: number; share: number }[] => {
  const rows = [...judged.byVerdict].map(([verdict, v]) => ({ verdict, chiSquare: v.chiSquare }));
  const least = Math.min(...rows.map((r) => r.chiSquare));
  const weights = rows.map((r) => Math.exp(-(r.chiSquare - least) / 3));
  const total = weights.reduce((a, b) => a + b, 0);
  return rows.map((r, i) => ({ ...r, share: weights[i]! / total })).sort((a, b) => a.chiSquare - b.chiSquare);
};

/** Gives each odd channel its verdict, tap-wire pairs first. */
function verdictsOf(judged: Judged[], pack: Pack, scatter: Scatter, observed: Observed): ChannelFinding[] {
  const taps = tapPairs(judged, scatter, observed, pack);
  return judged.map((j): ChannelFinding => {
    const ranked = shares(j);
    const other = taps.get(j.channelIndex);
    const best = ranked[0]!;
    const rest = ranked.slice(1);
    const separate = Math.min(1e6, (rest[0]?.chiSquare ?? Infinity) - best.chiSquare);
    const common = {
      channel: pack.channels[j.channelIndex]!.id,
      module: modulesOfChannel(pack, j.channelIndex),
      detect: j.detect,
      separate,
    };
    if (other !== undefined) {
      const { fit } = j.byVerdict.get('sense-fault')!;
      const paired = pack.channels[other]!.id;
      return {
        ...common,
        verdict: 'sense-fault',
        confidence: 0.95,
        alternatives: ranked
          .filter((r) => r.verdict !== 'sense-fault')
          .slice(0, 2)
          .map((r) => ({ verdict: r.verdict, confidence: Math.min(0.04, r.share / 10) })),
        estimate: estimateOf('sense-fault', j, observed),
        pairedWith: paired,
        reasons: [
          `Reads ${Math.abs(fit.theta[5]! * 1000).toFixed(0)} mV ${fit.theta[5]! > 0 ? 'high' : 'low'} and its neighbour ${paired} is off by as much the other way: the tap wire between them.`,
        ],
      };
    }
    const alternatives: Alternative[] = rest
      .filter((r) => r.share > 0.004)
      .map((r) => ({ verdict: r.verdict, confidence: r.share }));
    if (separate < SEPARATE_LIMIT) {
      const open = ranked.filter((r) => r.chiSquare - best.chiSquare < SEPARATE_LIMIT);
      return {
        ...common,
        verdict: 'undetermined',
        confidence: 1 - best.share,
        alternatives: open.map((r) => ({ verdict: r.verdict, confidence: r.share })),
        estimate: estimateOf(best.verdict, j, observed),
        reasons: explain(
          best.verdict,
          j.byVerdict.get(best.verdict)!,
          observed,
          pack,
          j.channelIndex,
          open.map((r) => r.verdict),
        ),
      };
    }
    return {
      ...common,
      verdict: best.verdict,
      confidence: Math.min(0.99, best.share),
      alternatives,
      ...(best.verdict === 'high-resistance'
        ? { seat: j.byVerdict.get(best.verdict)!.hypothesis.tied ? ('cell' as const) : ('joint' as const) }
        : {}),
      estimate: estimateOf(best.verdict, j, observed),
      reasons: explain(best.verdict, j.byVerdict.get(best.verdict)!, observed, pack, j.channelIndex, []),
    };
  });
}

/** Neighbours off by opposite and equal volts: one tap wire, not two faults. */
function tapPairs(judged: Judged[], scatter: Scatter, observed: Observed, pack: Pack): Map<number, number> {
  const pairs = new Map<number, number>();
  for (const a of judged) {
    const b = judged.find((j) => j.channelIndex === a.channelIndex + 1);
    if (!b || pairs.has(a.channelIndex)) continue;
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

function estimateOf(verdict: Verdict, judged: Judged, observed: Observed): Estimate {
  const found = judged.byVerdict.get(verdict)!;
  const { theta, sd } = found.fit;
  switch (verdict) {
    case 'imbalance':
      return { deltaSocPct: theta[0]! * 100, deltaSocPctSd: sd[0]! * 100 };
    case 'low-capacity': {
      const ratio = 1 / (1 + theta[1]!);
      // However long the record, "the others" are known to about half a per cent.
      return { capacityRatio: ratio, capacityRatioSd: Math.hypot(sd[1]! * ratio * ratio, 0.005) };
    }
    case 'high-resistance':
      return { resistanceRatio: 1 + theta[2]!, resistanceRatioSd: sd[2]! };
    case 'self-discharge':
      return {
        leakageMilliamp: leakMilliamp(theta[4]!, observed.trajectory),
        leakageMilliampSd: leakMilliamp(sd[4]!, observed.trajectory),
      };
    case 'sense-fault':
      return { offsetMillivolt: theta[5]! * 1000, offsetMillivoltSd: sd[5]! * 1000 };
    default:
      return {};
  }
}
