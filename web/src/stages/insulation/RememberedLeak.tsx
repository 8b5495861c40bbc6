import { nextWithPlaces, type InsulationReport } from '@cellmend/core/insulation';
import { withPlaces } from '@cellmend/core/learn';
import { useMemoryHere } from '../../learn/WasItSo';
import { useJobView } from '../../shell/jobContext';
import { Mute, Sheet } from '../../ui/parts';
import { percent } from '../../ui/words';

/** Where leaks of such packs were found before, weighed into what these tests say; both stand side by side. */
export function RememberedLeak({ leak }: { leak: InsulationReport }) {
  const { job, pack } = useJobView();
  const { data } = useMemoryHere(job.number);
  if (!data?.on || !data.model || Object.keys(data.model.leaks).length === 0) return null;
  const id = (m: number): string => pack.modules[m]!.id;
  const own = leak.modules.map((m) => m.probability);
  const joined = withPlaces(
    own,
    leak.modules.map((m) => data.leakWeights[id(m.moduleIndex)] ?? 1 / leak.modules.length),
  );
  const top = (p: readonly number[]): number => p.indexOf(Math.max(...p));
  const [first, alone] = [top(joined), top(own)];
  const name = (i: number): string => id(leak.modules[i]!.moduleIndex);
  return (
    <Sheet aria-label="What is remembered">
      With what is remembered of {data.model.jobs} such packs: <b>{name(first)}</b> first,{' '}
      {percent(joined[first]!)}. By these tests alone: <b>{name(alone)}</b>, {percent(own[alone]!)}.{' '}
      <Next own={leak.next} remembered={nextWithPlaces(leak, pack, joined)} />
    </Sheet>
  );
}

/** What would be tested next with what is remembered; the tests' own next stays the one that is offered. */
function Next({ own, remembered }: { own: InsulationReport['next']; remembered: InsulationReport['next'] }) {
  if (remembered.text === own.text) return <Mute>The next test is the same with it.</Mute>;
  const tests = remembered.split?.expected.tests;
  return (
    <>
      <br />
      Next with it: <b>{remembered.text}</b>{' '}
      <Mute>
        {tests !== undefined && `${tests.toFixed(1)} tests from here, if such packs go on as they did. `}
        Below stands what these tests alone propose.
      </Mute>
    </>
  );
}
