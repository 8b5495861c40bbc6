import { factsOf, type Measured, type Pack } from '@cellmend/core/pack';
import type { CostedFinding, SpreadReport } from '@cellmend/core/diagnosis';
import { heldFromTo, sureness, verdictName } from '@cellmend/core/diagnosis';
import { distance } from '../../ui/units';
import { channelList, fixed, percent, upper } from '../../ui/words';

/** Channels of one module with the same verdict, as one suspect. */
export interface Suspect {
  key: string;
  module: string;
  verdict: CostedFinding['verdict'];
  title: string;
  confidence: number | null;
  /** In electrical order. */
  channels: CostedFinding[];
  worst: CostedFinding;
  costKm: Measured;
  costAh: Measured;
  line: string;
}

/** What a suspect costs, as far as it is measured and more than nothing: `31 km`, else `6.2 A·h`, else empty. */
export function costOf({ costKm, costAh }: Pick<CostedFinding, 'costKm' | 'costAh'>): string {
  if (costKm.measured && costKm.value >= 0.5) return distance(costKm.value);
  return costAh.measured && costAh.value >= 0.2 ? `${fixed(costAh.value, 1)} A·h` : '';
}

const levelIs = (pack: Pack): string =>
  factsOf(pack.profile.chemistry).flat
    ? 'out of balance or, on this flat curve, short of lithium'
    : 'only out of balance';

/** How the lines of charge between two rests are read, or what draws them: on a flat curve lost lithium lies as level as missing charge. */
export function tiltReads({ tilt, nearFull, nearEmpty }: Ends, pack: Pack): string {
  if (tilt)
    return `Charge against the pack’s median. A line that tilts loses capacity; a level line that lies low is ${levelIs(pack)}.`;
  const missing = nearFull ? 'near empty' : nearEmpty ? 'near full' : 'near full and one near empty';
  return `A rest ${missing} as well would draw a line for each channel: one that tilts loses capacity, a level one is ${levelIs(pack)}. Another record will do; both are put on one time line.`;
}
type Ends = Pick<SpreadReport, 'tilt' | 'nearFull' | 'nearEmpty'>;

/** Suspects in order of what they cost. */
export function suspectsOf(report: SpreadReport): Suspect[] {
  const groups = new Map<string, CostedFinding[]>();
  for (const f of report.findings) {
    const key = `${f.module}|${f.verdict}`;
    groups.set(key, [...(groups.get(key) ?? []), f]);
  }
  return [...groups].map(([key, channels]): Suspect => {
    const first = channels[0]!;
    const worst = channels[0]!;
    const sorted = [...channels].sort((a, b) => a.channelIndex - b.channelIndex);
    const list = channelList(sorted.map((c) => c.channel));
    const told = costOf(worst);
    const cost = told && `costs ${told}`;
    return {
      key,
      module: first.module,
      verdict: first.verdict,
      title: upper(verdictName(first.verdict)),
      confidence: first.verdict === 'undetermined' ? null : sureness(channels, first),
      channels: sorted,
      worst,
      costKm: worst.costKm,
      costAh: worst.costAh,
      line: [list, magnitude(worst), cost].filter(Boolean).join(' · '),
    };
  });
}

/** Whether a suspect is mended by another module: a reading is not, and where it may be a joint that is looked at first. */
export const comesOut = ({ verdict, channels }: Suspect): boolean =>
  ['low-capacity', 'dead', 'self-discharge'].includes(verdict) ||
  (verdict === 'high-resistance' && channels.some((c) => c.seat === 'cell'));

/** Modules to offer for coming out: leaking ones, then suspects that another module mends, then the others. */
export const offeredOf = (suspects: readonly Suspect[], leaking: readonly string[] = []): string[] => [
  ...new Set([
    ...leaking,
    ...[...suspects.filter(comesOut), ...suspects].flatMap((s) => s.module.split(' + ')),
  ]),
];

/** The estimate in the trade's words. */
export function magnitude(f: CostedFinding): string {
  const e = f.estimate;
  if (f.absolute === 'over-charged') return 'over-charged until a meter says otherwise';
  if (f.absolute === 'reversed') return 'reversed';
  if (f.verdict === 'undetermined')
    return `could be ${f.alternatives.map((a) => verdictName(a.verdict)).join(' or ')}`;
  const rough = heldFromTo(e);
  if (rough) return `holds ${fixed(100 * rough.from, 0)} to ${percent(rough.to)} of the others`;
  if (e.capacityRatio !== undefined) return `holds ${percent(e.capacityRatio)} of the others`;
  if (e.deltaSocPct !== undefined)
    return `${fixed(Math.abs(e.deltaSocPct), 1)} % of charge ${e.deltaSocPct < 0 ? 'low' : 'high'}`;
  if (e.resistanceRatio !== undefined) return `${fixed(e.resistanceRatio, 2)} times the resistance`;
  if (e.leakageMilliamp !== undefined) return `leaks ${fixed(e.leakageMilliamp, 0)} mA`;
  if (e.offsetMillivolt !== undefined)
    return `reads ${fixed(Math.abs(e.offsetMillivolt), 0)} mV ${e.offsetMillivolt < 0 ? 'low' : 'high'}`;
  return '';
}

/** The headline of Findings: what it means for the job. */
export function headline(suspect: Suspect, report: SpreadReport): { title: string; text: string } {
  const worst = suspect.worst;
  const name = `${suspect.module}, ${channelList([worst.channel])}`;
  const low = report.nearEmpty?.channels[worst.channelIndex]?.deviationMv ?? null;
  const high = report.nearFull?.channels[worst.channelIndex]?.deviationMv ?? null;
  const ends =
    high !== null && low !== null
      ? `${Math.abs(high) < 8 ? 'Level with the others near full' : `${fixed(Math.abs(high), 0)} mV ${high < 0 ? 'below' : 'above'} the others near full`}, ${fixed(Math.abs(low), 0)} mV ${low < 0 ? 'below' : 'above'} near empty.`
      : '';
  switch (suspect.verdict) {
    case 'low-capacity':
      return {
        title: `${name} runs empty first: low capacity`,
        text: `It ${magnitude(worst)}${heldFromTo(worst.estimate) ? '; the record tells it no closer' : ` (± ${percent(worst.estimate.capacityRatioSd ?? 0, 1)})`}. ${ends}`,
      };
    case 'imbalance':
      return {
        title: `${suspect.module} is out of balance`,
        text: `${upper(channelList(suspect.channels.map((c) => c.channel)))}: ${magnitude(worst)}, at full and at empty alike. ${ends}`,
      };
    case 'dead':
      return {
        title: `${name} is ${worst.absolute === 'reversed' ? 'reversed' : 'dead'}`,
        text: worst.reasons[0] ?? '',
      };
    case 'undetermined':
      return { title: `${name}: this record cannot tell yet`, text: worst.reasons.join(' ') };
    default:
      return { title: `${name}: ${verdictName(suspect.verdict)}`, text: worst.reasons.slice(-1)[0] ?? '' };
  }
}
