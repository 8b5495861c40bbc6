import {
  benchDays,
  loadBank,
  type BankAsk,
  type BankPlan,
  type DaysAnswer,
  type DaysAsk,
} from '@cellmend/core/bench';
import { readyIn, type Ready, type ReadyAsk } from '@cellmend/core/quote';
import { InputProblem } from '@cellmend/core/pack';

/** What the page asks of the thread. */
export type BenchQuestion =
  | { kind: 'days'; ask: DaysAsk }
  | { kind: 'bank'; ask: BankAsk }
  /** When each of several repairs is ready, by name. */
  | { kind: 'ready'; ask: Record<string, ReadyAsk> };
export type BenchAnswer =
  | { days: DaysAnswer }
  | { bank: BankPlan }
  | { ready: Record<string, Ready> }
  | { problem: string; accepted: string };

self.onmessage = ({ data }: MessageEvent<BenchQuestion>): void => {
  let answer: BenchAnswer;
  try {
    answer =
      data.kind === 'days'
        ? { days: benchDays(data.ask) }
        : data.kind === 'bank'
          ? { bank: loadBank(data.ask) }
          : {
              ready: Object.fromEntries(Object.entries(data.ask).map(([name, ask]) => [name, readyIn(ask)])),
            };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    answer = { problem: e.what, accepted: e.accepted };
  }
  self.postMessage(answer);
};
