import { factsOf, judgeAt, modulesOfChannel, OUT_OF_BOUNDS, type Pack } from '../../pack';
import { median } from '../../numerics/robustStatistics';
import type { Spread } from '../record/restSpread';
import type { ChannelFinding, Verdict } from '../verdict';
import { weighBy } from '../decide/bayesUpdate';

/** A voltage metered at the terminals of one channel. */
export interface MeterReading {
  channelIndex: number;
  voltageV: number;
}

/** The same when no healthy channel was metered along: the pack may have moved since the scan. */
const ALONE_FACTOR = 2.4;

const normal = (x: number, sd: number): number => Math.exp(-0.5 * (x / sd) ** 2) / sd;

/**
 * Weighs findings anew by what a meter says at the terminals. If the meter shows what the board shows, the cell is
 * what it seems; if it shows what the neighbours show, the reading is wrong. Bayes' rule over the open explanations.
 * @param rest the rest the board's readings are taken from: the last one of the record; without one nothing is weighed.
 */
export function weighTerminalReadings(
  findings: readonly ChannelFinding[],
  readings: readonly MeterReading[],
  rest: Spread | null,
  pack: Pack,
): ChannelFinding[] {
  if (readings.length === 0) return [...findings];
  const newest = new Map(readings.map((r) => [r.channelIndex, r.voltageV]));
  const indexOf = new Map(pack.channels.map((c) => [c.id, c.index]));
  const told = byMeterAlone(findings, newest, rest, pack);
  if (!rest)
    return told.map((f) =>
      f.seen ? f.finding : unweighed(f.finding, newest.get(indexOf.get(f.finding.channel)!)),
    );
  const { agreeMv, apartMv } = factsOf(pack.profile.chemistry).meter;
  /** What the scan read of it at that rest; null where it did not. */
  const read = (c: number): { voltageV: number; deviationMv: number } | null => {
    const { voltageV, deviationMv } = rest.channels[c]!;
    return voltageV === null || deviationMv === null ? null : { voltageV, deviationMv };
  };
  const gap = (c: number): number => (newest.get(c)! - read(c)!.voltageV) * 1000;
  const suspects = new Set(told.map((t) => indexOf.get(t.finding.channel)!));
  const references = [...newest.keys()].filter((c) => !suspects.has(c) && read(c));
  const alone = references.length === 0;
  // What all channels did since the scan is told by those nobody suspects.
  const shiftMv = alone ? 0 : median(references.map(gap));
  const sd = agreeMv * (alone ? ALONE_FACTOR : 1);
  const weighed = told.map(({ finding: f, seen }) => {
    const c = indexOf.get(f.channel)!;
    const scanned = read(c);
    if (!scanned) return seen ? f : unweighed(f, newest.get(c));
    return newest.has(c) && !seen
      ? weigh(f, gap(c) - shiftMv, scanned.deviationMv, sd, newest.get(c)!, scanned.voltageV)
      : f;
  });
  for (const c of references) {
    const off = gap(c) - shiftMv;
    if (Math.abs(off) <= apartMv) continue;
    weighed.push({
      channel: pack.channels[c]!.id,
      module: modulesOfChannel(pack, c),
      verdict: 'sense-fault',
      confidence: 0.9,
      alternatives: [],
      estimate: { offsetMillivolt: -off },
      reasons: [said(newest.get(c)!, read(c)!.voltageV, false)],
      detect: 100,
      separate: 100,
    });
  }
  return weighed;
}

/**
 * What a meter shows by itself, before it is held against the scan: a channel below its floor or reversed at the
 * terminals is dead whatever the board says; one above its ceiling is over-charged.
 */
function byMeterAlone(
  findings: readonly ChannelFinding[],
  newest: ReadonlyMap<number, number>,
  rest: Spread | null,
  pack: Pack,
): { finding: ChannelFinding; seen: boolean }[] {
  const rows = findings.map((finding) => ({ finding, seen: false }));
  for (const [c, voltageV] of newest) {
    const { state, says } = judgeAt(pack, { kind: 'channel', index: c }, voltageV);
    if (!OUT_OF_BOUNDS.has(state)) continue;
    const id = pack.channels[c]!.id;
    const scanV = rest?.channels[c]?.voltageV;
    const beside = scanV == null ? '' : ` The scan says ${scanV.toFixed(3)} V.`;
    const high = state === 'over-charged' || state === 'impossible';
    const finding: ChannelFinding = {
      channel: id,
      module: modulesOfChannel(pack, c),
      verdict: high ? 'imbalance' : 'dead',
      confidence: high ? 0.9 : 0.98,
      alternatives: [],
      estimate: {},
      reasons: [
        `The meter at the terminals: ${says}${beside}${high ? ' Over-charged: no charging, keep away.' : ''}`,
      ],
      detect: 1e4,
      separate: 1e3,
      ...(high
        ? { absolute: 'over-charged' as const }
        : state === 'reversed'
          ? { absolute: 'reversed' as const }
          : {}),
    };
    const at = rows.findIndex((r) => r.finding.channel === id);
    if (at >= 0) rows[at] = { finding, seen: true };
    else rows.push({ finding, seen: true });
  }
  return rows;
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

function said(meterV: number, scanV: number, agrees: boolean): string {
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
  // A wrong reading hides a cell that is about where the others are; any other fault shows at the terminals too.
  const likelihood = (v: Verdict): number =>
    v === 'sense-fault'
      ? normal(offMv + deviationMv, Math.hypot(sdMv, 0.1 * Math.abs(deviationMv), 4))
      : normal(offMv, sdMv);
  return weighBy(finding, likelihood, (wrong) => said(meterV, scanV, !wrong), {
    offsetMillivolt: -offMv,
    unlike: `The meter shows ${meterV.toFixed(3)} V at the terminals: neither what the scan says nor what the others show. Meter it again with a neighbour beside it.`,
  });
}
