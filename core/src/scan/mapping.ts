import type { Pack } from '../pack';

/** `date-dmy` and `date-mdy` are clocks whose dates are written in figures, day or month first. */
export const TIME_UNITS = ['s', 'ms', 'min', 'h', 'clock', 'date-dmy', 'date-mdy'] as const;
export type TimeUnit = (typeof TIME_UNITS)[number];

/** What a column (wide) or a signal name (long) stands for. */
export type Target =
  | { kind: 'time'; unit: TimeUnit }
  | { kind: 'current'; unit: 'A' | 'mA'; positive: 'discharge' | 'charge' }
  | { kind: 'temperature'; unit: 'C' | 'F' | 'K' }
  | { kind: 'soc'; unit: 'percent' | 'fraction' }
  | { kind: 'pack-voltage'; unit: 'V' | 'mV' }
  | { kind: 'insulation'; unit: 'ohm' | 'kohm' | 'Mohm' }
  | { kind: 'channel'; channelIndex: number; unit: 'V' | 'mV' }
  | { kind: 'ignore' };

/** How a file's columns are to be read. */
export interface ColumnMapping {
  layout: 'wide' | 'long';
  delimiter: string;
  decimal: '.' | ',';
  /** One target per column of a wide file. In a long file: time, then `signalColumn` and `valueColumn`. */
  targets: Target[];
  signalColumn?: number | undefined;
  valueColumn?: number | undefined;
  /** What the signals of a long file, or of a decoded log, stand for, where the guess was changed. */
  signals?: Record<string, Target> | undefined;
  /** Seconds from row to row of a table that has no time, as somebody said. */
  intervalS?: number | undefined;
  /** A person has confirmed which way the current counts. */
  directionConfirmed?: boolean | undefined;
}

const unitOf = (name: string): string =>
  (/[[(_\s/]\s*([a-zA-Z%°µ]+)[\])]?\s*$/.exec(name)?.[1] ?? '').toLowerCase();

/** What the vehicle reports of the whole pack: its own sum of volts, its own insulation. Null for any other heading. */
function packFigure(bare: string, volts: 'V' | 'mV'): Target | null {
  if (/insul|isol|r.?iso\b/.test(bare)) {
    const prefix = /\b(k|m)?(?:ilo|ega)?\s?(?:ohms?|ω|Ω)(?=$|[\])\s])/.exec(bare.replaceAll('_', ' '));
    // Without its unit a figure may be off a thousand times, and a leak pass for none: somebody has to say it.
    if (!prefix) return { kind: 'ignore' };
    return { kind: 'insulation', unit: prefix[1] === 'k' ? 'kohm' : prefix[1] === 'm' ? 'Mohm' : 'ohm' };
  }
  // The small battery of the vehicle is no pack.
  if (/12.?v|aux|starter|low.?v|\blv/.test(bare)) return null;
  return /(pack|total|sum|battery|hv|bus|traction|string).?(u\b|v\b|v_|volt|spannung)|^[uv].?(pack|total|batt|hv)/.test(
    bare,
  )
    ? { kind: 'pack-voltage', unit: volts }
    : null;
}

/** Reads a heading such as `time_s`, `I (mA)`, `Temp °F`, `Cell 12 [mV]`; channel numbers are left as printed. */
export function guessTarget(
  name: string,
  pack: Pack,
): Target | { kind: 'numbered'; number: number; unit: 'V' | 'mV' } {
  const bare = name.trim().toLowerCase();
  const unit = unitOf(name.trim());
  const stem = bare.replace(/[[(_\s/]*\s*(mv|v)[\])]?$/, '');
  const known = pack.channels.find((c) => c.id.toLowerCase() === stem || c.id.toLowerCase() === bare);
  const volts = unit === 'mv' ? 'mV' : 'V';
  if (known) return { kind: 'channel', channelIndex: known.index, unit: volts };
  if (/^(time|t|timestamp|date|clock|elapsed|seconds|sec|zeit|uhrzeit)(\b|_)|^time/.test(bare)) {
    if (unit === 'ms' || /millis/.test(bare)) return { kind: 'time', unit: 'ms' };
    if (unit === 'min') return { kind: 'time', unit: 'min' };
    if (unit === 'h') return { kind: 'time', unit: 'h' };
    return { kind: 'time', unit: /clock|date|stamp|uhrzeit/.test(bare) ? 'clock' : 's' };
  }
  if (/soc|state.?of.?charge|charge.?level/.test(bare))
    return { kind: 'soc', unit: unit === 'fraction' || unit === 'frac' ? 'fraction' : 'percent' };
  if (/temp|°c|°f/.test(bare))
    return { kind: 'temperature', unit: unit === '°f' || unit === 'f' ? 'F' : unit === 'k' ? 'K' : 'C' };
  if (/current|strom|amps?\b|^i\b|^i_/.test(bare))
    return {
      kind: 'current',
      unit: unit === 'ma' ? 'mA' : 'A',
      positive: /charge.?positive/.test(bare) ? 'charge' : 'discharge',
    };
  const ofPack = packFigure(bare, volts);
  if (ofPack) return ofPack;
  const numbered =
    /^(?:cell|ch|channel|group|block|v|u|volt(?:age)?|cell.?volt(?:age)?|zelle|cv)[\s_#.-]*0*(\d{1,3})(?:\D|$)/.exec(
      bare,
    );
  if (numbered) return { kind: 'numbered', number: Number(numbered[1]), unit: volts };
  return { kind: 'ignore' };
}

/** Guesses all columns of a heading. Numbered channels count from whichever of 0 or 1 the file begins with. */
export function guessTargets(names: string[], pack: Pack): Target[] {
  const raw = names.map((n) => guessTarget(n, pack));
  const numbers = raw.flatMap((t) => (t.kind === 'numbered' ? [t.number] : []));
  const first = numbers.includes(0) ? 0 : 1;
  return raw.map((t) => {
    if (t.kind !== 'numbered') return t;
    const channelIndex = t.number - first;
    return channelIndex < pack.channels.length
      ? { kind: 'channel', channelIndex, unit: t.unit }
      : { kind: 'ignore' };
  });
}

/** A heading met before, with what its columns were said to be. */
export interface KnownHeading {
  names: string[];
  mapping: ColumnMapping;
}
export const sameHeading = (a: string[], b: string[]): boolean =>
  a.length === b.length && a.every((n, i) => n.trim().toLowerCase() === b[i]!.trim().toLowerCase());
