import { inUse, type InUse, type SimAsk } from '@cellmend/core/balance';
import { InputProblem } from '@cellmend/core/pack';

export interface VehicleQuestion {
  ask: SimAsk;
  withinV: number;
}
export type VehicleAnswer = { use: InUse } | { problem: string };

self.onmessage = ({ data }: MessageEvent<VehicleQuestion>): void => {
  let answer: VehicleAnswer;
  try {
    answer = { use: inUse(data.ask, data.withinV) };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    answer = { problem: e.what };
  }
  self.postMessage(answer);
};
