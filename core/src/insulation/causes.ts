import type { Pack } from '../pack';

/** What leaks usually come from. */
export const LEAK_CAUSES = ['water', 'electrolyte', 'mechanical', 'coolant', 'harness'] as const;
export type LeakCause = (typeof LEAK_CAUSES)[number];

/** What is seen at a place, and what it points at. Common practice of the trade, no source. */
export const EVIDENCE = {
  'water line': { water: 5 },
  rust: { water: 3 },
  'green residue': { water: 2, electrolyte: 2 },
  'white crust': { electrolyte: 3, water: 1 },
  'swollen or wet pouch': { electrolyte: 5 },
  'missing burst tab': { electrolyte: 5 },
  'solvent smell': { electrolyte: 4 },
  'bent plate or dent': { mechanical: 5 },
  'blackened bar': { mechanical: 2, electrolyte: 1 },
  'coolant residue': { coolant: 6 },
  'rubbed-through wire': { harness: 6 },
  'board coating rubbed through': { harness: 3, water: 1 },
  'torn or blocked valve': { water: 4 },
  'corroded bolt thread': { water: 4 },
  'clean and dry': {},
} as const satisfies Record<string, Partial<Record<LeakCause, number>>>;
export type Evidence = keyof typeof EVIDENCE;
export const EVIDENCE_NAMES = Object.keys(EVIDENCE) as Evidence[];

/** How much of it there is. */
export const DEGREES = { slight: 0.5, clear: 1, heavy: 1.5 } as const;
export type Degree = keyof typeof DEGREES;
export const DEGREE_NAMES = Object.keys(DEGREES) as [Degree, ...Degree[]];

export interface Seen {
  moduleIndex: number;
  evidence: Evidence;
  degree?: Degree | undefined;
}
export interface CauseRow {
  cause: LeakCause;
  share: number;
  because: string[];
}

/** What to look for next to each cause, so that it does not come back. Common practice, no source. */
export const CAUSE_ADVICE: Record<LeakCause, string> = {
  water:
    'Find how it came in (valve, bolt thread, seal, cover, connector) and close that before the lid goes on.',
  electrolyte:
    'The module is out; its neighbours and the tray are cleaned and tested again. Skin and eyes covered.',
  mechanical: 'Retention plates, brackets and the case: straighten or replace, and test clamped as mounted.',
  coolant: 'Pressure-test the plates and joints; dry out, then test again after a day.',
  harness: 'Route and sleeve the wire anew; test with the harness moved by hand.',
};

/** Ranks causes from what is seen, and says where the damage pattern enters the pack if it has a pattern. */
export function leakCauses(seen: readonly Seen[], pack: Pack): { causes: CauseRow[]; entry: string | null } {
  const score = new Map<LeakCause, { weight: number; because: Set<string> }>();
  for (const s of seen)
    for (const [cause, weight] of Object.entries(EVIDENCE[s.evidence])) {
      const row = score.get(cause as LeakCause) ?? { weight: 0, because: new Set<string>() };
      row.weight += weight * DEGREES[s.degree ?? 'clear'];
      row.because.add(
        `${s.degree && s.degree !== 'clear' ? `${s.degree} ` : ''}${s.evidence} at ${pack.modules[s.moduleIndex]!.id}`,
      );
      score.set(cause as LeakCause, row);
    }
  const total = [...score.values()].reduce((s, r) => s + r.weight, 0);
  const causes = [...score]
    .map(([cause, r]): CauseRow => ({ cause, share: r.weight / total, because: [...r.because] }))
    .sort((a, b) => b.share - a.share);
  return { causes, entry: causes.length > 0 ? entryPlace(seen, pack, causes[0]!.cause) : null };
}

/** Where water, coolant or a blow came in, as the places of the damage tell; null without a pattern. */
function entryPlace(seen: readonly Seen[], pack: Pack, cause: LeakCause): string | null {
  if (cause === 'electrolyte' || cause === 'harness') return null;
  const hit = new Set(seen.filter((s) => cause in EVIDENCE[s.evidence]).map((s) => s.moduleIndex));
  const clean = new Set(seen.filter((s) => s.evidence === 'clean and dry').map((s) => s.moduleIndex));
  if (hit.size < 2) return null;
  const places = [...hit].map((m) => pack.modules[m]!.place);
  const others = [...clean].filter((m) => !hit.has(m)).map((m) => pack.modules[m]!.place);
  const tiers = new Set(places.map((p) => p.tier));
  const lastTier = pack.tiers.length - 1;
  const words: string[] = [];
  const what = cause === 'mechanical' ? 'the blow' : 'it';
  if (lastTier > 0 && tiers.size === 1) {
    const tier = [...tiers][0]!;
    if (tier === 0) words.push(`${what} came from below: tray, drain, valves and bolt threads underneath`);
    else if (tier === lastTier) words.push(`${what} came from above: cover, seal, connectors on top`);
  }
  const rows = Math.max(...pack.modules.map((m) => m.place.row));
  const columns = Math.max(...pack.modules.map((m) => m.place.column));
  const within = (get: (p: (typeof places)[number]) => number, low: number, high: number): boolean =>
    places.every((p) => get(p) >= low && get(p) <= high) &&
    !others.some((p) => get(p) >= low && get(p) <= high);
  if (rows >= 2 && within((p) => p.row, 0, Math.floor(rows / 3))) words.push('at the front end');
  if (rows >= 2 && within((p) => p.row, Math.ceil((2 * rows) / 3), rows)) words.push('at the rear end');
  if (columns >= 1 && within((p) => p.column, 0, 0)) words.push('on the left');
  if (columns >= 1 && within((p) => p.column, columns, columns)) words.push('on the right');
  if (words.length === 0) return null;
  const modules = [...hit].map((m) => pack.modules[m]!.id).join(', ');
  return `${modules} are hit and lie together: ${words.join(', ')}.`;
}
