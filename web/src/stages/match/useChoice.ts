import type { StockPart } from '@cellmend/contract/stock';
import type { ReactNode } from 'react';
import { decisionOf } from '../../api/hooks';
import { useJobView } from '../../shell/jobContext';
import { useSigning } from '../../shell/signing';
import { useOnward } from '../../shell/useOnward';

export interface PlaceProps {
  question: string;
  place: string;
  places: string[];
  pick: ReactNode;
  donors: StockPart[];
}

/** Signs a donor for one place and leaves the choices for the others as they are. */
export function useChoice(place: string, places: string[]) {
  const { job } = useJobView();
  const signing = useSigning('match');
  const onward = useOnward();
  const decision = decisionOf(job, 'match');
  const others = (decision?.body.choices ?? []).filter((c) => c.place !== place && places.includes(c.place));
  return {
    signing,
    signed: decision?.body.choices.find((c) => c.place === place),
    sign: async (partId: string, findingIds: string[]): Promise<void> => {
      const choices = [...others, { place, partId }];
      if (
        (await signing.sign({ body: { topic: 'match', choices }, findingIds })) &&
        choices.length === places.length
      )
        onward(`/jobs/${job.number}/balance`);
    },
  };
}
