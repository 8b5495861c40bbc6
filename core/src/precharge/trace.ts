import Papa from 'papaparse';
import { InputProblem } from '../problem';

/** Bus voltage as it came while the vehicle was switched ready, and off again where that was seen too. */
export interface BusTrace {
  timeS: number[];
  busV: number[];
  /** Of the pack itself, where it was logged beside. */
  packV?: number[] | undefined;
}
const HEADS = {
  time: /^(time|zeit|t)\b|^t$|second|^s$|^ms$/i,
  pack: /pack|batt/i,
  bus: /bus|link|inverter|^u|volt|^v/i,
};
/**
 * A trace as a meter, a scope or a logger writes it, or as somebody types it: a line each, time then volts, a third column the pack.
 * A heading may name them; times in ms where it says so.
 * @throws InputProblem with the line that cannot be read
 */
export function readBusTrace(text: string): BusTrace {
  const trimmed = text.trim();
  // A decimal comma stands beside spaces or semicolons, never beside commas that part figures.
  const delimiter = trimmed.includes('\t')
    ? '\t'
    : trimmed.includes(';')
      ? ';'
      : /\d +[-\d]/.test(trimmed)
        ? ' '
        : ',';
  const even = delimiter === ' ' ? trimmed.replace(/ +/g, ' ') : trimmed;
  const rows = Papa.parse<string[]>(even, { delimiter, skipEmptyLines: true }).data.map((r) =>
    r.map((c) => c.trim()).filter((c) => c !== ''),
  );
  const number = (cell: string | undefined): number =>
    cell === undefined || !/^[-+]?[\d.,]+(e[-+]?\d+)?$/i.test(cell) ? NaN : Number(cell.replace(',', '.'));
  const headed = rows.length > 0 && rows[0]!.some((c) => Number.isNaN(number(c)));
  const head = headed ? rows[0]! : [];
  const find = (wanted: RegExp, not: readonly number[]): number =>
    head.findIndex((h, i) => wanted.test(h) && !not.includes(i));
  const time = Math.max(0, find(HEADS.time, []));
  const pack = headed ? find(HEADS.pack, [time]) : (rows[0]?.length ?? 0) > 2 ? 2 : -1;
  const bus =
    headed && find(HEADS.bus, [time, pack]) !== -1 ? find(HEADS.bus, [time, pack]) : time === 0 ? 1 : 0;
  const factor = /(^|[^a-z])ms([^a-z]|$)|milli/i.test(head[time] ?? '') ? 1e-3 : 1;
  const out: Required<BusTrace> = { timeS: [], busV: [], packV: [] };
  rows.slice(headed ? 1 : 0).forEach((r, i) => {
    const [s, v, p] = [number(r[time]), number(r[bus]), pack === -1 ? NaN : number(r[pack])];
    const line = i + (headed ? 2 : 1);
    if (!Number.isFinite(s) || !Number.isFinite(v))
      throw new InputProblem(
        'bus',
        `Line ${line}, “${r.join(' ')}”, is no time with volts.`,
        `line ${line}`,
        '0.12 214: seconds, then volts of the bus; a third figure is the pack.',
      );
    // A logger whose clock is coarse writes one time several times: the last of them stands for it.
    const again = s * factor === out.timeS.at(-1);
    if (again) {
      out.busV[out.busV.length - 1] = v;
      if (Number.isFinite(p) && out.packV.length > 0) out.packV[out.packV.length - 1] = p;
      return;
    }
    out.timeS.push(s * factor);
    out.busV.push(v);
    if (Number.isFinite(p)) out.packV.push(p);
  });
  return out.packV.length === out.timeS.length ? out : { timeS: out.timeS, busV: out.busV };
}

/**
 * A long trace with no more readings than `most`: all of them around the rise and the fall as far as there is room, every so many
 * elsewhere. Where the main closes nothing is left out that is needed to see it.
 */
export function thinTrace(trace: BusTrace, most: number): BusTrace {
  const n = trace.timeS.length;
  if (n <= most) return trace;
  const top = trace.busV.reduce((m, v) => Math.max(m, v), -Infinity);
  const on = Math.max(0, trace.busV.findIndex((v) => v >= 0.05 * top) - 20);
  const full = Math.min(n - 1, trace.busV.findIndex((v, i) => i > on && v >= 0.985 * top) + 20);
  const dense = Math.max(1, Math.ceil((full - on + 1) / (0.6 * most)));
  const sparse = Math.max(1, Math.ceil((n - (full - on)) / (0.35 * most)));
  const keep = trace.timeS.map((_, i) =>
    i >= on && i <= full ? (i - on) % dense === 0 : i % sparse === 0 || i === n - 1,
  );
  const pick = (v: number[]): number[] => v.filter((_, i) => keep[i]);
  return {
    timeS: pick(trace.timeS),
    busV: pick(trace.busV),
    ...(trace.packV ? { packV: pick(trace.packV) } : {}),
  };
}

/** Which signals of a vehicle are its bus and its pack, by their names and units; null where none is. */
export function busSignals(
  signals: readonly { name: string; unit: string }[],
): { bus: string; pack: string | null } | null {
  const volts = signals.filter((s) => /^m?v$/i.test(s.unit));
  const bus = volts.find((s) => /bus|dc.?link|link.?v|inverter/i.test(s.name));
  const pack = volts.find((s) => s !== bus && /pack|batt/i.test(s.name) && !/cell/i.test(s.name));
  return bus ? { bus: bus.name, pack: pack?.name ?? null } : null;
}
