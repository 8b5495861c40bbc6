import type { Quote } from '@cellmend/contract/quotes';
import { useSession } from '../api/hooks';
import { useJobView } from '../shell/jobContext';
import { Button, DataTable, Mute, Sheet, Stack } from '../ui/parts';
import { distance, odometer } from '../ui/units';
import { day, fixed, percent } from '../ui/words';
import { daysOf, money, oneIn, whole } from './words';

/** The quote as the owner gets it. */
export function Paper({
  quote,
  onChoose,
  busy,
}: {
  quote: Quote;
  onChoose: ((name: string) => void) | null;
  busy: boolean;
}) {
  const { job } = useJobView();
  const { data: session } = useSession();
  return (
    <Sheet aria-label="Quote" as="article">
      <Stack>
        <h2>
          Quote: {job.title}
          {job.vehicle?.plate && `, ${job.vehicle.plate}`}
        </h2>
        <Mute>
          {session?.workshop} · job {job.number} · {day(quote.at)} · stands until {day(quote.validUntil)}
        </Mute>
        <DataTable>
          <thead>
            <tr>
              <th>Option</th>
              <th className="r">Costs</th>
              <th className="r">A year, likely</th>
              <th className="r">Range</th>
              <th className="r">Lasts</th>
              <th className="r">Ready in</th>
              <th className="r">Comes back</th>
              <th aria-label="Chosen" />
            </tr>
          </thead>
          <tbody>
            {quote.options.map((o) => (
              <tr key={o.name}>
                <td>
                  <b>{o.name}</b>
                  {o.says && (
                    <>
                      <br />
                      <Mute>{o.says}</Mute>
                    </>
                  )}
                </td>
                <td className="r">
                  {o.cost.low === o.cost.high
                    ? money(o.cost.low)
                    : `${whole(o.cost.low)} to ${money(o.cost.high)}`}
                </td>
                <td className="r">
                  {o.cost.high > 0
                    ? `${whole(o.costPerYear.p10)} to ${whole(o.costPerYear.p90)}`
                    : 'nothing now'}
                </td>
                <td className="r">{o.rangeKm ? distance(o.rangeKm.likely) : 'not known'}</td>
                <td className="r">
                  {o.yearsLeft.low === o.yearsLeft.high
                    ? `${fixed(o.yearsLeft.low, 1)} y`
                    : `${fixed(o.yearsLeft.low, 1)} to ${fixed(o.yearsLeft.high, 1)} y`}
                </td>
                {/* A quote from before says nothing of it. */}
                <td className="r">{o.readyDays ? daysOf(o.readyDays) : 'not known'}</td>
                <td className="r">{oneIn(o.comebackProbability)}</td>
                <td>
                  {quote.chosen === o.name ? (
                    <b>chosen</b>
                  ) : (
                    onChoose &&
                    quote.chosen === null && (
                      <Button
                        quiet
                        isDisabled={busy}
                        aria-label={`The owner chose ${o.name}`}
                        onPress={() => onChoose(o.name)}
                      >
                        Chosen
                      </Button>
                    )
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </DataTable>
        <p>
          {quote.note && `${quote.note} `}
          <Mute>
            Kept {fixed(quote.horizonYears, 0)} years, {odometer(quote.distanceKmPerYear)} a year. Costs a
            year hold what is paid now, over the years it lasts, and what it would cost if it came back, in{' '}
            {percent(0.8)} of simulated outcomes.
          </Mute>
        </p>
      </Stack>
    </Sheet>
  );
}
