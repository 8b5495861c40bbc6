import type { Check } from '@cellmend/contract/records';
import { MEASURES, measureState, type Ending } from '@cellmend/core/route';
import { buildOf, offNow, partName } from '@cellmend/core/stripdown';
import { decisionOf, useChecks, useInsulation, useSafety } from '../../api/hooks';
import { usePhotos } from '../../photos/Photos';
import { useJobView } from '../../shell/jobContext';
import { useTicks } from '../strip-down/usePlan';

/** What of insulation is a figure. */
const FIGURES: ReadonlySet<string> = new Set([
  'vehicle',
  'poles',
  'known-resistor',
  'tester',
  'chassis-voltage',
]);

/** What newest checks asked besides and nobody did, a sentence each. */
const leftOut = (checks: readonly Check[]): string[] =>
  checks
    .filter((c, i, all) => all.findIndex((k) => k.check === c.check && k.place === c.place) === i)
    .filter((c) => (c.left ?? []).length > 0)
    .map((c) => `${c.place ? `${c.place}: ` : ''}not done: ${c.left!.join(', ')}.`);

/** What was not measured or not kept, said where a reader would take it for done. */
export function NotSeen({ ending }: { ending: Ending }) {
  const { job, pack } = useJobView();
  const { ticks } = useTicks();
  const names = new Map(buildOf(pack).parts.map((p) => [p.id, partName(p)]));
  const off = offNow(ticks).map((id) => names.get(id) ?? id);
  const { data: insulation } = useInsulation(job.number);
  const { data: safety } = useSafety(job.number);
  const atTheGate = safety?.evidence.some((e) => e.kind === 'insulation-evidence' && !e.supersededBy);
  const { data: checks } = useChecks(job.number);
  const photos = usePhotos();
  const worked = (decisionOf(job, 'measures')?.body.measures ?? []).some(
    (m) =>
      m.dropped === '' && MEASURES[m.kind].ends === 'repaired' && measureState(job.steps, m.id) !== 'open',
  );
  const elsewhere = decisionOf(job, 'measures')?.body.elsewhere;
  const opened = !elsewhere && (worked || job.removed.length > 0);
  const said = [
    off.length > 0 ? `Still off the pack: ${off.join(', ')}.` : '',
    insulation && safety && !insulation.some((e) => FIGURES.has(e.observation.kind)) && !atTheGate
      ? `Insulation was not measured here${elsewhere ? '; what the other workshop measured is with them' : ''}.`
      : '',
    job.scans.length > 0 && worked && !job.scans.some((s) => s.role === 'after')
      ? 'It was not scanned after the work.'
      : '',
    ...leftOut(checks ?? []),
    opened && photos.length === 0 ? 'No photographs were taken.' : '',
    ending === 'monitored' && job.scans.length === 0
      ? 'Nothing was scanned: there are no first figures to watch against.'
      : '',
  ].filter(Boolean);
  if (said.length === 0) return null;
  return (
    <section>
      <h2>Not done, or not measured</h2>
      {said.map((s) => (
        <p key={s}>{s}</p>
      ))}
    </section>
  );
}
