import type { EntryKind, EntrySpec, Pack } from '../pack';
import { EVIDENCE, type LeakCause, type Seen } from './causes';

/** What would show that it came in there, and what keeps it out. Common practice of the trade, no source. */
export const ENTRY_ADVICE: Record<EntryKind, { name: string; check: string; prevent: string }> = {
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
};

/** How ready each way is to let a cause in, by itself. Common practice of the trade, no source. */
const LETS_IN: Record<EntryKind, Partial<Record<LeakCause, number>>> = {
  valve: { water: 3 },
  bolt: { water: 2 },
  cover: { water: 2, mechanical: 1 },
  connector: { water: 1.5 },
  drain: { water: 1.5 },
  coolant: { coolant: 5, water: 0.2 },
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
  entry: EntrySpec;
  share: number;
  /** Hit modules that speak for it, and clean ones that speak against it. */
  because: string[];
}

/**
 * Where it came in, among the entry places that the profile knows, by Bayes' rule: each module that was looked at is hit with a
 * chance that falls with its distance from the entry. What stays open goes to “elsewhere”.
 * @returns rows by share, and what is left for elsewhere; null where nothing was hit or no entry is known
 */
export function rankEntries(
  seen: readonly Seen[],
  pack: Pack,
  cause: LeakCause,
): { rows: EntryRow[]; elsewhere: number } | null {
  const entries = pack.profile.entries ?? [];
  const hit = new Set(seen.filter((s) => cause in EVIDENCE[s.evidence]).map((s) => s.moduleIndex));
  if (entries.length === 0 || hit.size === 0) return null;
  const clean = new Set(
    seen.filter((s) => s.evidence === 'clean and dry' && !hit.has(s.moduleIndex)).map((s) => s.moduleIndex),
  );
  const likelihood = (chance: (module: number) => number): number => {
    let p = 1;
    for (const m of hit) p *= chance(m);
    for (const m of clean) p *= 1 - chance(m);
    return p;
  };
  const far = (e: EntrySpec, m: number): number => {
    const { place } = pack.modules[m]!;
    return Math.hypot(place.row - e.place.row, place.column - e.place.column, place.tier - e.place.tier);
  };
  const weights = entries.map(
    (e) =>
      (LETS_IN[e.kind][cause] ?? 0) *
      likelihood((m) => FAR + (AT_ENTRY - FAR) * Math.exp(-((far(e, m) / REACH) ** 2))),
  );
  const open = ELSEWHERE * likelihood(() => ANYWHERE);
  const total = weights.reduce((a, b) => a + b, open);
  const ids = (set: Iterable<number>): string[] => [...set].map((m) => pack.modules[m]!.id);
  return {
    rows: entries
      .map((entry, i): EntryRow => {
        const near = ids([...hit].filter((m) => far(entry, m) < 2));
        const against = ids([...clean].filter((m) => far(entry, m) < 1.5));
        return {
          entry,
          share: weights[i]! / total,
          because: [
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
