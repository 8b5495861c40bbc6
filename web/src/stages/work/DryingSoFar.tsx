import { dryingOf, resistanceOf } from '@cellmend/core/insulation';
import { limitValue } from '@cellmend/core/pack';
import { useInsulation } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { Mute } from '../../ui/parts';

/** How far the drying of a module has come, by the insulation tests of it alone. */
export function DryingSoFar({ place }: { place: string }) {
  const { job, pack } = useJobView();
  const { data } = useInsulation(job.number);
  const readings = (data ?? [])
    .filter((e) => e.supersededBy === null)
    .flatMap(({ observation: o, at }) => {
      if (o.kind !== 'tester' || o.tested.part !== 'section' || o.wetted === true) return [];
      if (o.tested.from !== place || o.tested.to !== place) return [];
      const ohm = resistanceOf(o.points)?.ohm;
      return ohm ? [{ at, ohm, temperatureC: o.temperatureC }] : [];
    });
  return (
    <p>
      {dryingOf(readings, limitValue(pack.profile, 'moduleInsulationOhm')).says}
      {readings.length === 0 && (
        <Mute> Test {place} under Insulation every hour or two, with its temperature.</Mute>
      )}
    </p>
  );
}
