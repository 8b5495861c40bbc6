import type { Quote } from '@cellmend/contract/quotes';
import useSWR from 'swr';
import { get } from '../../api/client';
import { money } from '../../options/words';
import { day } from '../../ui/words';

export const useQuotes = (job: number) => useSWR<Quote[]>(`/jobs/${job}/quotes`, get);
/** The newest quote of which the owner chose an option. */
export const useChosenQuote = (job: number): Quote | undefined =>
  useQuotes(job).data?.find((q) => q.chosen !== null);

/** What was quoted, and what it came to. */
export function Quoted({ quote, cameTo }: { quote: Quote; cameTo: number | null }) {
  const option = quote.options.find((o) => o.name === quote.chosen);
  if (!option) return null;
  const { low, likely, high } = option.cost;
  return (
    <section>
      <h2>Quoted</h2>
      <p>
        {option.name}: {money(likely)}, {money(low)} at least and {money(high)} at most, chosen on{' '}
        {day(quote.at)}.{cameTo !== null && ` It came to ${money(cameTo)}.`}
      </p>
    </section>
  );
}
