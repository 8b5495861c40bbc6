import { useRef, useState } from 'react';
import { ApiProblem, send } from '../api/client';
import { Keys, UNCERTAIN } from '../api/keyFor';
import { useJobView } from './jobContext';

export interface Write {
  busy: boolean;
  problem: { what: string; where?: string; accepted?: string; code: string; current?: unknown } | null;
  run: <T>(path: string, body: unknown) => Promise<T | null>;
  forget: () => void;
}

/** One write of a job at a time: what was typed stays until the server has it, and what it says is shown. */
export function useWrite(): Write {
  const { job, refresh } = useJobView();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Write['problem']>(null);
  const keys = useRef(new Keys());
  return {
    busy,
    problem,
    forget: () => setProblem(null),
    run: async <T>(path: string, body: unknown) => {
      setBusy(true);
      setProblem(null);
      try {
        const answer = await send<T>(
          'POST',
          `/jobs/${job.number}${path}`,
          body,
          keys.current.of([path, body]),
        );
        keys.current.answered();
        await refresh();
        return answer;
      } catch (e) {
        keys.current.failed(e);
        setProblem(
          e instanceof ApiProblem
            ? {
                what: e.message,
                code: e.problem.type.replace('urn:cellmend:', ''),
                ...(e.problem.where ? { where: e.problem.where } : {}),
                ...(e.problem.accepted ? { accepted: e.problem.accepted } : {}),
                current: e.problem.current,
              }
            : { what: `The server is away. ${UNCERTAIN} What you typed stays here.`, code: 'away' },
        );
        return null;
      } finally {
        setBusy(false);
      }
    },
  };
}
