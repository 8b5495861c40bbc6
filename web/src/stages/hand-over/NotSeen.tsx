import { MEASURES, measureState, type Ending } from '@cellmend/core/route';
import { decisionOf, useInsulation } from '../../api/hooks';
import { usePhotos } from '../../photos/Photos';
import { useJobView } from '../../shell/jobContext';

/** What was not measured or not kept, said where a reader would take it for done. */
export function NotSeen({ ending }: { ending: Ending }) {
  const { job } = useJobView();
  const { data: insulation } = useInsulation(job.number);
  const photos = usePhotos();
  const worked = (decisionOf(job, 'measures')?.body.measures ?? []).some(
    (m) =>
      m.dropped === '' && MEASURES[m.kind].ends === 'repaired' && measureState(job.steps, m.id) !== 'open',
  );
  const elsewhere = decisionOf(job, 'measures')?.body.elsewhere;
  const opened = !elsewhere && (worked || job.removed.length > 0);
  const said = [
    insulation?.length === 0
      ? `Insulation was not measured here${elsewhere ? '; what the other workshop measured is with them' : ''}.`
      : '',
    job.scans.length > 0 && worked && !job.scans.some((s) => s.role === 'after')
      ? 'It was not scanned after the work.'
      : '',
    opened && photos.length === 0 ? 'No photographs were taken.' : '',
    ending === 'monitored' && job.scans.length === 0 ? 'What is to be watched has no first figures.' : '',
  ].filter(Boolean);
  if (said.length === 0) return null;
  return (
    <section>
      <h2>Not measured, or not kept</h2>
      {said.map((s) => (
        <p key={s}>{s}</p>
      ))}
    </section>
  );
}
