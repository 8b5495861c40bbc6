import { normalisePack, type PackProfile } from '@cellmend/core/pack';
import { InputProblem } from '@cellmend/core/pack';
import { planStripdown, type PlanAsk, type StripPlan } from '@cellmend/core/stripdown';

/** What the page asks of the thread, by number. */
export interface PlanQuestion {
  id: number;
  profile: PackProfile;
  ask: PlanAsk;
}
export type PlanAnswer = { id: number } & ({ plan: StripPlan } | { problem: string });

self.onmessage = ({ data }: MessageEvent<PlanQuestion>): void => {
  const { id, profile, ask } = data;
  let answer: PlanAnswer;
  try {
    answer = { id, plan: planStripdown(normalisePack(profile), ask) };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    answer = { id, problem: e.message };
  }
  self.postMessage(answer);
};
