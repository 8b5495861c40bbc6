import type { Pack } from '../pack';
import { dateOrder } from './table';
import { guessTargets, type ColumnMapping, type Target } from './mapping';

/** What a file seems to hold, for a person to confirm before it is read. */
export interface TablePreview {
  names: string[];
  /** First rows as they stand. */
  rows: string[][];
  mapping: ColumnMapping;
  /** Signals of a long table or a decoded log in order of appearance, with a value as it stands. */
  signals: { name: string; sample: string; target: Target }[];
  missingChannels: string[];
  /** Columns or signals nobody will read. */
  unused: string[];
  /** Nothing is left to ask. */
  clear: boolean;
  /** It has several rows and no time: how far they are apart has to be said. */
  untimed: boolean;
  /** The mapping was confirmed for this heading before. */
  remembered: boolean;
}

const SHOWN_ROWS = 6;

/** Looks at the heading and first rows of a table. */
export function previewTable(
  names: string[],
  rows: string[][],
  mapping: ColumnMapping,
  pack: Pack,
  remembered: boolean,
): TablePreview {
  const long = mapping.layout === 'long';
  const signals = new Map<string, { name: string; sample: string; target: Target }>();
  if (long)
    for (const row of rows) {
      const name = row[mapping.signalColumn!]?.trim() ?? '';
      if (name !== '' && !signals.has(name))
        signals.set(name, {
          name,
          sample: row[mapping.valueColumn!] ?? '',
          target: mapping.signals?.[name] ?? guessTargets([name], pack)[0]!,
        });
    }
  const list = [...signals.values()];
  const targets = long ? list.map((s) => s.target) : mapping.targets;
  const held = new Set(targets.flatMap((t) => (t.kind === 'channel' ? [t.channelIndex] : [])));
  const missingChannels = pack.channels.filter((c) => !held.has(c.index)).map((c) => c.id);
  const unused = (long ? list : names.map((name, i) => ({ name, target: mapping.targets[i]! })))
    .filter((c) => c.target.kind === 'ignore')
    .map((c) => c.name);
  const twice = targets.filter((t) => t.kind === 'channel').length > held.size;
  const timed = mapping.targets.some((t) => t.kind === 'time');
  const untimed = !timed && !long && rows.length > 1 && mapping.intervalS === undefined;
  return {
    names,
    rows: rows.slice(0, SHOWN_ROWS),
    mapping,
    signals: list,
    missingChannels,
    unused,
    clear:
      remembered ||
      ((timed || !long) &&
        !untimed &&
        missingChannels.length === 0 &&
        unused.length === 0 &&
        !twice &&
        !askDate(rows, mapping)),
    untimed,
    remembered,
  };
}

/** Dates in figures that could be read both ways: which comes first is asked once, never guessed. */
function askDate(rows: readonly string[][], mapping: ColumnMapping): boolean {
  const at = mapping.targets.findIndex((t) => t.kind === 'time');
  const time = mapping.targets[at];
  if (time?.kind !== 'time' || time.unit === 'date-dmy' || time.unit === 'date-mdy') return false;
  const orders = rows.map((r) => dateOrder(r[at] ?? '')).filter((o) => o !== undefined);
  return orders.length > 0 && orders.every((o) => o === null);
}
