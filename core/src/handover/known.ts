import type { Evidence } from '../insulation';
import type { Pack } from '../pack';
import type { Hazard } from '../safety';
import type { SpreadReport } from '../diagnosis';
import type { AwayFacts } from './away';

/** Verdicts that speak of no harm: weak, low, resistive, misread. */
const HARMLESS: readonly string[] = ['low-capacity', 'imbalance', 'high-resistance', 'sense-fault'];

/** What a job knows of the modules of its pack. Times are ISO 8601. */
export interface KnownOfModules {
  pack: Pack;
  hazards: readonly Hazard[];
  /** Kinds of Stop that were pressed in this job. */
  stopKinds: readonly string[];
  /** Signs of intake, such as `crash`. */
  signs: readonly string[];
  /** Modules that the leak was found at, of those the pack came with. */
  leaking: readonly string[];
  /** Modules that leaked in a test of their own. */
  leakTests: readonly { place: string; at: string }[];
  seen: readonly { place: string; evidence: Evidence; at: string }[];
  /** Diagnoses by the moment of their record, oldest first. */
  reports: readonly { at: string; report: SpreadReport }[];
}
/** One that comes out, or came out. */
export interface ComesOut {
  place: string;
  /** Since when it stood there; null for what the pack came with. */
  since: string | null;
  /** When the next was put in at its place, if one was. */
  next?: string | undefined;
  quarantined: boolean;
}

/** What is known of one module: of its place while it stood there, and of what was seen at it once it was out, until the next was in. */
export function awayFactsOf(known: KnownOfModules, part: ComesOut): AwayFacts {
  const { pack, hazards, signs } = known;
  const stoodThere = (at: string): boolean =>
    (part.since === null || at >= part.since) && (part.next === undefined || at < part.next);
  const module = pack.modules.find((m) => m.id === part.place);
  const report = known.reports.find((r) => stoodThere(r.at))?.report ?? null;
  const own = report?.findings.filter((f) => f.module.split(' + ').includes(part.place)) ?? [];
  return {
    chemistry: pack.profile.chemistry,
    seen: known.seen.flatMap((s) => (s.place === part.place && stoodThere(s.at) ? [s.evidence] : [])),
    stopped: hazards.includes('hot') || known.stopKinds.some((k) => k !== 'unexpected voltage'),
    crashed: hazards.includes('crash') || signs.includes('crash'),
    insulationLost:
      (part.since === null && known.leaking.includes(part.place)) ||
      known.leakTests.some((t) => t.place === part.place && stoodThere(t.at)),
    beyondLimits:
      own.some((f) => f.verdict === 'dead') ||
      (report?.outOfBounds ?? []).some((o) => module?.channelIndices.includes(o.channelIndex)),
    quarantined: part.quarantined,
    measuredHarmless: report !== null && own.every((f) => HARMLESS.includes(f.verdict)),
  };
}
