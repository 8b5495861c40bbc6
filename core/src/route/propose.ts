import type { SpreadReport } from '../diagnosis';
import type { Hazard } from '../safety';
import type { Measure, MeasureKind } from './measures';

export interface ProposalFacts {
  /** The newest diagnosis; null where nothing was scanned. */
  report: Pick<SpreadReport, 'pack' | 'findings' | 'outOfBounds'> | null;
  /** The modules in which a leak was found. */
  leaking: readonly string[];
  hazards: readonly Hazard[];
  /** What the owner wants. */
  aim: 'limp on' | 'restore' | 'sell' | 'buy' | null;
  moduleOfChannel: (channelIndex: number) => string;
  /** Places that come out too by this workshop's school, once any module does; with why. */
  alsoOut?: (failed: readonly string[]) => readonly { place: string; why: string }[];
}

const KIND_OF: Partial<Record<string, { kind: MeasureKind; why: string }>> = {
  dead: { kind: 'replace-module', why: 'dead' },
  'low-capacity': { kind: 'replace-module', why: 'low capacity' },
  'self-discharge': { kind: 'replace-module', why: 'self-discharge' },
  'high-resistance': { kind: 'replace-module', why: 'high resistance' },
  imbalance: { kind: 'balance', why: 'out of balance' },
  'sense-fault': { kind: 'replace-board', why: 'reads wrong' },
};

/**
 * The list that follows from what was found, for a person to change. One line a module: what makes another part of it
 * good is left out where the module itself comes out. Nothing follows from a finding that cannot tell.
 */
export function proposedMeasures(p: ProposalFacts): Omit<Measure, 'id'>[] {
  const line = (kind: MeasureKind, place: string, why: string): Omit<Measure, 'id'> => ({
    kind,
    place,
    why,
    closed: false,
    dropped: '',
  });
  // Whoever is licensed looks at a crashed pack first; whatever else is wrong comes after.
  if (p.hazards.includes('crash')) return [line('specialist', '', 'crash-locked')];
  if (p.aim === 'buy') return [line('appraise', '', 'to be bought')];
  const wet = p.hazards.includes('flood');
  const list: Omit<Measure, 'id'>[] = p.leaking.map((m) =>
    line(wet ? 'dry' : 'replace-module', m, wet ? 'wet, leaks to the chassis' : 'leaks to the chassis'),
  );
  const { report } = p;
  if (!report) return list;
  if (report.pack.verdict === 'over-discharged' || report.pack.verdict === 'over-charged') {
    // Default is scrap; a supervised recovery is somebody's own decision.
    const modules = [...new Set(report.outOfBounds.map((o) => p.moduleOfChannel(o.channelIndex)))];
    return [...list, ...modules.map((m) => line('scrap', m, report.pack.verdict))];
  }
  if (report.pack.verdict === 'aged') return [...list, line('monitor', '', 'aged, but even')];
  for (const f of report.findings) {
    // What comes at once with the current may sit in a joint or the cell: the joints come first, and the pull after them shows.
    const joint = f.verdict === 'high-resistance' && f.seat !== 'cell';
    const known = KIND_OF[f.verdict];
    if (!known) continue;
    const kind = joint ? 'mend-joint' : known.kind;
    for (const module of f.module.split(' + '))
      list.push(line(kind, module, `${f.channel}: ${joint ? 'high resistance, joints first' : known.why}`));
  }
  const failed = list.filter((m) => m.kind === 'replace-module').map((m) => m.place);
  if (failed.length > 0)
    for (const { place, why } of p.alsoOut?.(failed) ?? []) list.push(line('replace-module', place, why));
  const out = new Set(
    list.filter((m) => m.kind === 'replace-module' || m.kind === 'dry').map((m) => m.place),
  );
  const seen = new Set<string>();
  return list.filter((m) => {
    const key = `${m.kind} ${m.place}`;
    if (seen.has(key)) return false;
    seen.add(key);
    return m.kind === 'replace-module' || m.kind === 'dry' || !out.has(m.place) || m.kind === 'replace-board';
  });
}
