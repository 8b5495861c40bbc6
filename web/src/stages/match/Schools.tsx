import { SWAPS } from '@cellmend/core/match';
import { kmOf } from '@cellmend/core/diagnosis';
import { useWorkshop } from '../../api/hooks';
import { money } from '../../options/words';
import { useJobView } from '../../shell/jobContext';
import { measuredText } from '../../ui/Measured';
import { DataTable, Mute, Sheet, Stack } from '../../ui/parts';
import { distanceUnit, inDistance } from '../../ui/units';
import { useSchools } from './useSchools';

const years = (v: number): string => (v >= 30 ? 'over 30' : v.toFixed(v < 3 ? 1 : 0));

/** How much is changed, by the schools of the trade: what each gives, how long it lasts, what its modules cost. */
export function Schools() {
  const { pack } = useJobView();
  const { data: workshop } = useWorkshop();
  const { rows, level } = useSchools();
  if (!rows || !workshop) return null;
  return (
    <Sheet aria-label="How much is changed">
      <Stack $gap={8}>
        <h3>How much is changed</h3>
        <DataTable>
          <thead>
            <tr>
              <th>School</th>
              <th>Out</th>
              <th className="r">Once level</th>
              <th className="r">Range</th>
              <th className="r">Lasts, years</th>
              <th className="r">Modules cost</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((r) => {
              const m = r.levelAh === null ? null : level(r.levelAh);
              const km = m ? kmOf(m, pack) : null;
              return (
                <tr key={r.school}>
                  <td>
                    <b>
                      {r.school === 'below'
                        ? `All below ${Math.round(workshop.swapLimitShare * 100)} %`
                        : SWAPS[r.school].name}
                    </b>
                    {workshop.swap === r.school && <Mute> · usual here</Mute>}
                    <br />
                    <Mute>{SWAPS[r.school].says}</Mute>
                  </td>
                  <td>
                    {r.places.length === pack.modules.length
                      ? `all ${r.places.length}`
                      : r.places.slice(0, 4).join(', ')}
                    {r.places.length > 4 &&
                      r.places.length < pack.modules.length &&
                      ` and ${r.places.length - 4} more`}
                  </td>
                  {m === null ? (
                    <td colSpan={4}>
                      <Mute>
                        The shelf lacks {r.lacking} of {r.places.length} that fit.
                      </Mute>
                    </td>
                  ) : (
                    <>
                      <td className="r">
                        {measuredText(m, 'A·h')}
                        <br />
                        <Mute>{r.endsIt} ends it</Mute>
                      </td>
                      <td className="r">
                        {km?.measured ? measuredText(inDistance(km), distanceUnit()) : '–'}
                      </td>
                      <td className="r">
                        {r.lastsYears
                          ? `${years(r.lastsYears.low)} to ${years(r.lastsYears.high)}`
                          : 'age not known'}
                      </td>
                      <td className="r">
                        {r.parts!.unpriced > 0 ? `${r.parts!.unpriced} without a price` : money(r.parts!.sum)}
                      </td>
                    </>
                  )}
                </tr>
              );
            })}
          </tbody>
        </DataTable>
        <Mute>
          From measured capacities alone. It lasts until the least of it holds 70 %, if it goes on with the
          square root of time; a donor’s own age is not known and counts as the pack’s.
        </Mute>
      </Stack>
    </Sheet>
  );
}
