import { useRef, useState } from 'react';
import { ApiProblem, send } from '../api/client';
import { Keys, UNCERTAIN } from '../api/keyFor';
import { useJobView } from './jobContext';

export interface Write {
  busy: boolean;
  problem: { what: string; where?: string; accepted?: string; code: string; current?: unknown } | null;
  run: <T>(path: string, body: unknown) => Promise<T | null>;
  /** The same for one of several: what was wrong with it, or null. */
  tell: (path: string, body: unknown) => Promise<Write['problem']>;
  forget: () => void;
}

/** One write of a job at a time: what was typed stays until the server has it, and what it says is shown. */
export function useWrite(): Write {
  const { job, refresh } = useJobView();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<Write['problem']>(null);
  const keys = useRef(new Keys());
  const tell = async (
    path: string,
    body: unknown,
  ): Promise<{ answer: unknown; problem: Write['problem'] }> => {
    setBusy(true);
    try {
      const answer = await send('POST', `/jobs/${job.number}${path}`, body, keys.current.of([path, body]));
      keys.current.answered();
      await refresh();
      return { answer, problem: null };
    } catch (e) {
      keys.current.failed(e);
      return {
        answer: null,
        problem:
          e instanceof ApiProblem
            ? {
                what: e.message,
                code: e.problem.type.replace('urn:cellmend:', ''),
                ...(e.problem.where ? { where: e.problem.where } : {}),
                ...(e.problem.accepted ? { accepted: e.problem.accepted } : {}),
                current: e.problem.current,
              }
            : { what: `The server is away. ${UNCERTAIN} What you typed stays here.`, code: 'away' },
      };
    } finally {
      setBusy(false);
    }
  };
  return {
    busy,
    problem,
    forget: () => setProblem(null),
    tell: async (path, body) => (await tell(path, body)).problem,
    run: async <T>(path: string, body: unknown) => {
      setProblem(null);
      const told = await tell(path, body);
      if (told.problem) setProblem(told.problem);
      return told.answer as T | null;
    },
  };
}
