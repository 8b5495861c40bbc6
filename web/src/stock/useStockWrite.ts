import { useRef, useState } from 'react';
import { useSWRConfig } from 'swr';
import { ApiProblem, send } from '../api/client';
import { Keys, UNCERTAIN } from '../api/keyFor';
import { pathOf } from '../api/live';

export interface StockWrite {
  busy: boolean;
  problem: { what: string; where?: string | undefined; accepted?: string | undefined } | null;
  run: <T>(path: string, body: unknown) => Promise<T | null>;
}

/** One write to the stock at a time, or to what else stands under an address; sent twice, it is stored once. */
export function useStockWrite(under = '/stock'): StockWrite {
  const { mutate } = useSWRConfig();
  const [busy, setBusy] = useState(false);
  const [problem, setProblem] = useState<StockWrite['problem']>(null);
  const keys = useRef(new Keys());
  return {
    busy,
    problem,
    run: async <T>(path: string, body: unknown) => {
      setBusy(true);
      setProblem(null);
      try {
        const answer = await send<T>('POST', path, body, keys.current.of([path, body]));
        keys.current.answered();
        await mutate((key) => pathOf(key)?.startsWith(under) ?? false);
        return answer;
      } catch (e) {
        keys.current.failed(e);
        setProblem(
          e instanceof ApiProblem
            ? { what: e.message, where: e.problem.where, accepted: e.problem.accepted }
            : { what: `The server is away. ${UNCERTAIN} What you typed stays here.` },
        );
        return null;
      } finally {
        setBusy(false);
      }
    },
  };
}
