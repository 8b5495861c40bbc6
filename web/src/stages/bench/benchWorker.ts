import {
  benchDays,
  loadBank,
  type BankAsk,
  type BankPlan,
  type DaysAnswer,
  type DaysAsk,
} from '@cellmend/core/bench';
import { InputProblem } from '@cellmend/core/pack';

/** What the page asks of the thread. */
export type BenchQuestion = { kind: 'days'; ask: DaysAsk } | { kind: 'bank'; ask: BankAsk };
export type BenchAnswer = { days: DaysAnswer } | { bank: BankPlan } | { problem: string; accepted: string };

self.onmessage = ({ data }: MessageEvent<BenchQuestion>): void => {
  let answer: BenchAnswer;
  try {
    answer = data.kind === 'days' ? { days: benchDays(data.ask) } : { bank: loadBank(data.ask) };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    answer = { problem: e.what, accepted: e.accepted };
  }
  self.postMessage(answer);
};
