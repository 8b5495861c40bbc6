import type { InReach } from '@cellmend/core/match';
import { placesOf } from '@cellmend/core/route';
import { offNow } from '@cellmend/core/stripdown';
import { decisionOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useWorker } from '../../shell/useWorker';
import { Mute, PlainList, Sheet, Stack } from '../../ui/parts';
import { fixed } from '../../ui/words';
import { useTicks } from '../strip-down/usePlan';
import type { ReachQuestion } from './reachWorker';

const work = (): Worker => new Worker(new URL('./reachWorker.ts', import.meta.url), { type: 'module' });

/** Modules that were wet go back where they are reached again soonest, of the places that are open anyway. */
export function WithinReach() {
  const { job, pack } = useJobView();
  const { ticks } = useTicks();
  const measures = decisionOf(job, 'measures')?.body.measures ?? [];
  const suspects = placesOf(measures, 'dry');
  const isModule = (id: string): boolean => pack.modules.some((m) => m.id === id);
  const out = [
    ...new Set([...suspects, ...placesOf(measures, 'replace-module'), ...offNow(ticks)].filter(isModule)),
  ].sort();
  const ask: ReachQuestion | null =
    suspects.length > 0 && out.length > suspects.length
      ? { profile: pack.profile, out, suspects: suspects.filter(isModule) }
      : null;
  const { answer } = useWorker<InReach[]>(work, ask);
  if (!answer || answer.length === 0) return null;
  return (
    <Sheet aria-label="Back within reach">
      <Stack $gap={6}>
        <h3>Back within reach</h3>
        <PlainList>
          {answer.map((m) => (
            <li key={m.from}>
              Put the module of <b className="n">{m.from}</b> at <b className="n">{m.to}</b>, and that of{' '}
              {m.to} at {m.from}:{' '}
              <Mute>
                reached in {fixed(m.reachMin, 0)} min instead of {fixed(m.nowMin, 0)}.
              </Mute>
            </li>
          ))}
        </PlainList>
        <Mute>
          What was wet may have to come out again. In series any place will do; write down where each went,
          and put it on the note inside the lid.
        </Mute>
      </Stack>
    </Sheet>
  );
}
