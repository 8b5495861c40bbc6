import { linksInOrder } from '../safety/exposure';
import type { Pack } from '../pack';
import type { InsulationObservation, Terminals, TestedPart } from './types';

/** What a lead reaches, by position in the string. */
export interface Reach {
  /** Reached whatever is not on record: this is what a pass speaks for. */
  certain: number[];
  /** Reached perhaps: this is what a leak may sit in. */
  possible: number[];
}
const NOTHING: Reach = { certain: [], possible: [] };

/** Where the lead was, and what was open. */
export interface Clip {
  tested: TestedPart;
  /** Null where nobody said which pole. */
  terminals: Terminals | null;
  /** Links that were out. */
  open: readonly string[];
  /** Links that the record says are in: a part that was tested apart had the others at its ends out. */
  closed?: readonly string[];
}

/**
 * What carries the tester's current: from the pole that the lead is on through the modules, whose own resistance is nothing beside any
 * insulation, as far as the first link that is out. Of a part that was tested apart, the links at its ends were out, unless the record
 * says that they were in: then the lead reached beyond it.
 *
 * @returns positions in the string, rising; nothing for what is no module
 * @example
 * // The disconnect L12 is out: from one pole, one half.
 * reachOf(pack, { tested: { part: 'pack' }, terminals: 'negative', open: ['L12'] }).certain; // 0 to 11
 */
export function reachOf(pack: Pack, { tested, terminals, open, closed = [] }: Clip): Reach {
  if (tested.part === 'inside') {
    // What is clean of a piece is not clean of its module; what leaks of it leaks there.
    const at = pack.stringOrder.findIndex((m) => pack.modules[m]!.id === tested.module);
    return { certain: [], possible: at < 0 ? [] : [at] };
  }
  const ends = endsOf(pack, tested);
  if (!ends) return NOTHING;
  const { runs } = ends;
  const links = linksInOrder(pack);
  const out = new Set(open);
  const apart = new Set(runs.flatMap(([from, to]) => [from - 1, to]));
  const cut = (i: number): boolean => {
    const id = links[i]?.id;
    if (id !== undefined && out.has(id)) return true;
    // An end of what was tested apart.
    return apart.has(i) && !(tested.part === 'section' && id !== undefined && closed.includes(id));
  };
  const n = pack.stringOrder.length;
  const spread = (start: number): number[] => {
    let [from, to] = [start, start];
    while (from > 0 && !cut(from - 1)) from--;
    while (to < n - 1 && !cut(to)) to++;
    return Array.from({ length: to - from + 1 }, (_, k) => from + k);
  };
  const [low, high] = [spread(runs[0]![0]), spread(runs.at(-1)![1])];
  const union = sorted([...low, ...high]);
  if (terminals === 'negative') return { certain: low, possible: low };
  if (terminals === 'positive') return { certain: high, possible: high };
  if (terminals === 'both') return { certain: union, possible: union };
  return { certain: low.filter((i) => high.includes(i)), possible: union };
}

/** The runs of modules that were tested, by position; null for what holds none. */
function endsOf(pack: Pack, tested: TestedPart): { runs: [number, number][] } | null {
  const at = (id: string): number => pack.stringOrder.findIndex((m) => pack.modules[m]!.id === id);
  const last = pack.stringOrder.length - 1;
  switch (tested.part) {
    case 'section': {
      const [from, to] = [at(tested.from), at(tested.to)].map((i) => Math.max(0, i)).sort((a, b) => a - b);
      return { runs: [[from!, to!]] };
    }
    case 'pack':
      return { runs: [[0, last]] };
    case 'except': {
      const out = Math.max(0, at(tested.module));
      const runs = [
        [0, out - 1],
        [out + 1, last],
      ].filter(([from, to]) => from! <= to!) as [number, number][];
      return runs.length > 0 ? { runs } : null;
    }
    case 'inside':
    case 'vehicle':
    case 'other':
      return null;
  }
}

/** Which pole a test was from, where nobody said: both ends of a part that was tested apart. */
export const terminalsOf = (o: Pick<Tester, 'tested' | 'terminals'>): Terminals | null =>
  o.terminals ?? (o.tested.part === 'section' || o.tested.part === 'except' ? 'both' : null);

type Tester = Extract<InsulationObservation, { kind: 'tester' }>;

/** Links by the record of the search, at each observation: those that were out, and those that were put back. */
export function linksThen(
  observations: readonly InsulationObservation[],
): { open: string[]; closed: string[] }[] {
  const state = new Map<string, boolean>();
  return observations.map((o) => {
    if (o.kind === 'link') state.set(o.link, o.open);
    const by = (open: boolean): string[] => [...state].filter(([, x]) => x === open).map(([id]) => id);
    // What was said with the test is what was looked at; it holds the record of the whole job.
    if (o.kind === 'tester' && o.openLinks)
      return { open: [...o.openLinks], closed: by(false).filter((id) => !o.openLinks!.includes(id)) };
    return { open: by(true), closed: by(false) };
  });
}

const sorted = (of: readonly number[]): number[] => [...new Set(of)].sort((a, b) => a - b);
