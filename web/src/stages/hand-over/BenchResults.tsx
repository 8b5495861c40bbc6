import type { Run } from '@cellmend/contract/bench';
import { useJobView } from '../../shell/jobContext';
import { temperature } from '../../ui/units';
import { asRead, dated, sentence } from '../../ui/words';
import { sticksOf, useBench } from '../bench/useBench';
import { useReadings } from '../notes/Readings';

/** A capacity with what it was measured at: warmth and current, as far as they were written down. */
function capacityWords({ capacityAh, lowerBound, currentA, startC, hottestC, by, at }: Run): string {
  const how = [
    currentA === null ? '' : `at ${asRead(Math.abs(currentA))} A`,
    startC === null ? '' : `${temperature(startC)} at its start`,
    hottestC === null ? 'warmth not noted' : `${temperature(hottestC)} at the warmest`,
  ].filter(Boolean);
  return `${lowerBound ? 'at least ' : ''}${asRead(capacityAh!)} A·h ${how.join(', ')} (${by}, ${dated(at)})`;
}

/** What the bench measured of the parts of this job, and what it says of them. */
export function BenchResults() {
  const { job, pack } = useJobView();
  const { data: bench } = useBench(job.number);
  const { data: readings } = useReadings(job.number);
  const sticks = sticksOf(pack, bench?.runs ?? []).filter((s) => s.cycles.length > 0);
  // A run stands among the readings as well.
  const ofRun = new Set((bench?.runs ?? []).map((r) => `${r.place} ${r.capacityAh}`));
  const noted = (readings ?? []).filter(
    (r) =>
      !ofRun.has(`${r.place} ${r.value}`) &&
      r.kind === 'capacity' &&
      r.stage === 'bench' &&
      r.value !== null &&
      !r.supersededBy,
  );
  if (sticks.length + noted.length === 0) return null;
  const places = [...new Set(noted.map((r) => r.place))].sort();
  return (
    <section>
      <h2>Measured on the bench</h2>
      {sticks.map((s) => (
        <p key={s.place}>
          {s.place}: {s.cycles.map(capacityWords).join('; ')}. {sentence(s.judged.says)}
        </p>
      ))}
      {places.map((place) => (
        <p key={`noted ${place}`}>
          {place}:{' '}
          {noted
            .filter((r) => r.place === place)
            .sort((a, b) => a.observedAt.localeCompare(b.observedAt))
            .map((r) => `${asRead(r.value!)} A·h (${r.recordedBy}, ${dated(r.observedAt)})`)
            .join('; ')}
          , written down without current or warmth.
        </p>
      ))}
    </section>
  );
}
