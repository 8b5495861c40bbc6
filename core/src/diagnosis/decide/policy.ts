import { factsOf, modulesOfChannel, type Pack } from '../../pack';
import { estimateOf } from './estimate';
import { explain, verdictName } from './explain';
import { retainedCapacityOf } from '../channel/electrodeLoss';
import type { Explanation, Judged, HealthyBaseline } from '../baseline/healthyBaseline';
import type { Observation, DeviationSet } from '../channel/deviations';
import type { LoadTap } from './senseWires';
import type { Alternative, ChannelFinding, Verdict } from '../verdict';
import type { ChannelFit } from '../channel/channelModel';
import { byElectrode, PARAMETERS } from '../channel/parameters';
import { leftV } from '../channel/residuals';
import { asks } from './rules';
import { spanOf } from '../cell/typicalCell';

/** Explanations within this of the best are still open. */
export const SEPARATE_LIMIT = 9;

/**
 * No verdict is told surer than it turns out. Of 1880 packs of each of four worlds 4043 of 4050 verdicts were right that stood out and stood apart from the next
 * explanation; of those that hardly did 128 of 137 wrong readings, all of 10 losses of capacity over enough charge and 55 of 56 others; of wrong readings whose fit left more
 * than readings scatter by, 12 of 15; and of causes of what was left open that seemed plain, 43 of 64, or 36 of 44 where they were a little apart from the next. Of channels in pairs with a wire on a bar all 166
 * were; one alone is in no world, so how sure it is called is from memory. Of 27 imbalances on a flat curve that were plain and clean 20 were one and 5 had
 * lost lithium: more of the former in packs of circuits, of the latter in packs of particles.
 */
const SUREST = {
  plain: 0.994,
  loadTap: 0.99,
  reversed: 0.9,
  faint: 0.95,
  faintReading: 0.92,
  faintLoss: 0.9,
  flatImbalance: 0.88,
  unclean: 0.8,
  alike: 0.8,
  open: 0.6,
  openApart: 0.8,
};
const PLAIN = { separate: 25, detect: 30 };
/** From here on the likeliest of what is left open is a little apart from the next. */
const OPEN_APART = 4;
/** A fit that leaves this many times what readings scatter by is not clean. */
const UNCLEAN_TIMES = 1.3;
/**
 * On a flat curve the steps are the negative electrode's, and they move alike with charge that is missing and with lithium that is lost. A fit
 * that is not clean says that they do not lie as in the others: of 44 such imbalances in packs of four worlds 19 were one, 17 were lost capacity and 8
 * were nothing.
 */
const ALIKE: Alternative[] = [
  { verdict: 'imbalance', confidence: 0.4 },
  { verdict: 'low-capacity', confidence: 0.4 },
];
const ALIKE_WHY =
  'It is out of balance or has lost lithium: the steps of its curve lie elsewhere than those of the others, and on a flat curve both move them alike.';
/**
 * Over so little charge a gap that grows and one that stays are as far apart as a table may be off: of nine losses told from it, up to 31 apart from the next
 * cause, six were missing charge and three nothing.
 */
const SHORT_SPAN = 0.15;
const SHORT_WHY =
  'It is out of balance or holds less: this record moved the pack by so little charge that a gap which grows and one that stays look alike.';
/** What else an imbalance that is told may be there. */
const ALIKE_TOLD: Alternative = { verdict: 'low-capacity', confidence: 0.15 };
const ALIKE_TOLD_WHY =
  'On a flat curve lost lithium moves the steps as missing charge does: the end of a charge tells which before anything is charged up or replaced.';

/**
 * From this charge on a flat curve rises by the positive electrode: lost lithium leaves a channel level with the others there, missing charge does
 * not. It has to show beside what readings and boards are off by, and the fit has to leave little of it:
 * of six that the fit alone had left open five were missing charge.
 */
const END = { from: 0.93, times: 5, left: 0.25 };

/** Whether the readings near full say that charge is missing, or too much is there. */
function endTells(
  j: Judged,
  residualV: Float64Array,
  { observed, noiseV, inflation, scatter }: HealthyBaseline,
): boolean {
  const { socFraction, positiveLagAh, capacityAh } = observed.trajectory;
  const { at, deviationV } = observed.channels[j.channelIndex]!;
  let [off, left, count] = [0, 0, 0];
  at.forEach((k, i) => {
    if (socFraction[k]! - positiveLagAh[k]! / capacityAh < END.from) return;
    off += deviationV[i]!;
    left += residualV[i]!;
    count++;
  });
  const least = END.times * Math.hypot(noiseV * Math.sqrt(inflation), scatter.offsetV);
  return Math.abs(off) > count * least && Math.abs(left) < END.left * Math.abs(off);
}

/**
 * At one state of charge of a flat curve hardly any volts tell charge: a gap as large as it takes looks like a wrong reading, and only what is usual
 * speaks against it. Of seven such readings told apart by 10 to 14 none could be told by the true packs, of those told by more all could.
 */
const STANDING_LIMIT = 2 * SEPARATE_LIMIT;
/** How likely such a gap is called then. From memory. */
const UNUSUAL = 0.2;
/** Where the record has told how far the steps of a flat curve have moved, causes this far apart are so for all that a fit leaves. From memory. */
const PLAINLY_APART = 50;
/** Charge over which a pack counts as having stood, as a share. */
const STANDS = 0.05;
/** Whether a record moved its pack along its curve by next to nothing. */
export const hasStood = ({ trajectory: { socFraction } }: DeviationSet): boolean =>
  spanOf(socFraction) < STANDS;

/** Two channels whose shared sense wire hangs on a bar that carries the current, or one whose own does. */
export function senseWireFindings({ channels, ohm, detect }: LoadTap, pack: Pack): ChannelFinding[] {
  const size = `${+Math.abs(ohm * 1e3).toPrecision(2)} mV for each ampere`;
  return channels.map((c, i): ChannelFinding => {
    const other = channels.length === 2 ? pack.channels[channels[1 - i]!]!.id : null;
    const little = (i === 0) === ohm > 0;
    const way = `Reads ${size} drawn too ${little ? 'little' : 'much'}`;
    const sure = other === null ? SUREST.reversed : SUREST.loadTap;
    return {
      channel: pack.channels[c]!.id,
      module: modulesOfChannel(pack, c),
      verdict: 'sense-fault',
      confidence: sure,
      alternatives: [{ verdict: 'high-resistance', confidence: 1 - sure }],
      estimate: {},
      reasons: [
        other === null
          ? `${way}, as if it had no resistance or less: no cell does that, so its reading is wrong, as by a sense wire on a joint that carries the current.`
          : `${way}, and its neighbour ${other} as much too ${little ? 'much' : 'little'}: no cell has that much less resistance than the others, so the sense wire between them sits on a joint that carries the current.`,
      ],
      detect,
      separate: detect,
      ...(other === null ? {} : { pairedWith: other }),
    };
  });
}

/** Verdicts by how likely the readings are under each: shares of all, and twice the logarithm against one another. */
const shares = (judged: Judged): { verdict: Verdict; misfit: number; share: number }[] => {
  const rows = [...judged.byVerdict].map(([verdict, v]) => ({ verdict, misfit: -2 * v.logEvidence }));
  const least = Math.min(...rows.map((r) => r.misfit));
  const weights = rows.map((r) => Math.exp(-(r.misfit - least) / 2));
  const total = weights.reduce((a, b) => a + b, 0);
  return rows.map((r, i) => ({ ...r, share: weights[i]! / total })).sort((a, b) => a.misfit - b.misfit);
};

/**
 * A verdict is no better than its fit: from this many times the scatter of the readings, and this share of the whole
 * deviation, what is left says that the cause is another one. Set by packs of particles: of right verdicts one in 170
 * leaves a third, none two fifths.
 */
const UNFIT = [
  { times: 4.5, share: 0.4 },
  { times: 12, share: 0.25 },
];

/** Whether what is likeliest of a channel leaves so much that it cannot be what it is. */
export const isUnexplained = (j: Judged, m: HealthyBaseline): boolean =>
  unexplained(j.byVerdict.get(shares(j)[0]!.verdict)!.fit, m.observed.channels[j.channelIndex]!, m) !== null;

/** Why no explanation is good enough for a verdict, in words; null where one is. */
export function unexplained(f: ChannelFit, { deviationV }: Observation, m: HealthyBaseline): string | null {
  const left = leftV(f);
  const whole = leftV({ residualV: deviationV });
  const scatter = m.noiseV * Math.sqrt(m.inflation);
  if (!asks('nothing-fits') || !UNFIT.some((u) => left > u.times * scatter && left > u.share * whole))
    return null;
  const mv = (v: number): string => `${(1000 * v).toFixed(1)} mV`;
  return `Nothing known explains it: of ${mv(whole)} that it lies off, ${mv(left)} remain under the best cause, where readings of this record scatter by ${mv(scatter)}. Look at its course, the channel map and its plug before anything is replaced.`;
}

/** What every finding of a judged channel says, whatever its verdict. */
type Common = Pick<ChannelFinding, 'channel' | 'module' | 'detect' | 'separate' | 'leftMv' | 'scatterMv'> & {
  clean: boolean;
};
type Ranked = ReturnType<typeof shares>;

function commonOf(j: Judged, ranked: Ranked, pack: Pack, m: HealthyBaseline): Common {
  const [best, next] = ranked;
  const leftMv = 1000 * leftV(j.byVerdict.get(best!.verdict)!.fit);
  const scatterMv = 1000 * m.noiseV * Math.sqrt(m.inflation);
  return {
    channel: pack.channels[j.channelIndex]!.id,
    module: modulesOfChannel(pack, j.channelIndex),
    detect: j.detect,
    separate: Math.min(1e6, (next?.misfit ?? Infinity) - best!.misfit),
    leftMv,
    scatterMv,
    clean: leftMv <= UNCLEAN_TIMES * scatterMv,
  };
}

/** Two channels that are off by as much, one each way: the tap wire between them. */
function pairFinding(
  common: Omit<Common, 'clean'>,
  j: Judged,
  ranked: Ranked,
  pairedWith: string,
  m: HealthyBaseline,
): ChannelFinding {
  const offsetMv = j.byVerdict.get('sense-fault')!.fit.theta[PARAMETERS.indexOf('offset')]! * 1000;
  return {
    ...common,
    verdict: 'sense-fault',
    confidence: j.detect >= PLAIN.detect ? SUREST.plain : SUREST.faintReading,
    alternatives: ranked
      .filter((r) => r.verdict !== 'sense-fault')
      .slice(0, 2)
      .map((r) => ({ verdict: r.verdict, confidence: Math.min(0.04, r.share / 10) })),
    estimate: estimateOf('sense-fault', j, m),
    pairedWith,
    reasons: [
      `Reads ${Math.abs(offsetMv).toFixed(0)} mV ${offsetMv > 0 ? 'high' : 'low'} and its neighbour ${pairedWith} is off by as much the other way: the tap wire between them.`,
    ],
  };
}

/** Causes worth a word, each as likely as its share of all but no likelier than `most`. */
const causesOf = (rows: Ranked, most = 1): Alternative[] =>
  rows
    .filter((r) => r.share > 0.004)
    .map((r) => ({ verdict: r.verdict, confidence: Math.min(most, r.share) }));

const leftOpen = (
  common: Omit<Common, 'clean'>,
  alternatives: Alternative[],
  estimate: ChannelFinding['estimate'],
  reasons: string[],
): ChannelFinding => ({
  ...common,
  verdict: 'undetermined',
  confidence: 1 - Math.max(...alternatives.map((a) => a.confidence)),
  alternatives,
  estimate,
  reasons,
});

/**
 * Whether a high resistance is the cell's: its slow part has risen as well, plainly. The other way round nothing is told. A cell whose electrolyte or
 * charge transfer has worn drops its volts at once too, as a joint does, when readings are a second apart or more: of 100 such cells of particles
 * 92 looked like a joint, and of 271 joints none like a cell.
 */
const inCell = ({ hypothesis, apart }: Explanation): boolean =>
  hypothesis.free.ohmic !== undefined && hypothesis.tied && 2 * apart >= SEPARATE_LIMIT;

/** How sure a verdict is called at most. */
function surestOf(
  verdict: Verdict,
  { detect, separate, clean }: Common,
  flat: boolean,
  alike: boolean,
): number {
  if (verdict === 'sense-fault' && !clean) return SUREST.unclean;
  if (alike) return SUREST.alike;
  if (flat && verdict === 'imbalance') return SUREST.flatImbalance;
  if (detect >= PLAIN.detect && separate >= PLAIN.separate) return SUREST.plain;
  if (verdict === 'sense-fault') return SUREST.faintReading;
  return verdict === 'low-capacity' ? SUREST.faintLoss : SUREST.faint;
}

/**
 * How likely a loss is large enough to matter, by what its figure leaves open: where it only just does, that is no surer than this. The logistic curve lies
 * within 0.01 of the normal one (factor 1.702, from memory).
 */
function mattersBy({ capacityRatio, capacityRatioSd }: ChannelFinding['estimate'], pack: Pack): number {
  const most = 1 / (1 + factsOf(pack.profile.chemistry).matters.capacity);
  const share = 1 / (1 + Math.exp((-1.702 * (most - capacityRatio!)) / capacityRatioSd!));
  // That something is lost is plain by then; only how much is not.
  return Math.max(0.5, share);
}

/** Gives each odd channel its verdict, tap-wire pairs first. */
export function verdictsOf(
  judged: Judged[],
  pack: Pack,
  taps: ReadonlyMap<number, number>,
  m: HealthyBaseline,
): ChannelFinding[] {
  const { observed } = m;
  const { flat } = factsOf(pack.profile.chemistry);
  const stood = hasStood(observed);
  const stands = flat !== null && stood;
  const short = !stood && spanOf(observed.trajectory.socFraction) < SHORT_SPAN;
  return judged.map((j): ChannelFinding => {
    const ranked = shares(j);
    const whole = commonOf(j, ranked, pack, m);
    const { clean, ...common } = whole;
    const other = taps.get(j.channelIndex);
    if (other !== undefined) return pairFinding(common, j, ranked, pack.channels[other]!.id, m);
    const best = ranked[0]!;
    const likeliest = j.byVerdict.get(best.verdict)!;
    const unfit = unexplained(likeliest.fit, observed.channels[j.channelIndex]!, m);
    if (unfit !== null) return leftOpen(common, causesOf(ranked, SUREST.open), {}, [unfit]);
    const byStanding = best.verdict === 'sense-fault' && stands && asks('standing-on-a-flat-curve');
    const within = byStanding ? STANDING_LIMIT : SEPARATE_LIMIT;
    const open = ranked.filter((r) => r.misfit - best.misfit < within);
    const byCharge = open.every((r) => r.verdict === 'low-capacity' || r.verdict === 'imbalance');
    if (
      asks('short-span') &&
      short &&
      byCharge &&
      best.verdict === 'low-capacity' &&
      common.separate < PLAINLY_APART
    )
      return leftOpen(common, ALIKE, {}, [SHORT_WHY]);
    // What shows near full is not lost lithium, where that is what a low capacity is by.
    const stepped = observed.bendsBehind === true;
    const ends =
      asks('full-end-tells') &&
      flat !== null &&
      best.verdict === 'imbalance' &&
      endTells(j, likeliest.fit.residualV, m);
    const apart = open.every((r) => r === best || (ends && stepped && r.verdict === 'low-capacity'));
    const alike = flat !== null && best.verdict === 'imbalance' && !ends;
    const both = (['imbalance', 'low-capacity'] as const).every((v) => open.some((r) => r.verdict === v));
    if (asks('flat-steps-alike') && stepped && both && !apart && !stands)
      return leftOpen(common, ALIKE, {}, [ALIKE_WHY]);
    const plainly = observed.trajectory.ageing !== null && common.separate >= PLAINLY_APART;
    if (asks('flat-unclean') && alike && apart && !clean && !plainly && j.detect >= PLAIN.detect)
      return leftOpen(common, ALIKE, {}, [ALIKE_WHY]);
    const estimate = estimateOf(best.verdict, j, m);
    const why = (of: Verdict[]): string[] =>
      explain(
        best.verdict,
        { ...likeliest, inCell: inCell(likeliest) },
        observed,
        pack,
        j.channelIndex,
        of,
        estimate,
      );
    if (!apart) {
      const causes = causesOf(open, common.separate < OPEN_APART ? SUREST.open : SUREST.openApart);
      // What only its being unusual speaks against is named all the same.
      const unusual = open.filter((r) => !causes.some((c) => c.verdict === r.verdict));
      return leftOpen(
        common,
        [...causes, ...unusual.map((r): Alternative => ({ verdict: r.verdict, confidence: UNUSUAL }))],
        estimate,
        why(open.map((r) => r.verdict)),
      );
    }
    const others = causesOf(ranked.slice(1));
    return {
      ...common,
      verdict: best.verdict,
      confidence: Math.min(
        surestOf(best.verdict, whole, flat !== null, alike),
        best.share,
        byElectrode(likeliest.hypothesis) && asks('capacity-may-not-matter') ? mattersBy(estimate, pack) : 1,
      ),
      alternatives: alike ? [ALIKE_TOLD, ...others.filter((o) => o.verdict !== ALIKE_TOLD.verdict)] : others,
      ...(inCell(likeliest) ? { seat: 'cell' as const } : {}),
      estimate,
      reasons: [...why([]), ...(alike ? [ALIKE_TOLD_WHY] : [])],
    };
  });
}

/** A channel that differs from the others for certain, by so little that it does no harm. */
export interface Difference {
  channel: string;
  module: string;
  /** What it differs by, likeliest. */
  of: Verdict;
  says: string;
}

/** What is real but harmless: named, never accused. */
export function differencesOf(judged: readonly Judged[], m: HealthyBaseline): Difference[] {
  const { matters } = factsOf(m.pack.profile.chemistry);
  const pct = (x: number): string => `${(Math.abs(x) * 100).toFixed(1)} %`;
  return judged.flatMap((j): Difference[] => {
    const best = shares(j)[0];
    if (!best) return [];
    const { theta } = j.byVerdict.get(best.verdict)!.fit;
    const at = (p: (typeof PARAMETERS)[number]): number => theta[PARAMETERS.indexOf(p)]!;
    const says: Partial<Record<Verdict, string>> = {
      imbalance: `${pct(at('soc'))} of charge ${at('soc') < 0 ? 'below' : 'above'} the others; ${pct(matters.socFraction)} would matter.`,
      'low-capacity': `Holds ${pct(1 - retainedCapacityOf(m.observed, j.byVerdict.get(best.verdict)!.fit).value)} less than the others; ${pct(matters.capacity)} would matter.`,
      'high-resistance': `${(1 + at('ohmic')).toFixed(2)} times the resistance of the others; ${(1 + matters.resistance).toFixed(2)} would matter.`,
      'self-discharge': `Loses ${(100 * at('leak')).toFixed(2)} % a day more than the others.`,
      'sense-fault': `Reads ${Math.abs(1000 * at('offset')).toFixed(0)} mV ${at('offset') > 0 ? 'high' : 'low'}.`,
    };
    return [
      {
        channel: m.pack.channels[j.channelIndex]!.id,
        module: modulesOfChannel(m.pack, j.channelIndex),
        of: best.verdict,
        says: says[best.verdict] ?? verdictName(best.verdict),
      },
    ];
  });
}
