import {
  benchDays,
  judgeHeld,
  loadBank,
  type BankAsk,
  type BankPlan,
  type DaysAnswer,
  type DaysAsk,
  type HeldJudged,
  type HeldReading,
} from '@cellmend/core/bench';
import { readyIn, type Ready, type ReadyAsk } from '@cellmend/core/quote';
import { InputProblem, type PackProfile } from '@cellmend/core/pack';

/** A module that is left alone, with what is known of it. */
export interface HoldAsk {
  profile: PackProfile;
  cells: number;
  readings: HeldReading[];
  known: { socFraction: number | null; capacityAh: number | null };
}

/** What the page asks of the thread. */
export type BenchQuestion =
  | { kind: 'days'; ask: DaysAsk }
  | { kind: 'bank'; ask: BankAsk }
  /** Hold tests, each judged by itself. */
  | { kind: 'holds'; ask: HoldAsk[] }
  /** When each of several repairs is ready, by name. */
  | { kind: 'ready'; ask: Record<string, ReadyAsk> };
export type BenchAnswer =
  | { holds: (HeldJudged | null)[] }
  | { days: DaysAnswer }
  | { bank: BankPlan }
  | { ready: Record<string, Ready> }
  | { problem: string; accepted: string };

function answerTo(question: BenchQuestion): BenchAnswer {
  switch (question.kind) {
    case 'days':
      return { days: benchDays(question.ask) };
    case 'bank':
      return { bank: loadBank(question.ask) };
    case 'holds':
      return {
        holds: question.ask.map(({ profile, cells, readings, known }) =>
          judgeHeld(profile, cells, readings, known),
        ),
      };
    case 'ready':
      return {
        ready: Object.fromEntries(Object.entries(question.ask).map(([name, ask]) => [name, readyIn(ask)])),
      };
  }
}

self.onmessage = ({ data }: MessageEvent<BenchQuestion>): void => {
  let answer: BenchAnswer;
  try {
    answer = answerTo(data);
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    answer = { problem: e.what, accepted: e.accepted };
  }
  self.postMessage(answer);
};
