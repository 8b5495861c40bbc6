import { Link } from 'react-router';
import { decisionOf } from '../api/hooks';
import { useJobView } from '../shell/jobContext';
import { PlainList, Sheet } from '../ui/parts';
import { earlierWords } from './earlierWords';

/** What was done to this pack or its vehicle before, and what of it lies beside what is suspected now. */
export function HereBefore({ suspects = [] }: { suspects?: readonly string[] }) {
  const { job, pack } = useJobView();
  if (job.earlier.length === 0) return null;
  const km = decisionOf(job, 'intake')?.body.odometerKm ?? null;
  const indexOf = (place: string): number => pack.modules.findIndex((m) => m.id === place);
  const beside = job.earlier.flatMap((e) =>
    e.parts.flatMap(({ place, label }) => {
      const at = indexOf(place);
      const near = suspects.find((s) => at >= 0 && Math.abs(indexOf(s) - at) === 1 && indexOf(s) >= 0);
      return suspects.includes(place)
        ? [`${place} is ${label}, put in by job ${e.number}: look at what it was matched and levelled to.`]
        : near
          ? [
              `${place}, beside ${near}, was changed in job ${e.number}: its joints and tap wires were open then.`,
            ]
          : [];
    }),
  );
  return (
    <Sheet aria-label="Here before">
      <PlainList>
        {job.earlier.slice(0, 4).map((e) => (
          <li key={e.number}>
            {earlierWords(e, km)} <Link to={`/jobs/${e.number}/hand-over`}>Its sheet</Link>
          </li>
        ))}
        {beside.map((b) => (
          <li key={b}>
            <b>{b}</b>
          </li>
        ))}
      </PlainList>
    </Sheet>
  );
}
