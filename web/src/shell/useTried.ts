import type { AskOf, Finding, FindingTopic, NewFinding, ResultOf, Tried } from '@cellmend/contract/findings';
import useSWR from 'swr';
import { ApiProblem, send } from '../api/client';
import { useJobView } from './jobContext';

/** What would be found for a question; looking at it stores nothing, and of null nothing is asked. */
export function useTried<T extends FindingTopic>(
  ask: AskOf<T> | null,
): { result: ResultOf<T> | null; problem: ApiProblem | null } {
  const { job } = useJobView();
  const key = `/jobs/${job.number}/findings/try`;
  const { data, error } = useSWR<Tried<T>, unknown>(
    ask && [key, JSON.stringify(ask)],
    () => send<Tried<T>>('POST', key, ask!),
    { keepPreviousData: true, errorRetryInterval: 5000 },
  );
  return { result: data?.result ?? null, problem: error instanceof ApiProblem ? error : null };
}

/** Computes and keeps what is about to be signed, so that the signature names it. */
export const keepFinding = (job: number, ask: NewFinding): Promise<Finding> =>
  send<Finding>('POST', `/jobs/${job}/findings`, ask);
