import type { Job } from '@cellmend/contract/jobs';
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

/** When parts were put in at the place of one that came out, after it was, earliest first. */
const followers = (job: Job, out: Job['removed'][number]): string[] =>
  [...job.composition.map((c) => ({ ...c, since: c.at })), ...job.removed]
    .flatMap((p) => (p.place === out.place && p.since !== null && p.since >= out.at ? [p.since] : []))
    .sort();

/** How the modules that came out leave the workshop, with what is ticked before: by what is on record of each. */
export function HowTheyLeave() {
  const { job, pack, findings } = useJobView();
  const { data: safety } = useSafety(job.number);
  const { data: seen } = useInsulation(job.number);
  const gone = job.removed.filter((r) => pack.modules.some((m) => m.id === r.place));
  // Before all is known nothing is called sound.
  if (gone.length === 0 || !safety || !seen) return null;
  const leak = leakOf(findings)?.report.found?.split(' and ') ?? [];
  const away = gone.map((r) => {
    // What is known of a place is of the part that stood there then: also what was seen at it once it was out, until the next was in.
    const next = followers(job, r)[0];
    const stoodThere = (at: string): boolean =>
      (r.since === null || at >= r.since) && (next === undefined || at < next);
    const role = (['before', 'after'] as const).find((k) =>
      job.scans.some((s) => s.role === k && stoodThere(s.createdAt)),
    );
    const report = (role && spreadOf(findings, role)?.report) ?? null;
    const module = pack.modules.find((m) => m.id === r.place)!;
    const own = report?.findings.filter((f) => f.module.split(' + ').includes(r.place)) ?? [];
    const beyondLimits =
      own.some((f) => f.verdict === 'dead') ||
      (report?.outOfBounds ?? []).some((o) => module.channelIndices.includes(o.channelIndex));
    return {
      label: r.label,
      ...awayOf({
        chemistry: pack.profile.chemistry,
        seen: seen.flatMap(({ observation: o, supersededBy, at }) =>
          !supersededBy && o.kind === 'seen' && o.module === r.place && stoodThere(at) ? [o.evidence] : [],
        ),
        stopped: safety.hazards.includes('hot') || safety.stopKinds.some((k) => k !== 'unexpected voltage'),
        crashed:
          safety.hazards.includes('crash') ||
          (decisionOf(job, 'intake')?.body.signs.includes('crash') ?? false),
        insulationLost: r.since === null && leak.includes(r.place),
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
