import type { NewFinding } from '@cellmend/contract/findings';
import type { Finding } from '@cellmend/contract/records';
import { isEqual } from './equal';
import { useEffect, useState } from 'react';
import { ApiProblem, send } from '../api/client';
import { useJobView } from './jobContext';

const AGAIN_MS = 5000;

/**
 * The stored finding for a question, computed and stored once if the newest answers another. Somebody who only
 * reads sees the stored one, whatever it answers.
 */
export function useFinding<T>(ask: NewFinding | null): {
  finding: (Finding & { result: T }) | null;
  problem: ApiProblem | null;
} {
  const { job, findings, person, refresh } = useJobView();
  // Counts the tries while the server is away.
  const [turn, setTurn] = useState(0);
  const [problem, setProblem] = useState<ApiProblem | null>(null);
  const stored = ask ? findings.find((f) => f.topic === ask.topic) : undefined;
  const fits = stored !== undefined && ask !== null && isEqual(stored.parameters, ask);
  const wanted = ask && !fits && person.mayWrite ? JSON.stringify(ask) : null;
  useEffect(() => {
    if (!wanted) return;
    let gone = false;
    let timer: ReturnType<typeof setTimeout> | undefined;
    send('POST', `/jobs/${job.number}/findings`, JSON.parse(wanted))
      .then(async () => {
        if (!gone) await refresh();
      })
      .catch((e: unknown) => {
        if (gone) return;
        setProblem(e instanceof ApiProblem ? e : null);
        if (!(e instanceof ApiProblem)) timer = setTimeout(() => setTurn((t) => t + 1), AGAIN_MS);
      });
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [wanted, job.number, refresh, turn]);
  return { finding: (fits || !person.mayWrite ? stored : null) as never, problem };
}
