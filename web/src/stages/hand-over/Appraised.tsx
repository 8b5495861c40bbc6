import { decisionOf } from '../../api/hooks';
import { comesToWords, perYearWords } from '../../buyer/UsedPackAnswer';
import { useUsedPack } from '../../buyer/useBuyer';
import { useJobView } from '../../shell/jobContext';
import { money } from '../../options/words';
import { told } from '../../ui/units';

const VERDICTS = {
  buy: 'Worth what is asked',
  'at most': 'Worth less than is asked',
  'leave it': 'Better left',
  'cannot tell yet': 'It could not be told',
} as const;

/** What a used pack was found to be worth: the verdict that was signed, what it rests on and what was not seen. */
export function Appraised() {
  const { job } = useJobView();
  const v = useUsedPack(decisionOf(job, 'appraisal')?.body ?? null);
  if (!v) return null;
  const seen = v.lines.filter((l) => l.judged !== 'unknown' || l.what === 'Health');
  return (
    <section>
      <h2>What it is worth</h2>
      <p>
        <b>{VERDICTS[v.verdict]}.</b> {v.because} {comesToWords(v)} {perYearWords(v)}
      </p>
      {v.atMost && v.verdict !== 'leave it' && (
        <p>
          At most {money(v.atMost.likely)} before tax if it lasts as long as the careful estimate says,{' '}
          {money(v.atMost.least)} to be on the safe side.
        </p>
      )}
      {seen.map((l) => (
        <p key={l.what}>
          {l.what}: {told(l.shows)}
          {l.why ? `. ${told(l.why)}` : '.'}
        </p>
      ))}
      {v.lacking.length > 0 && <p>Not seen: {v.lacking.join(' ')}</p>}
    </section>
  );
}
