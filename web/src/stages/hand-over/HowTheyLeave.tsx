import { awayFactsOf, awayOf } from '@cellmend/core/handover';
import styled from 'styled-components';
import { useJobView } from '../../shell/jobContext';
import { nextAt, useKnownOfModules } from '../useKnownOfModules';
import { upper } from '../../ui/words';

const Ticks = styled.ul`
  list-style: '☐  ';
  margin: 4px 0 6px;
  padding-left: 22px;
`;

/** How the modules that came out leave the workshop, with what is ticked before: by what is on record of each. */
export function HowTheyLeave() {
  const { job, pack } = useJobView();
  const known = useKnownOfModules();
  // What is kept on the shelf or goes to the bench does not leave.
  const gone = job.removed.filter(
    (r) => r.to !== 'shelf' && r.to !== 'bench' && pack.modules.some((m) => m.id === r.place),
  );
  // Before all is known nothing is called sound.
  if (gone.length === 0 || !known) return null;
  const away = gone.map((r) => ({
    label: r.label,
    ...awayOf(awayFactsOf(known, { ...r, next: nextAt(job, r), quarantined: r.to === 'quarantine' })),
  }));
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
