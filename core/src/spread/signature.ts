import { CELL_LIMITS, type OcvCurve, type Pack } from '../pack';
import type { ScanRecord } from '../scan';
import { median } from './statistics';

/** Readings that no healthy or merely weak cell can give, told before any fitting. */
export interface Signature {
  channelIndex: number;
  kind: 'dead' | 'stuck' | 'beyond';
  volts: number;
  reason: string;
}

/** Fewest readings before "it never moves" means anything. */
const FEWEST_TO_CALL_STUCK = 12;

/**
 * Dead: near 0 V, reversed, or far below the floor of the chemistry while the neighbours are normal.
 * Beyond: above what the chemistry can give. Stuck: the same figure all along while the others move.
 */
export function findSignatures(record: ScanRecord, pack: Pack, curve: OcvCurve): Signature[] {
  const limits = CELL_LIMITS[pack.profile.chemistry];
  const perCell = record.voltageV.map((v, i) => sampledMedian(v.value) / pack.channels[i]!.cells);
  const typical = median(perCell);
  const deadBelow = Math.min(0.76 * curve.minV, typical - 0.3 * (limits.fullV - limits.emptyV));
  const moves = record.voltageV.map((v) => distinct(v.value, 5));
  const typicalMoves = median(moves);
  const found: Signature[] = [];
  pack.channels.forEach((channel, i) => {
    const v = perCell[i]!;
    const volts = v * channel.cells;
    if (v < deadBelow && typical > curve.minV) {
      const how =
        v < 0
          ? 'reversed'
          : v < 0.15 * typical
            ? 'near 0 V'
            : `far below the floor of ${pack.profile.chemistry.toUpperCase()}`;
      found.push({
        channelIndex: i,
        kind: 'dead',
        volts,
        reason: `Reads ${volts.toFixed(2)} V while the others read ${(typical * channel.cells).toFixed(2)} V: ${how}.`,
      });
    } else if (v > Math.max(limits.fullV, curve.maxV) + 0.12 && v > typical + 0.12) {
      found.push({
        channelIndex: i,
        kind: 'beyond',
        volts,
        reason: `Reads ${volts.toFixed(2)} V: more than ${pack.profile.chemistry.toUpperCase()} can give.`,
      });
    } else if (
      moves[i] === 1 &&
      record.voltageV[i]!.value.length >= FEWEST_TO_CALL_STUCK &&
      typicalMoves > 3
    ) {
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

/** Middle value of at most about a thousand readings spread over the record. */
function sampledMedian(values: Float64Array): number {
  const stride = Math.max(1, Math.floor(values.length / 1000));
  const some: number[] = [];
  for (let k = 0; k < values.length; k += stride) if (!Number.isNaN(values[k]!)) some.push(values[k]!);
  return median(some);
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
