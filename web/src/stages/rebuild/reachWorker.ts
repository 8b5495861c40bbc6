import { inReach, type InReach } from '@cellmend/core/match';
import { normalisePack, type PackProfile } from '@cellmend/core/pack';

export interface ReachQuestion {
  profile: PackProfile;
  out: string[];
  suspects: string[];
}
self.onmessage = ({ data }: MessageEvent<ReachQuestion>) => {
  const moves: InReach[] = inReach(normalisePack(data.profile), data.out, data.suspects);
  self.postMessage(moves);
};
