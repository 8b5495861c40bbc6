import type { LinkSpec, Pack } from '../pack';
import { locateLeak, normalShareBelow, type LeakLocation } from './location';
import { spokenOf } from './judgeTest';
import { MISSED } from './split';
import type { InsulationObservation, PartRow, TestRow } from './types';

type Poles = Extract<InsulationObservation, { kind: 'poles' }>;

/** A part whose leak is this many times what the whole string shows is not where the leak is. From memory. */
const NOT_HERE = 20;

/**
 * Judges the voltages of separated parts. A part that draws the chassis to itself with about the resistance of the leak
 * holds it; one that shows many times that resistance does not.
 */
export function judgeParts(
  poles: readonly Poles[],
  position: ReadonlyMap<string, number>,
  whole: LeakLocation | null,
): PartRow[] {
  return poles.flatMap((o): PartRow[] => {
    if (!o.section || o.side === 'vehicle') return [];
    const [from, to] = [position.get(o.section.from) ?? 0, position.get(o.section.to) ?? 0].sort(
      (a, b) => a - b,
    ) as [number, number];
    const location = locateLeak(o);
    const { low, high } = location.equivalentOhm;
    // Without a figure for the whole string, what a healthy part shows is the measure.
    const size = whole?.equivalentOhm.high ?? 1e6;
    const outcome = high <= 2 * size ? 'leak' : low >= NOT_HERE * size ? 'pass' : 'doubtful';
    return [{ from, to, location, outcome }];
  });
}

/** Shares out what a part that leaks holds by its own ladder; the rest stays as it is. */
export function withinPart(
  probability: readonly number[],
  row: PartRow,
  moduleV: readonly number[],
): number[] {
  const p = [...probability];
  if (row.outcome !== 'leak' || !row.location.identifiable) return p;
  const { value, low, high } = row.location.fraction;
  const total = moduleV.slice(row.from, row.to + 1).reduce((a, b) => a + b, 0);
  const sd = (side: number): number => Math.max(0.015, side / 2);
  const below = (x: number): number =>
    normalShareBelow((x - value) / (x < value ? sd(value - low) : sd(high - value)));
  let at = 0;
  const inside = p.slice(row.from, row.to + 1).map((x, i) => {
    const next = at + moduleV[row.from + i]! / total;
    const here = below(next) - below(at);
    at = next;
    return x * (MISSED + (1 - MISSED) * here);
  });
  // The ladder shares out what the part holds; how much that is has been weighed already.
  const sum = (v: readonly number[]): number => v.reduce((x, y) => x + y, 0);
  const share = sum(p.slice(row.from, row.to + 1)) / (sum(inside) || 1);
  return p.map((x, i) => (i < row.from || i > row.to ? x : inside[i - row.from]! * share));
}

/**
 * Links that are out now: the newest word of each counts, and a part that was tested apart had its links out, unless
 * somebody put them back since.
 */
export function linksOut(
  observations: readonly InsulationObservation[],
  links: readonly (LinkSpec | null)[],
  position: ReadonlyMap<string, number>,
): string[] {
  const out = new Map<string, boolean>();
  for (const o of observations) {
    if (o.kind === 'link') out.set(o.link, o.open);
    if (o.kind === 'tester') for (const id of o.openLinks ?? []) out.set(id, true);
    const section =
      o.kind === 'tester' && o.tested.part === 'section'
        ? o.tested
        : o.kind === 'poles'
          ? o.section
          : undefined;
    if (!section) continue;
    const [from, to] = [position.get(section.from) ?? 0, position.get(section.to) ?? 0].sort((a, b) => a - b);
    for (const at of [from! - 1, to!]) {
      const link = links[at];
      if (link) out.set(link.id, true);
    }
  }
  return [...out].filter(([, open]) => open).map(([id]) => id);
}

/**
 * Sections that a test, or the voltages of their own ends, called clean; a test of one alone that leaks takes it back. Tests
 * count after voltages, in their order.
 */
export function cleanSections(
  count: number,
  tests: readonly TestRow[],
  parts: readonly PartRow[],
): boolean[] {
  const clean = new Array<boolean>(count).fill(false);
  const mark = (at: readonly number[], outcome: string): void => {
    for (const i of at)
      if (outcome === 'pass') clean[i] = true;
      else if (outcome === 'leak' && at.length === 1) clean[i] = false;
  };
  for (const p of parts)
    mark(
      Array.from({ length: p.to - p.from + 1 }, (_, k) => p.from + k),
      p.outcome,
    );
  for (const t of tests) mark(spokenOf(t), t.result.verdict);
  return clean;
}

/** Volts typed at places, newest last. */
export interface TypedVoltage {
  place: string;
  voltageV: number;
}
/** Fewer typed voltages of a kind than this compare with nothing. */
const ENOUGH = 3;

/**
 * How far each module's lowest typed voltage lies below what is usual among those typed, mV; null where nothing
 * is typed of it. Modules are compared with modules, channels with channels.
 */
export function lowestTyped(pack: Pack, typed: readonly TypedVoltage[]): (number | null)[] {
  const lowest: (number | null)[] = pack.modules.map(() => null);
  const compare = (of: { module: number; groupV: number; groups: number }[]): void => {
    if (of.length < ENOUGH) return;
    const usual = of.map((x) => x.groupV).sort((a, b) => a - b)[Math.floor(of.length / 2)]!;
    for (const { module, groupV, groups } of of)
      lowest[module] = Math.min(lowest[module] ?? Infinity, 1000 * groups * (groupV - usual));
  };
  const newest = new Map(typed.map((t) => [t.place, t.voltageV]));
  compare(
    pack.modules.flatMap((m, module) => {
      const v = newest.get(m.id);
      const groups = m.groupIndices.length;
      return v === undefined ? [] : [{ module, groupV: v / groups, groups }];
    }),
  );
  compare(
    pack.modules.flatMap((m, module) =>
      m.channelIndices.flatMap((c) => {
        const channel = pack.channels[c]!;
        const v = newest.get(channel.id);
        return v === undefined ? [] : [{ module, groupV: v / channel.cells, groups: channel.cells }];
      }),
    ),
  );
  return lowest;
}
