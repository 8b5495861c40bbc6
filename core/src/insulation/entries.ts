import type { EntrySpec, Pack } from '../pack';
import { EVIDENCE, type LeakCause, type Seen } from './causes';
import { mudAt, mudWeight } from './outside';
import { STATE_WEIGHT, type WayKind, type WayNow } from './ways';

/** What would show that it came in there, and what keeps it out. Common practice of the trade, no source. */
export const ENTRY_ADVICE: Record<WayKind, { name: string; check: string; prevent: string }> = {
  valve: {
    name: 'breather valve',
    check: 'Look at its film against the light, then dyed water over it from outside.',
    prevent: 'A new valve of the newest revision, or the maker’s plug instead.',
  },
  bolt: {
    name: 'bolt thread',
    check: 'Dyed water over the bolt head from outside; rust along the thread.',
    prevent: 'A sealed bolt, its thread cleaned and coated.',
  },
  cover: {
    name: 'cover seam',
    check: 'The print of the old seal: a gap, a folded bead, glue on one side only.',
    prevent: 'Old glue off to the metal, new seal or sealant, cured before it gets wet.',
  },
  connector: {
    name: 'connector',
    check: 'Pins green or wet, the seal of its shell pinched or gone.',
    prevent: 'A new shell seal, plugged to its second stage.',
  },
  drain: {
    name: 'drain',
    check: 'Blocked by mud, or its flap stuck open.',
    prevent: 'Freed, with a new flap.',
  },
  coolant: {
    name: 'coolant joint',
    check: 'Pressure test with the joint in view; residue of the coolant’s colour.',
    prevent: 'A new joint or clip, then the leak test.',
  },
  cable: {
    name: 'cable',
    check: 'Bend it: water or green dust out of its sleeve; a rubbed place on its way.',
    prevent: 'A new cable, its sleeve sealed at both ends.',
  },
};

/** How ready each way is to let a cause in, by itself. Common practice of the trade, no source. */
const LETS_IN: Record<WayKind, Partial<Record<LeakCause, number>>> = {
  valve: { water: 3 },
  bolt: { water: 2 },
  cover: { water: 2, mechanical: 1 },
  connector: { water: 1.5 },
  drain: { water: 1.5 },
  coolant: { coolant: 5, water: 0.2 },
  cable: { water: 1, mechanical: 1 },
};
/** It came in where no entry is known. */
const ELSEWHERE = 1;
/** Chance that a module is hit: next to where it came in, far from it, and where nobody knows from where. From memory. */
const AT_ENTRY = 0.9;
const FAR = 0.03;
const ANYWHERE = 0.3;
/** How far it spreads, in places. */
const REACH = 1.3;

export interface EntryRow {
  /** A way of the profile, or one that was seen and has no place on its map. */
  entry: Omit<EntrySpec, 'kind' | 'place'> & { kind: WayKind; place: EntrySpec['place'] | null };
  share: number;
  /** Hit modules that speak for it, and clean ones that speak against it. */
  because: string[];
}

/**
 * Where it came in, among the entry places that the profile knows, by Bayes' rule: each module that was looked at is hit with a
 * chance that falls with its distance from the entry; mud outside makes a way likelier. What was seen at a way itself counts for that way, whether or not the profile names it.
 * What stays open goes to “elsewhere”.
 * @returns rows by share, and what is left for elsewhere; null where nothing was hit and no way looks as if it let anything in
 */
export function rankEntries(
  seen: readonly Seen[],
  pack: Pack,
  cause: LeakCause,
  looked: readonly WayNow[] = [],
  mud: ReadonlyMap<string, number> = new Map(),
): { rows: EntryRow[]; elsewhere: number } | null {
  const named = pack.profile.entries ?? [];
  const entries: EntryRow['entry'][] = [
    ...named,
    ...looked
      .filter((w) => !named.some((e) => e.id === w.way))
      .map((w) => ({ id: w.way, kind: w.of, place: null })),
  ];
  const stateOf = new Map(looked.map((w) => [w.way, w.state]));
  const hit = new Set(seen.filter((s) => cause in EVIDENCE[s.evidence]).map((s) => s.moduleIndex));
  const tells = looked.some((w) => STATE_WEIGHT[w.state] > 1);
  if (entries.length === 0 || (hit.size === 0 && !tells)) return null;
  const clean = new Set(
    seen.filter((s) => s.evidence === 'clean and dry' && !hit.has(s.moduleIndex)).map((s) => s.moduleIndex),
  );
  const likelihood = (chance: (module: number) => number): number => {
    let p = 1;
    for (const m of hit) p *= chance(m);
    for (const m of clean) p *= 1 - chance(m);
    return p;
  };
  /** Places between a way and a module; null where nobody knows where the way is. */
  const far = (e: EntryRow['entry'], m: number): number | null => {
    const { place } = pack.modules[m]!;
    return e.place === null
      ? null
      : Math.hypot(place.row - e.place.row, place.column - e.place.column, place.tier - e.place.tier);
  };
  const chanceFrom = (e: EntryRow['entry'], m: number): number => {
    const d = far(e, m);
    return d === null ? ANYWHERE : FAR + (AT_ENTRY - FAR) * Math.exp(-((d / REACH) ** 2));
  };
  const weights = entries.map(
    (e) =>
      (LETS_IN[e.kind][cause] ?? 0) *
      (stateOf.has(e.id) ? STATE_WEIGHT[stateOf.get(e.id)!] : 1) *
      (cause === 'water' ? mudWeight(mudAt(pack, mud, e.place)) : 1) *
      likelihood((m) => chanceFrom(e, m)),
  );
  const open = ELSEWHERE * likelihood(() => ANYWHERE);
  const total = weights.reduce((a, b) => a + b, open);
  const ids = (set: Iterable<number>): string[] => [...set].map((m) => pack.modules[m]!.id);
  return {
    rows: entries
      .map((entry, i): EntryRow => {
        const near = ids([...hit].filter((m) => (far(entry, m) ?? Infinity) < 2));
        const mudMm = mudAt(pack, mud, entry.place);
        const against = ids([...clean].filter((m) => (far(entry, m) ?? Infinity) < 1.5));
        return {
          entry,
          share: weights[i]! / total,
          because: [
            ...(stateOf.has(entry.id) ? [`it is ${stateOf.get(entry.id)!}`] : []),
            ...(mudMm !== null && mudMm > 0 ? [`${mudMm} mm of mud outside by it`] : []),
            ...(near.length > 0
              ? [`${near.join(', ')} near it ${near.length === 1 ? 'is' : 'are'} hit`]
              : []),
            ...(against.length > 0 ? [`${against.join(', ')} beside it clean`] : []),
          ],
        };
      })
      .filter((r) => r.share > 0.005)
      .sort((a, b) => b.share - a.share),
    elsewhere: open / total,
  };
}
