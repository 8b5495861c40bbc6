import { useRef, useState } from 'react';
import { ApiProblem, newKey, send } from '../api/client';
import { useJobView } from './jobContext';

export interface Write {
  busy: boolean;
  problem: { what: string; where?: string; accepted?: string; code: string } | null;
  run: <T>(path: string, body: unknown) => Promise<T | null>;
  forget: () => void;
}

/** One write of a job at a time: what was typed stays until the server has it, and what it says is shown. */
export function useWrite(): Write {
  const { job, refresh } = useJobView();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Write['problem']>(null);
  const key = useRef(newKey());
  return {
    busy,
    problem,
    forget: () => setProblem(null),
    run: async <T>(path: string, body: unknown) => {
      setBusy(true);
      setProblem(null);
      try {
        const answer = await send<T>('POST', `/jobs/${job.number}${path}`, body, key.current);
        key.current = newKey();
        await refresh();
        return answer;
      } catch (e) {
        // The same key again only while it is unknown whether the entry arrived.
        if (e instanceof ApiProblem) key.current = newKey();
        setProblem(
          e instanceof ApiProblem
            ? {
                what: e.message,
                code: e.problem.type.replace('urn:cellmend:', ''),
                ...(e.problem.where ? { where: e.problem.where } : {}),
                ...(e.problem.accepted ? { accepted: e.problem.accepted } : {}),
              }
            : { what: 'The server is away. Nothing is stored; what you typed stays here.', code: 'away' },
        );
        return null;
      } finally {
        setBusy(false);
      }
    },
  };
}
