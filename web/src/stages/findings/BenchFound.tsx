import { sentence } from '../../ui/words';
import { useJobView } from '../../shell/jobContext';
import { sticksOf, useBench } from '../bench/useBench';

/** What asks for more than another cycle. */
const SPEAKS: ReadonlySet<string> = new Set(['worn', 'falling', 'fails warm']);

/** What the bench found of modules of this pack: a scan of a cool drive shows nothing of one that fails warm. */
export function BenchFound() {
  const { job, pack } = useJobView();
  const { data } = useBench(job.number);
  const found = sticksOf(pack, data?.runs ?? []).filter((s) => SPEAKS.has(s.judged.verdict));
  return (
    <>
      {found.map((s) => (
        <p key={s.place}>
          <b>{s.place}</b> on the bench: {sentence(s.judged.says)}
        </p>
      ))}
    </>
  );
}
