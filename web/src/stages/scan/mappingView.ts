import type { ScanPreview } from '@cellmend/contract/scans';
import { possibleV, type Pack } from '@cellmend/core/pack';
import { dateOrder, type Target } from '@cellmend/core/scan';

/** One column or signal as a person sees it: its name, some values, and what it stands for. */
export interface Row {
  index: number;
  name: string;
  sample: string;
  target: Target;
}

/** Kinds as the page offers them; the value of an option says kind and unit. */
export const CHOICES: { value: string; name: string; target: Target }[] = [
  { value: 'ignore', name: 'Not used', target: { kind: 'ignore' } },
  { value: 'time:s', name: 'Time, seconds', target: { kind: 'time', unit: 's' } },
  { value: 'time:ms', name: 'Time, milliseconds', target: { kind: 'time', unit: 'ms' } },
  { value: 'time:min', name: 'Time, minutes', target: { kind: 'time', unit: 'min' } },
  { value: 'time:h', name: 'Time, hours', target: { kind: 'time', unit: 'h' } },
  { value: 'time:clock', name: 'Time of day or date', target: { kind: 'time', unit: 'clock' } },
  { value: 'time:date-dmy', name: 'Date, day first', target: { kind: 'time', unit: 'date-dmy' } },
  { value: 'time:date-mdy', name: 'Date, month first', target: { kind: 'time', unit: 'date-mdy' } },
  {
    value: 'current:A:discharge',
    name: 'Current, A, discharge positive',
    target: { kind: 'current', unit: 'A', positive: 'discharge' },
  },
  {
    value: 'current:A:charge',
    name: 'Current, A, charge positive',
    target: { kind: 'current', unit: 'A', positive: 'charge' },
  },
  {
    value: 'current:mA:discharge',
    name: 'Current, mA, discharge positive',
    target: { kind: 'current', unit: 'mA', positive: 'discharge' },
  },
  {
    value: 'current:mA:charge',
    name: 'Current, mA, charge positive',
    target: { kind: 'current', unit: 'mA', positive: 'charge' },
  },
  { value: 'temperature:C', name: 'Temperature, °C', target: { kind: 'temperature', unit: 'C' } },
  { value: 'temperature:F', name: 'Temperature, °F', target: { kind: 'temperature', unit: 'F' } },
  { value: 'temperature:K', name: 'Temperature, K', target: { kind: 'temperature', unit: 'K' } },
  { value: 'soc:percent', name: 'State of charge, %', target: { kind: 'soc', unit: 'percent' } },
  { value: 'soc:fraction', name: 'State of charge, 0 to 1', target: { kind: 'soc', unit: 'fraction' } },
  { value: 'pack-voltage:V', name: 'Pack voltage, V', target: { kind: 'pack-voltage', unit: 'V' } },
  { value: 'insulation:kohm', name: 'Insulation, kΩ', target: { kind: 'insulation', unit: 'kohm' } },
  { value: 'insulation:Mohm', name: 'Insulation, MΩ', target: { kind: 'insulation', unit: 'Mohm' } },
  { value: 'insulation:ohm', name: 'Insulation, Ω', target: { kind: 'insulation', unit: 'ohm' } },
];

export function valueOf(target: Target, pack: Pack): string {
  switch (target.kind) {
    case 'channel':
      return `channel:${pack.channels[target.channelIndex]?.id ?? ''}:${target.unit}`;
    case 'ignore':
      return 'ignore';
    case 'current':
      return `current:${target.unit}:${target.positive}`;
    default:
      return `${target.kind}:${target.unit}`;
  }
}

export function targetOf(value: string, pack: Pack): Target {
  const [kind, id, unit] = value.split(':');
  if (kind === 'channel')
    return {
      kind,
      channelIndex: pack.channels.findIndex((c) => c.id === id),
      unit: unit === 'mV' ? 'mV' : 'V',
    };
  return CHOICES.find((c) => c.value === value)!.target;
}

/** Columns of a wide table, or signals of a long one or of a log. */
export function rowsOf(preview: ScanPreview): Row[] {
  if (preview.mapping.layout === 'long')
    return preview.signals.map((s, index) => ({ index, name: s.name, sample: s.sample, target: s.target }));
  return preview.names.map((name, index) => ({
    index,
    name,
    sample: preview.rows
      .slice(0, 3)
      .map((r) => r[index] ?? '')
      .join('  '),
    target: preview.mapping.targets[index] ?? { kind: 'ignore' },
  }));
}

/** What keeps a mapping from being used, in words; null if nothing does. */
/** Several rows and no time among the columns. */
export const needsInterval = (rows: readonly Row[], preview: ScanPreview): boolean =>
  preview.mapping.layout === 'wide' && preview.rows.length > 1 && !rows.some((r) => r.target.kind === 'time');

export function lackOf(
  rows: readonly Row[],
  preview: ScanPreview,
  pack: Pack,
  intervalS: number | null = null,
): string | null {
  const channels = rows.flatMap((r) => (r.target.kind === 'channel' ? [r.target.channelIndex] : []));
  const twice = channels.find((c, i) => channels.indexOf(c) < i);
  if (twice !== undefined) return `Two columns stand for ${pack.channels[twice]!.id}.`;
  const missing = pack.channels.filter((c) => !channels.includes(c.index));
  if (missing.length > 0)
    return `${missing.length} of ${pack.channels.length} channels are not named yet: ${missing
      .slice(0, 4)
      .map((c) => c.id)
      .join(', ')}${missing.length > 4 ? ' …' : ''}`;
  if (needsInterval(rows, preview) && !(intervalS && intervalS > 0))
    return 'No column is the time: how many seconds are there from row to row?';
  const dates = rows.find((r) => r.target.kind === 'time' && r.target.unit === 'clock');
  if (dates && dateOrder(dates.sample.split('  ')[0] ?? '') === null)
    return `Does ${dates.name} say day or month first? ${dates.sample.split('  ')[0]}`;
  return null;
}

/** Unit in which a column's first value could be a channel of this pack; null if it cannot be one. */
export function channelUnit(sample: string, pack: Pack): 'V' | 'mV' | null {
  const first = Number((/-?\d+(?:[.,]\d+)?/.exec(sample)?.[0] ?? 'x').replace(',', '.'));
  const cells = pack.channels[0]!.cells;
  const likely = (v: number): boolean => v > 0.3 * cells && v <= possibleV(pack.profile, cells).mostV;
  return likely(first) ? 'V' : likely(first / 1000) ? 'mV' : null;
}

/** Columns nobody reads yet that could be channels become the missing ones, in the order of the file. */
export function fillChannels(rows: readonly Row[], pack: Pack): Row[] {
  const taken = new Set(rows.flatMap((r) => (r.target.kind === 'channel' ? [r.target.channelIndex] : [])));
  const free = pack.channels.filter((c) => !taken.has(c.index));
  return rows.map((r) => {
    const unit = r.target.kind === 'ignore' ? channelUnit(r.sample, pack) : null;
    const channel = unit && free.shift();
    return channel ? { ...r, target: { kind: 'channel', channelIndex: channel.index, unit } } : r;
  });
}

/** The mapping with what the rows say now. */
export function mappingFrom(
  rows: readonly Row[],
  preview: ScanPreview,
  intervalS: number | null = null,
): ScanPreview['mapping'] {
  const { mapping } = preview;
  const directionConfirmed = rows.some((r) => r.target.kind === 'current' && r.target.positive === 'charge');
  return {
    ...mapping,
    ...(mapping.layout === 'wide'
      ? { targets: rows.map((r) => r.target) }
      : { signals: Object.fromEntries(rows.map((r) => [r.name, r.target])) }),
    ...(intervalS && needsInterval(rows, preview) ? { intervalS } : {}),
    ...(directionConfirmed ? { directionConfirmed } : {}),
  };
}

/** The same mapping with the direction of the current as somebody confirmed it. */
export function withDirection(
  preview: ScanPreview,
  positive: 'discharge' | 'charge',
): ScanPreview['mapping'] {
  const rows = rowsOf(preview).map((r): Row =>
    r.target.kind === 'current' ? { ...r, target: { ...r.target, positive } } : r,
  );
  return { ...mappingFrom(rows, preview), directionConfirmed: true };
}
