import { factsOf, limitValue, modulesOfChannel, type Pack } from '../../pack';
import type { ScanRecord } from '../../scan';
import { sampledHigh, sampledMedian, type AbsoluteLook } from './absoluteLimits';
import { median } from '../../numerics/robustStatistics';
import type { Alternative, ChannelFinding, Verdict } from '../verdict';

/** Readings that no healthy or merely weak cell can give, told before any fitting. */
export interface Signature {
  channelIndex: number;
  kind: 'dead' | 'reversed' | 'over-charged' | 'stuck' | 'beyond';
  volts: number;
  reason: string;
}

/** Fewest readings before "it never moves" means anything. */
const FEWEST_TO_CALL_STUCK = 12;
/** Above over-charged by this a cell would have burst: it is the reading. From memory. */
const BEYOND_V = 0.3;

/**
 * Dead: below the floor of the chemistry, near 0 V or reversed. Over-charged: above its ceiling. Beyond: more than a
 * cell can give. Stuck: the same figure all along while the others move. The first three are absolute.
 */
export function findSignatures(record: ScanRecord, pack: Pack, look: AbsoluteLook): Signature[] {
  const { profile } = pack;
  const chemistry = factsOf(profile.chemistry).name;
  const most = limitValue(profile, 'cellMostV');
  const out = new Map(look.outOfBounds.map((o) => [o.channelIndex, o]));
  const sound = pack.channels.filter((c) => !out.has(c.index));
  const typical = median(sound.map((c) => look.settledV[c.index]! / c.cells));
  const moves = record.voltageV.map((v) => distinct(v.value, 5));
  const typicalMoves = median(sound.map((c) => moves[c.index]!));
  const found: Signature[] = [];
  pack.channels.forEach((channel, i) => {
    const o = out.get(i);
    const beside = sound.length > 0 ? ` The others read ${(typical * channel.cells).toFixed(2)} V.` : '';
    if (o) {
      const volts = o.voltageV;
      if (o.state === 'over-charged' || o.state === 'impossible') {
        const high = Math.max(volts, sampledHigh(record.voltageV[i]!.value));
        const beyond = high / channel.cells > most + BEYOND_V;
        found.push({
          channelIndex: i,
          kind: beyond ? 'beyond' : 'over-charged',
          volts,
          reason: beyond
            ? `Reads up to ${high.toFixed(2)} V: more than ${chemistry} can give.${beside}`
            : `Reads ${o.says}${beside} Until a meter says otherwise it is over-charged: no charging, keep away.`,
        });
      } else
        found.push({
          channelIndex: i,
          kind: o.state === 'reversed' ? 'reversed' : 'dead',
          volts,
          reason: `Reads ${o.says}${beside}`,
        });
    } else if (
      moves[i] === 1 &&
      record.voltageV[i]!.value.length >= FEWEST_TO_CALL_STUCK &&
      typicalMoves > 3
    ) {
      const volts = sampledMedian(record.voltageV[i]!.value);
      found.push({
        channelIndex: i,
        kind: 'stuck',
        volts,
        reason: `Shows ${volts.toFixed(3)} V in every one of ${record.voltageV[i]!.value.length} readings while the others move.`,
      });
    }
  });
  return found;
}

/** How many different readings there are, counted no further than `most`. */
function distinct(values: Float64Array, most: number): number {
  const seen = new Set<number>();
  for (const v of values) {
    if (!Number.isNaN(v)) seen.add(v);
    if (seen.size >= most) break;
  }
  return seen.size;
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
