import { factsOf, modulesOfChannel } from '../../pack';
import { OPEN } from '../channel/hypotheses';
import type { HealthyBaseline } from '../baseline/healthyBaseline';
import { EMPTY_END } from '../channel/deviations';
import { leftV } from '../channel/residuals';
import { median } from '../../numerics/robustStatistics';
import { unexplained } from './policy';
import type { Alternative, ChannelFinding } from '../verdict';
import type { ChannelFit } from '../channel/channelModel';

/** A channel fits nothing from this many times the scatter on, and from this many times what is left of the usual channel. */
const STRANGE = { scatter: 6, others: 4 };

/** Channels of which nothing is told, but whose readings are none that any cell or board would give. */
export function unexplainedChannels(
  m: HealthyBaseline,
  plain: readonly number[],
  healthy: ReadonlyMap<number, ChannelFit>,
  told: ReadonlySet<number>,
): ChannelFinding[] {
  const usual = median(plain.map((c) => leftV(healthy.get(c)!)));
  const scatter = m.noiseV * Math.sqrt(m.inflation);
  const least = Math.max(STRANGE.scatter * scatter, STRANGE.others * usual);
  return plain.flatMap((c): ChannelFinding[] => {
    if (told.has(c) || leftV(healthy.get(c)!) < least) return [];
    const open = m.fit(c, OPEN, m.inflation);
    const why = leftV(open) < least ? null : unexplained(open, m.observed.channels[c]!, m);
    return why === null
      ? []
      : [
          {
            channel: m.pack.channels[c]!.id,
            module: modulesOfChannel(m.pack, c),
            verdict: 'undetermined',
            confidence: 0.5,
            alternatives: [{ verdict: 'sense-fault', confidence: 0.5 }],
            estimate: {},
            reasons: [why],
            detect: (leftV(open) / scatter) ** 2,
            separate: 0,
            leftMv: 1000 * leftV(open),
            scatterMv: 1000 * scatter,
          },
        ];
  });
}

/** What a channel past its empty end may have, which no fit can weigh. From memory: low capacity and missing charge are commonest. */
const PAST: Alternative[] = [
  { verdict: 'low-capacity', confidence: 0.3 },
  { verdict: 'imbalance', confidence: 0.3 },
  { verdict: 'high-resistance', confidence: 0.2 },
  { verdict: 'sense-fault', confidence: 0.1 },
];

/**
 * Channels of which nothing is told, that were past the empty end of the curve while the others were not: no fit sees those readings, and no channel that
 * gives them is healthy.
 */
export function belowOcvRange(
  { observed, pack }: HealthyBaseline,
  plain: readonly number[],
  told: ReadonlySet<number>,
): ChannelFinding[] {
  const { matters, cell } = factsOf(pack.profile.chemistry);
  return plain.flatMap((c): ChannelFinding[] => {
    const past = observed.leftOut[c];
    if (!past || told.has(c)) return [];
    const { id, cells } = pack.channels[c]!;
    // Where all of them are about to be empty, what is harmless is enough to be past it, by the volts that it makes there.
    const short = (past.typicalV - past.voltageV) / cells;
    if (
      past.socFraction < EMPTY_END + matters.socFraction &&
      short < observed.curve.slopeAt(EMPTY_END) * matters.socFraction
    )
      return [];
    const volts = (v: number): string => `${v.toFixed(2)} V`;
    return [
      {
        channel: id,
        module: modulesOfChannel(pack, c),
        verdict: 'undetermined',
        confidence: 1 - PAST[0]!.confidence,
        alternatives: PAST,
        estimate: {},
        reasons: [
          `Down to ${volts(past.voltageV)} where the others read ${volts(past.typicalV)}: ${volts(past.voltageV / cells)} a cell is past the empty end of the curve, where volts tell no charge${past.voltageV / cells < cell.emptyV ? `, and below the ${volts(cell.emptyV)} at which a cell is empty` : ''}. It is empty first, or sags most; no drive and no load before it is metered.`,
        ],
        detect: 1e3 * Math.max(0.1, short),
        separate: 0,
      },
    ];
  });
}
