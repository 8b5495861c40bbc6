import type { Pack } from '../../pack';
import { indexAt, type ScanRecord } from '../../scan';
import { median } from '../../numerics/robustStatistics';
import { weighBy } from './bayesUpdate';
import type { ChannelFinding, Verdict } from '../verdict';

/** The pack's own voltage beside the sum of its channels, at the same moments. */
export interface PackTotal {
  packV: number;
  sumV: number;
  /** What the sum lacks of the pack's voltage, V: about nought where every channel reads right. */
  missesV: number;
  /** What that difference scatters by where nothing is wrong, V. */
  sdV: number;
  /** What follows, in a sentence; empty where they agree. */
  says: string;
}

/** Standard deviation of a vehicle's pack voltage, as a share of it. From memory: half a per cent at worst, over life and temperature. */
const PACK_SHARE = 0.002;
/** Of each channel, V: they err each by itself. From memory. */
const CHANNEL_V = 0.003;
/** Under load busbars and contactors take their part: the difference scatters by so many times as much. */
const UNDER_LOAD = 3;
/** Current below which nothing flows that would matter, as C-rate. */
const STILL_C = 0.02;
/** Moments looked at, spread over the record. */
const MOST_MOMENTS = 2000;
/** Odd channels whose states are weighed together; further ones are taken for what they read. */
const TOGETHER = 8;
/** Standard deviations beyond which the difference is told. */
const TOLD = 3;

/** A figure further off than this share is of something else: the small battery, the other side of the contactors. */
const ANOTHER = 0.3;

/** Readings further apart than this are of two moments, s. */
const APART_S = 30;

/**
 * Holds the pack's own voltage against the sum of its channels. At rest where the record has a rest, else under load with a wider scatter.
 * @returns null where the record holds no pack voltage, or never all channels beside it
 */
export function packTotalOf(record: ScanRecord, pack: Pack): PackTotal | null {
  const { packVoltageV: total, currentA } = record;
  if (!total) return null;
  const stillA = STILL_C * pack.profile.ratedCapacityAh;
  const stride = Math.max(1, Math.floor(total.timeS.length / MOST_MOMENTS));
  const moments: { still: boolean; packV: number; sumV: number }[] = [];
  for (let k = 0; k < total.timeS.length; k += stride) {
    const [t, packV] = [total.timeS[k]!, total.value[k]!];
    const sumV = record.voltageV.reduce((sum, s) => {
      const i = indexAt(s.timeS, t);
      return i >= 0 && t - s.timeS[i]! <= APART_S ? sum + s.value[i]! : NaN;
    }, 0);
    if (Number.isNaN(packV) || Number.isNaN(sumV)) continue;
    const i = currentA ? indexAt(currentA.timeS, t) : -1;
    moments.push({ still: i < 0 || Math.abs(currentA!.value[i]!) < stillA, packV, sumV });
  }
  const still = moments.filter((m) => m.still);
  const used = still.length > 0 ? still : moments;
  if (used.length === 0) return null;
  const packV = median(used.map((m) => m.packV));
  const missesV = median(used.map((m) => m.packV - m.sumV));
  if (Math.abs(missesV) > ANOTHER * packV) return null;
  const sdV =
    Math.hypot(PACK_SHARE * packV, CHANNEL_V * Math.sqrt(pack.channels.length)) *
    (still.length > 0 ? 1 : UNDER_LOAD);
  return { packV, sumV: packV - missesV, missesV, sdV, says: '' };
}

const normal = (x: number, sd: number): number => Math.exp(-0.5 * (x / sd) ** 2);

/** How likely the difference is if the channels of `open` read wrong by their gaps, each as likely as given. */
function likelihood(missesV: number, sdV: number, open: readonly { gapV: number; wrong: number }[]): number {
  const [first, ...rest] = open;
  if (!first) return normal(missesV, sdV);
  return (
    first.wrong * likelihood(missesV + first.gapV, sdV, rest) +
    (1 - first.wrong) * likelihood(missesV, sdV, rest)
  );
}

const wrongOf = (f: ChannelFinding): number =>
  f.verdict === 'sense-fault'
    ? f.confidence
    : (f.alternatives.find((a) => a.verdict === 'sense-fault')?.confidence ?? 0.01);

/**
 * Weighs findings by the pack's own voltage: a channel that truly is as low as it reads is missing from it too; one that is only read low leaves
 * the sum short of it. The other odd channels are weighed along, each by what is known of it.
 * @param settledV volts of each channel at rest
 */
export function weighPackVoltage(
  findings: readonly ChannelFinding[],
  total: PackTotal | null,
  settledV: readonly number[],
  pack: Pack,
): { findings: ChannelFinding[]; total: PackTotal | null } {
  if (!total) return { findings: [...findings], total };
  const odd = new Set(findings.map((f) => f.channel));
  const typicalV = median(
    pack.channels.filter((c) => !odd.has(c.id)).map((c) => settledV[c.index]! / c.cells),
  );
  const rows = findings.map((f) => {
    const { index, cells } = pack.channels.find((c) => c.id === f.channel)!;
    return { f, gapV: settledV[index]! - typicalV * cells, wrong: wrongOf(f) };
  });
  const widest = [...rows].sort((a, b) => Math.abs(b.gapV) - Math.abs(a.gapV)).slice(0, TOGETHER);
  const { missesV, sdV } = total;
  const told = (wrong: boolean): string =>
    `The vehicle reads ${total.packV.toFixed(1)} V of the pack, its channels add up to ${total.sumV.toFixed(1)} V: ${
      wrong
        ? 'what the channel lacks is there, so its reading is wrong.'
        : 'what the channel lacks is lacking.'
    }`;
  const weighed = rows.map(({ f, gapV }): ChannelFinding => {
    // A gap within the scatter of the total is no matter of it.
    if (Number.isNaN(gapV) || Math.abs(gapV) < sdV) return f;
    const others = widest.filter((r) => r.f !== f && !Number.isNaN(r.gapV));
    const of = (v: Verdict): number =>
      likelihood(v === 'sense-fault' ? missesV + gapV : missesV, sdV, others);
    return weighBy(f, of, told, { surestWrong: 0.9 });
  });
  return { findings: weighed, total: { ...total, says: saysOf(total, rows) } };
}

/** What a difference that no scatter explains leaves to be done. */
function saysOf({ missesV, sdV, packV, sumV }: PackTotal, rows: readonly { gapV: number }[]): string {
  if (Math.abs(missesV) < TOLD * sdV) return '';
  const explained = rows.some(({ gapV }) => Math.abs(missesV + gapV) < TOLD * sdV);
  const beside = `The vehicle reads ${packV.toFixed(1)} V of the pack, its channels add up to ${sumV.toFixed(1)} V`;
  return explained
    ? `${beside}: one channel’s reading may be what is wrong.`
    : `${beside}, ${Math.abs(missesV).toFixed(1)} V ${missesV > 0 ? 'less' : 'more'}. The pack’s own sensor, or channels that read wrong: meter the pack, then the channels.`;
}
