import { awayOf } from '@cellmend/core/handover';
import styled from 'styled-components';
import { decisionOf, leakOf, spreadOf, useInsulation, useSafety } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { upper } from '../../ui/words';

/** Verdicts that speak of no harm: weak, low, resistive, misread. */
const HARMLESS: readonly string[] = ['low-capacity', 'imbalance', 'high-resistance', 'sense-fault'];

const Ticks = styled.ul`
  list-style: '☐  ';
  margin: 4px 0 6px;
  padding-left: 22px;
`;

/** How the modules that came out leave the workshop, with what is ticked before: by what is on record of each. */
export function HowTheyLeave() {
  const { job, pack, findings } = useJobView();
  const { data: safety } = useSafety(job.number);
  const { data: seen } = useInsulation(job.number);
  const gone = job.removed.filter((r) => pack.modules.some((m) => m.id === r.place));
  // Before all is known nothing is called sound.
  if (gone.length === 0 || !safety || !seen) return null;
  const report = spreadOf(findings, 'before')?.report ?? null;
  const leak = leakOf(findings)?.report.found?.split(' and ') ?? [];
  const away = gone.map((r) => {
    const module = pack.modules.find((m) => m.id === r.place)!;
    const own = report?.findings.filter((f) => f.module.split(' + ').includes(r.place)) ?? [];
    const beyondLimits =
      own.some((f) => f.verdict === 'dead') ||
      (report?.outOfBounds ?? []).some((o) => module.channelIndices.includes(o.channelIndex));
    return {
      label: r.label,
      ...awayOf({
        chemistry: pack.profile.chemistry,
        seen: seen.flatMap(({ observation: o, supersededBy }) =>
          !supersededBy && o.kind === 'seen' && o.module === r.place ? [o.evidence] : [],
        ),
        stopped: safety.hazards.includes('hot') || safety.stopKinds.some((k) => k !== 'unexpected voltage'),
        crashed:
          safety.hazards.includes('crash') ||
          (decisionOf(job, 'intake')?.body.signs.includes('crash') ?? false),
        insulationLost: leak.includes(r.place),
        beyondLimits,
        quarantined: r.to === 'quarantine',
        measuredHarmless: report !== null && own.every((f) => HARMLESS.includes(f.verdict)),
      }),
    };
  });
  return (
    <section>
      <h2>How they leave</h2>
      {[...new Set(away.map((a) => a.class))].map((kind) => {
        const of = away.filter((a) => a.class === kind);
        return (
          <div key={kind}>
            <p>
              <b>{upper(kind)}.</b> {of.map((a) => `${a.label}: ${a.because}`).join(' ')} {of[0]!.rule}
            </p>
            <Ticks>
              {of[0]!.checks.map((c) => (
                <li key={c}>{c}</li>
              ))}
            </Ticks>
          </div>
        );
      })}
      <p>The carrier’s dangerous-goods adviser has the last word on each of them.</p>
    </section>
  );
}
