import {
  compareOptions,
  whatChanges,
  type Change,
  type OptionsAnswer,
  type OptionsAsk,
} from '@cellmend/core/cost';

export interface OptionsWorked {
  answer: OptionsAnswer;
  changes: Change[];
}
self.onmessage = ({ data }: MessageEvent<OptionsAsk>): void => {
  self.postMessage({ answer: compareOptions(data), changes: whatChanges(data) } satisfies OptionsWorked);
};
