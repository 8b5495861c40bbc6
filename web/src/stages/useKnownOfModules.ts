import type { Job } from '@cellmend/contract/jobs';
import type { KnownOfModules } from '@cellmend/core/handover';
import { leakedAlone } from '@cellmend/core/insulation';
import { decisionOf, leakOf, spreadOf, useInsulation, useSafety } from '../api/hooks';
import { useJobView } from '../shell/jobContext';

/** What is known of the modules of this job's pack; null until all of it has arrived. */
export function useKnownOfModules(): KnownOfModules | null {
  const { job, pack, findings } = useJobView();
  const { data: safety } = useSafety(job.number);
  const { data: seen } = useInsulation(job.number);
  if (!safety || !seen) return null;
  return {
    pack,
    hazards: safety.hazards,
    stopKinds: safety.stopKinds,
    signs: decisionOf(job, 'intake')?.body.signs ?? [],
    leaking: leakOf(findings)?.report.found?.split(' and ') ?? [],
    leakTests: leakedAlone(
      pack,
      seen.filter((e) => !e.supersededBy),
    ),
    seen: seen.flatMap(({ observation: o, supersededBy, at }) =>
      !supersededBy && o.kind === 'seen' ? [{ place: o.module, evidence: o.evidence, at }] : [],
    ),
    reports: (['before', 'after'] as const).flatMap((role) => {
      const scan = job.scans.find((s) => s.role === role);
      const report = spreadOf(findings, role)?.report;
      return scan && report ? [{ at: scan.createdAt, report }] : [];
    }),
  };
}

/** When the next part was put in at the place of one that came out. */
export const nextAt = (job: Job, out: { place: string; at: string }): string | undefined =>
  [...job.composition.map((c) => ({ ...c, since: c.at })), ...job.removed]
    .flatMap((p) => (p.place === out.place && p.since !== null && p.since >= out.at ? [p.since] : []))
    .sort()[0];
