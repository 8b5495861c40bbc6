import { rangeKm, usableCapacity } from '@cellmend/core/range';
import { groupStates, type SpreadReport } from '@cellmend/core/diagnosis';
import { useJobView } from '../../shell/jobContext';
import { Mute } from '../../ui/parts';
import { distance } from '../../ui/units';
import { chargeDigits } from '../../ui/Measured';
import { fixed } from '../../ui/words';

/** What the pack would give with twins of the rest in place of the chosen modules. */
export function Gain({ report, chosen }: { report: SpreadReport; chosen: readonly string[] }) {
  const { pack } = useJobView();
  const { capacityAh, working } = report;
  if (!working) return null;
  if (!capacityAh.measured)
    return (
      <p>
        <Mute>
          What a swap brings back is not measured. {capacityAh.why} {capacityAh.test}
        </Mute>
      </p>
    );
  const typicalAh = capacityAh.value;
  const states = groupStates(report.channels, pack.channels.length, typicalAh, working.startSocFraction);
  const swapped = states.map((s, i) =>
    pack.channels[i]!.moduleIndices.some((m) => chosen.includes(pack.modules[m]!.id))
      ? { capacityAh: typicalAh, socFraction: working.startSocFraction }
      : s,
  );
  const after = usableCapacity(swapped);
  const { ratedRangeKm, ratedCapacityAh } = pack.profile;
  const spread = (capacityAh.high - capacityAh.low) / 2 / typicalAh;
  const digits = chargeDigits(ratedCapacityAh);
  const told = (ah: number): string =>
    `${fixed(ah, digits)} ± ${fixed(ah * spread, digits)} A·h${ratedRangeKm ? `, about ${distance(rangeKm(ah, ratedCapacityAh, ratedRangeKm))}` : ''}`;
  return (
    <p>
      With twins of the rest in place of {chosen.join(', ') || 'nothing'}: {told(after.usableAh)} usable as it
      is balanced now, {told(after.balancedAh)} once all are level.
    </p>
  );
}
