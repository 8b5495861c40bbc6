import type { Pack } from '@cellmend/core/pack';
import type { Spread, SpreadReport } from '@cellmend/core/spread';
import { fixed } from '../ui/words';
import type { GroupMark, Layer, ModuleMark } from './view';

const noMarks = (): Map<number, ModuleMark> => new Map();

/** Marks that stay on every layer: suspects from the findings, replaced modules from the decisions. */
export function moduleMarks(
  pack: Pack,
  report: SpreadReport | null,
  replaced: readonly string[],
): Map<number, ModuleMark> {
  const marks = noMarks();
  for (const m of pack.modules) {
    const own = report?.findings.filter((f) => f.module.split(' + ').includes(m.id)) ?? [];
    if (replaced.includes(m.id)) marks.set(m.index, { state: 'replaced' });
    else if (own.some((f) => f.verdict === 'dead')) marks.set(m.index, { state: 'condemned' });
    else if (own.some((f) => f.verdict !== 'undetermined')) marks.set(m.index, { state: 'suspect' });
  }
  return marks;
}

/** Voltage against the pack's median at one end. The scale ends at the widest deviation, at least 20 mV. */
export function deviationLayer(
  pack: Pack,
  spread: Spread | null,
  report: SpreadReport | null,
  replaced: readonly string[],
  end: string,
): Layer {
  const groups = new Map<number, GroupMark>();
  const widest = Math.max(20, ...(spread?.channels.map((c) => Math.abs(c.deviationMv)) ?? []));
  for (const c of pack.channels) {
    const deviation = spread?.channels[c.index]?.deviationMv;
    const unknown =
      report?.findings.some((f) => f.channelIndex === c.index && f.verdict === 'undetermined') ?? false;
    groups.set(c.index, {
      scale:
        deviation === undefined || Number.isNaN(deviation)
          ? null
          : Math.sign(deviation) * Math.sqrt(Math.abs(deviation) / widest),
      unknown,
    });
  }
  return {
    id: 'deviation',
    name: 'Deviation',
    caption: spread ? end : report ? 'no rest in the record' : 'no scan yet',
    groups,
    modules: moduleMarks(pack, report, replaced),
    legend: spread ? { low: `−${fixed(widest, 0)} mV`, high: `+${fixed(widest, 0)} mV` } : null,
  };
}

/** Capacity against the typical channel, ± 20 % at the ends of the scale. */
export function capacityLayer(pack: Pack, report: SpreadReport | null, replaced: readonly string[]): Layer {
  const groups = new Map<number, GroupMark>();
  for (const c of report?.channels ?? [])
    groups.set(c.channelIndex, { scale: Math.max(-1, Math.min(1, (c.capacityRatio.value - 1) / 0.2)) });
  return {
    id: 'capacity',
    name: 'Capacity',
    caption: report ? 'estimated from the scan' : 'no scan yet',
    groups,
    modules: moduleMarks(pack, report, replaced),
    legend: report ? { low: '−20 %', high: '+20 %' } : null,
  };
}
