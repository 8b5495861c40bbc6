import { factsOf, judgeVoltage, limitValue, OUT_OF_BOUNDS, type Pack, type VoltageState } from '../../pack';
import { findSegments, restPoints, type RestPoint, type ScanRecord } from '../../scan';
import { median } from '../../numerics/robustStatistics';

/** One channel beyond the floor or the ceiling of its cells. */
export interface OutOfBounds {
  channelIndex: number;
  voltageV: number;
  state: VoltageState;
  says: string;
}

/** What the volts say by themselves, before any channel is compared with another. */
export interface AbsoluteLook {
  /** The whole pack is beyond its floor or ceiling: nothing in it is compared. */
  pack: 'over-discharged' | 'over-charged' | null;
  reasons: string[];
  /** Settled volts of each channel: its last rest where there is one, else its middle reading. NaN where never read. */
  settledV: number[];
  outOfBounds: OutOfBounds[];
}

/** Named one by one up to this share of the channels; beyond it the pack itself is the finding. */
const NAMED_SHARE = 0.75;

/** At most about a thousand readings spread over the record. */
function sampled(values: Float64Array): number[] {
  const stride = Math.max(1, Math.floor(values.length / 1000));
  const some: number[] = [];
  for (let k = 0; k < values.length; k += stride) if (!Number.isNaN(values[k]!)) some.push(values[k]!);
  return some;
}
/** Middle value of a channel's readings. */
export const sampledMedian = (values: Float64Array): number => median(sampled(values));
/** What one reading in ten lies above. */
export function sampledHigh(values: Float64Array): number {
  const sorted = sampled(values).sort((a, b) => a - b);
  return sorted[Math.floor(0.9 * (sorted.length - 1))] ?? NaN;
}

const counted = (n: number, all: number): string => (n === all ? `All ${all}` : `${n} of ${all}`);

/**
 * Judges every channel of a record by the floor and ceiling of its cells, and the pack as a whole. A pack is
 * over-discharged (over-charged) when more than half of its channels are; half a pack of dead groups beside healthy
 * ones names the dead ones.
 */
export function lookAbsolutely(
  record: ScanRecord,
  pack: Pack,
  rests: readonly RestPoint[] = restPoints(record, findSegments(record)),
): AbsoluteLook {
  const { profile, channels } = pack;
  const last = rests[rests.length - 1];
  const settledV = channels.map((_, i) => {
    const rested = last?.voltageV[i] ?? NaN;
    return Number.isNaN(rested) ? sampledMedian(record.voltageV[i]!.value) : rested;
  });
  // A reversed or dead channel may come and go: what most of its readings show counts as well as the last rest.
  const outOfBounds = channels.flatMap((c, i): OutOfBounds[] => {
    const most = sampledMedian(record.voltageV[i]!.value);
    const found = [settledV[i]!, most]
      .filter((v) => !Number.isNaN(v))
      .map((v) => ({ voltageV: v, ...judgeVoltage(profile, c.cells, v, 'board') }))
      .find((j) => OUT_OF_BOUNDS.has(j.state));
    return found ? [{ channelIndex: i, voltageV: found.voltageV, state: found.state, says: found.says }] : [];
  });
  const low = outOfBounds.filter((o) => o.state !== 'over-charged' && o.state !== 'impossible');
  const high = outOfBounds.filter((o) => o.state === 'over-charged');
  const all = channels.length;
  const { hazards } = factsOf(profile.chemistry);
  const reasons: string[] = [];
  const reversed = low.filter((o) => o.state === 'reversed').map((o) => channels[o.channelIndex]!.id);
  const shown = (ids: string[]): string =>
    ids.slice(0, 6).join(', ') + (ids.length > 6 ? ` and ${ids.length - 6} more` : '');
  if (low.length > all / 2) {
    reasons.push(
      `${counted(low.length, all)} channels are below the floor of ${limitValue(profile, 'cellFloorV')} V a cell.`,
      ...(reversed.length > 0 ? [`Reversed: ${shown(reversed)}.`] : []),
      hazards.overDischarged,
      'Do not charge or jump it. Keep it apart, outdoors, and watch its temperature until it is decided what becomes of it.',
    );
    return { pack: 'over-discharged', reasons, settledV, outOfBounds: named(outOfBounds, low, all) };
  }
  if (high.length > all / 2) {
    reasons.push(
      `${counted(high.length, all)} channels are above ${limitValue(profile, 'cellMostV')} V a cell.`,
      hazards.overCharged,
    );
    return { pack: 'over-charged', reasons, settledV, outOfBounds: named(outOfBounds, high, all) };
  }
  return { pack: null, reasons, settledV, outOfBounds };
}

/** Where nearly all are alike the pack is the finding, and only what is worse than the rest is named. */
function named(outOfBounds: OutOfBounds[], alike: OutOfBounds[], all: number): OutOfBounds[] {
  if (alike.length <= NAMED_SHARE * all) return outOfBounds;
  return outOfBounds.filter((o) => o.state === 'reversed');
}
