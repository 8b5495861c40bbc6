import type { StockPart } from '@cellmend/contract/stock';
import { heldByModule, typicalOfStaying, type MeasuredAlone } from '@cellmend/core/match';
import { measured } from '@cellmend/core/pack';
import { rangeAfterSwaps } from '@cellmend/core/range';
import { kmOf, type SpreadReport } from '@cellmend/core/diagnosis';
import { offNow } from '@cellmend/core/stripdown';
import { useJobView } from '../../shell/jobContext';
import { DataTable, Mute, Sheet, Stack } from '../../ui/parts';
import { distanceUnit, inDistance } from '../../ui/units';
import { measuredText } from '../../ui/Measured';
import { signed } from '../../ui/words';
import { useTicks } from '../strip-down/usePlan';
import { emptyPlaces } from './emptyPlaces';
import { leftBecause } from './fits';

const MOST = 8;

/** What each further swap brings once all is level, from measured capacities alone; and where none brings anything. */
export function Swaps({
  report,
  donors,
  alone,
}: {
  report: SpreadReport | null;
  donors: readonly StockPart[];
  alone: MeasuredAlone;
}) {
  const { job, pack } = useJobView();
  const typical = typicalOfStaying(pack, report, alone, []);
  const { ticks } = useTicks();
  const empty = emptyPlaces(
    pack.modules.map((m) => m.id),
    job,
    offNow(ticks),
    report,
  );
  const each = heldByModule(pack, report, alone).map((ah, i) =>
    empty.some((e) => e.place === pack.modules[i]!.id) ? 0 : ah,
  );
  const held = each.filter((ah) => ah !== null);
  if (!typical.measured || held.length < each.length)
    return (
      <Sheet aria-label="What each swap brings">
        <h3>What each swap brings</h3>
        <Mute>
          Not measured:{' '}
          {held.length > 0 && !report?.capacityAh.measured
            ? `${each.length - held.length} of ${each.length} modules; a full discharge of each on the bench.`
            : report?.capacityAh.measured === false
              ? report.capacityAh.test
              : 'a scan near full and near empty, with its current.'}
        </Mute>
      </Sheet>
    );
  const groups = [...new Set(pack.modules.map((m) => m.groupIndices.length))];
  if (groups.length > 1)
    return (
      <Sheet aria-label="What each swap brings">
        <h3>What each swap brings</h3>
        <Mute>Modules of this pack differ in size: what each donor brings is told place by place.</Mute>
      </Sheet>
    );
  const fit = donors.filter((s) => leftBecause(s, pack, groups, job.number) === '');
  const answer = rangeAfterSwaps({
    groupCapacityAh: held,
    groupSoc: held.map(() => 0.5),
    socLeast: 0,
    socMost: 1,
    donors: fit.map((s) => ({ capacityAh: s.capacityAh!, soc: 0.5 })),
  });
  // As sure as the capacity of the pack itself.
  const share = (typical.high - typical.low) / 4 / typical.value;
  const row = (ah: number) => {
    const m = measured(ah, share * ah, typical.from, 0);
    const km = kmOf(m, pack);
    return {
      ah: measuredText(m, 'A·h'),
      km: km.measured ? measuredText(inDistance(km), distanceUnit()) : '–',
    };
  };
  const rows = answer.replacement.slice(0, Math.max(answer.bestKBalanced + 1, 2)).slice(0, MOST);
  const now = row(answer.afterBalancingAh);
  return (
    <Sheet aria-label="What each swap brings">
      <Stack $gap={8}>
        <h3>What each swap brings</h3>
        {answer.bestKBalanced === 0 && (
          <b>
            {fit.length === 0
              ? 'Nothing on the shelf fits.'
              : 'No module on the shelf brings more: swapping does not help this pack.'}
          </b>
        )}
        <DataTable>
          <thead>
            <tr>
              <th>Swapped</th>
              <th>Which</th>
              <th className="r">Once level</th>
              <th className="r">Range</th>
              <th className="r">More</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <td>none, levelled</td>
              <td>
                <Mute>
                  {empty.length > 0
                    ? `${empty.map((e) => `${e.place} is ${e.why}`).join(', ')}`
                    : `${pack.modules[answer.limitsAfterBalancing]!.id} ends it`}
                </Mute>
              </td>
              <td className="r">{now.ah}</td>
              <td className="r">{now.km}</td>
              <td className="r">–</td>
            </tr>
            {rows.map((r, i) => {
              const before = i === 0 ? answer.afterBalancingAh : rows[i - 1]!.balancedAh;
              const told = row(r.balancedAh);
              return (
                <tr key={r.k}>
                  <td>{r.k}</td>
                  <td>
                    {pack.modules[r.replaced.at(-1)!]!.id}
                    {i > 0 && ' too'}
                  </td>
                  <td className="r">{told.ah}</td>
                  <td className="r">{told.km}</td>
                  <td className="r">
                    {Math.abs(r.balancedAh - before) >= 0.05
                      ? `${signed(r.balancedAh - before, 1)} A·h`
                      : 'nothing'}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </DataTable>
        <Mute>The weakest first, the strongest donors first; from measured capacities alone.</Mute>
      </Stack>
    </Sheet>
  );
}
