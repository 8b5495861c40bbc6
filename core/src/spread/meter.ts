import type { Pack } from '../pack';
import { modulesOfChannel } from '../pack';
import { median } from './statistics';
import type { Spread } from './spread';
import type { Alternative, ChannelFinding, Verdict } from './verdicts';

/** A voltage metered at the terminals of one channel. */
export interface MeterReading {
  channelIndex: number;
  voltageV: number;
}

/** How far a meter and a board that tells the truth may be apart, mV per channel, one standard deviation. */
const AGREE_MV = { lithium: 5, nimh: 25 };
/** The same when no healthy channel was metered along: the pack may have moved since the scan. */
const ALONE_FACTOR = 2.4;
/** Beyond this a reading and the meter do not agree. Common practice, no source: 10 to 20 mV. */
const APART_MV = { lithium: 20, nimh: 100 };
/** Share of one explanation that makes it the verdict. */
const SETTLED = 0.9;
/** No explanation is ruled out by a list that left it out. */
const LEAST_SHARE = 0.01;

const normal = (x: number, sd: number): number => Math.exp(-0.5 * (x / sd) ** 2) / sd;

/**
 * Weighs findings anew by what a meter says at the terminals. If the meter shows what the board shows, the cell is
 * what it seems; if it shows what the neighbours show, the reading is wrong. Bayes' rule over the open explanations.
 * @param rest the rest the board's readings are taken from: the last one of the record; without one nothing is weighed.
 */
export function weighMeter(
  findings: readonly ChannelFinding[],
  readings: readonly MeterReading[],
  rest: Spread | null,
  pack: Pack,
): ChannelFinding[] {
  if (readings.length === 0) return [...findings];
  const newest = new Map(readings.map((r) => [r.channelIndex, r.voltageV]));
  const indexOf = new Map(pack.channels.map((c) => [c.id, c.index]));
  if (!rest) return findings.map((f) => unweighed(f, newest.get(indexOf.get(f.channel)!)));
  const kind = pack.profile.chemistry === 'nimh' ? 'nimh' : 'lithium';
  const gap = (c: number): number => (newest.get(c)! - rest.channels[c]!.voltageV) * 1000;
  const suspects = new Set(findings.map((f) => indexOf.get(f.channel)!));
  const references = [...newest.keys()].filter((c) => !suspects.has(c));
  const alone = references.length === 0;
  // What all channels did since the scan is told by those nobody suspects.
  const shiftMv = alone ? 0 : median(references.map(gap));
  const sd = AGREE_MV[kind] * (alone ? ALONE_FACTOR : 1);
  const weighed = findings.map((f) => {
    const c = indexOf.get(f.channel)!;
    return newest.has(c)
      ? weigh(
          f,
          gap(c) - shiftMv,
          rest.channels[c]!.deviationMv,
          sd,
          newest.get(c)!,
          rest.channels[c]!.voltageV,
        )
      : f;
  });
  for (const c of references) {
    const off = gap(c) - shiftMv;
    if (Math.abs(off) <= APART_MV[kind]) continue;
    weighed.push({
      channel: pack.channels[c]!.id,
      module: modulesOfChannel(pack, c),
      verdict: 'sense-fault',
      confidence: 0.9,
      alternatives: [],
      estimate: { offsetMillivolt: -off },
      reasons: [told(newest.get(c)!, rest.channels[c]!.voltageV, false)],
      detect: 100,
      separate: 100,
    });
  }
  return weighed;
}

/** A record taken all under load holds no voltage that a meter at rest could be held against. */
function unweighed(finding: ChannelFinding, meterV: number | undefined): ChannelFinding {
  if (meterV === undefined) return finding;
  return {
    ...finding,
    reasons: [
      ...finding.reasons,
      `The meter shows ${meterV.toFixed(3)} V at the terminals. The record holds no rest to compare it with: scan while the vehicle stands, then it counts.`,
    ],
  };
}

function told(meterV: number, scanV: number, agrees: boolean): string {
  const shown = `The meter shows ${meterV.toFixed(3)} V at the terminals, the scan ${scanV.toFixed(3)} V`;
  return agrees ? `${shown}: the reading is right.` : `${shown}: the reading is wrong, not the cell.`;
}

function weigh(
  finding: ChannelFinding,
  offMv: number,
  deviationMv: number,
  sdMv: number,
  meterV: number,
  scanV: number,
): ChannelFinding {
  const prior = new Map<Verdict, number>();
  for (const a of finding.alternatives) prior.set(a.verdict, Math.max(LEAST_SHARE, a.confidence));
  if (finding.verdict !== 'undetermined') prior.set(finding.verdict, finding.confidence);
  if (!prior.has('sense-fault')) prior.set('sense-fault', LEAST_SHARE);
  if (prior.size === 1) prior.set('imbalance', LEAST_SHARE);
  // A wrong reading hides a cell that is about where the others are; any other fault shows at the terminals too.
  const likelihood = (v: Verdict): number =>
    v === 'sense-fault'
      ? normal(offMv + deviationMv, Math.hypot(sdMv, 0.1 * Math.abs(deviationMv), 4))
      : normal(offMv, sdMv);
  const rows = [...prior].map(([verdict, p]) => ({ verdict, weight: p * likelihood(verdict) }));
  const total = rows.reduce((s, r) => s + r.weight, 0);
  if (!(total > 1e-30))
    return {
      ...finding,
      verdict: 'undetermined',
      confidence: 0.5,
      alternatives: [...prior].map(([verdict, confidence]) => ({ verdict, confidence })),
      reasons: [
        ...finding.reasons,
        `The meter shows ${meterV.toFixed(3)} V at the terminals: neither what the scan says nor what the others show. Meter it again with a neighbour beside it.`,
      ],
    };
  const ranked: Alternative[] = rows
    .map((r) => ({ verdict: r.verdict, confidence: r.weight / total }))
    .sort((a, b) => b.confidence - a.confidence);
  const best = ranked[0]!;
  const sense = best.verdict === 'sense-fault';
  const reasons = [...finding.reasons, told(meterV, scanV, !sense)];
  if (best.confidence < SETTLED)
    return {
      ...finding,
      verdict: 'undetermined',
      confidence: 1 - best.confidence,
      alternatives: ranked.filter((r) => r.confidence > 0.004),
      reasons,
    };
  return {
    ...finding,
    verdict: best.verdict,
    confidence: Math.min(0.99, best.confidence),
    alternatives: ranked.slice(1).filter((r) => r.confidence > 0.004),
    // The estimate belongs to the explanation it was fitted for.
    estimate: sense
      ? { offsetMillivolt: -offMv }
      : finding.verdict === best.verdict || finding.alternatives[0]?.verdict === best.verdict
        ? finding.estimate
        : {},
    reasons,
    separate: 1e3,
  };
}
