import type { SpreadReport } from '@cellmend/core/diagnosis';
import { buildOf, jointsBeside, partName, type JointReading } from '@cellmend/core/stripdown';
import { useJobView } from '../../shell/jobContext';
import { fixed } from '../../ui/words';
import { useReadings } from '../notes/Readings';
import { useTicks } from '../strip-down/usePlan';

/** The newest resistance of each joint: jotted at it, or noted as it was made. */
function useMeasuredJoints(): JointReading[] {
  const { job, pack } = useJobView();
  const { data: readings } = useReadings(job.number);
  const { view } = useTicks();
  const links = pack.profile.links ?? [];
  const all = [
    ...(readings ?? []).flatMap((r) =>
      r.kind === 'resistance' && r.value !== null && r.supersededBy === null
        ? [{ joint: r.place, at: r.observedAt, microohm: r.value * 1e6 }]
        : [],
    ),
    ...(view?.ticks ?? []).flatMap((t) =>
      !t.off && !t.mistake && t.microohm != null ? [{ joint: t.part, at: t.at, microohm: t.microohm }] : [],
    ),
  ].sort((a, b) => a.at.localeCompare(b.at));
  const newest = new Map(all.map((m) => [m.joint, m.microohm]));
  return links.flatMap((l) =>
    newest.has(l.id) ? [{ joint: l.id, kind: l.kind, microohm: newest.get(l.id)! }] : [],
  );
}

/** What the joints beside a channel of high resistance showed; null while nobody has measured them. */
export function useJointsMeasured(report: SpreadReport | undefined): string | null {
  const { pack } = useJobView();
  const measured = useMeasuredJoints();
  const suspect = report?.findings.find((f) => f.verdict === 'high-resistance' && f.seat !== 'cell');
  if (!suspect) return null;
  const beside = jointsBeside(suspect.module.split(' + '), measured, pack.profile.links ?? []);
  if (!beside) return null;
  const names = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const named = (j: { joint: string; microohm: number }): string =>
    `${names.get(j.joint) ?? j.joint} ${fixed(j.microohm, 0)} µΩ`;
  const [high] = beside.high;
  if (high)
    return `It is the joint: ${beside.high.map(named).join(', ')}, similar joints ${fixed(high.medianMicroohm!, 0)} µΩ. Clean and torque it by the maker’s procedure; no module has to come out for it.`;
  return `The joints beside it are like the others (${beside.alike.map(named).join(', ')}): it is the cell, or a joint inside ${suspect.module}.`;
}
