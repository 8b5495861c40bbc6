import { fillPlaces, type PlacesAnswer, type PlacesAsk } from '@cellmend/core/match';
import { InputProblem, normalisePack, type PackProfile } from '@cellmend/core/pack';

export interface MatchQuestion {
  profile: PackProfile;
  asks: PlacesAsk[];
}
export type MatchAnswer = { answers: PlacesAnswer[] } | { problem: string };

self.onmessage = ({ data }: MessageEvent<MatchQuestion>): void => {
  let answer: MatchAnswer;
  try {
    const pack = normalisePack(data.profile);
    answer = { answers: data.asks.map((ask) => fillPlaces(pack, ask)) };
  } catch (e) {
    if (!(e instanceof InputProblem)) throw e;
    answer = { problem: e.what };
  }
  self.postMessage(answer);
};
