import { GATED_STAGES } from '@cellmend/core/route';
import type { Job } from '@cellmend/contract/jobs';

/** What the page says then. */
export const STOPPED_HERE =
  'Stopped on this tablet. The server does not know it yet; it is told as soon as it answers.';

/** A job whose stop waits on this tablet for the server: its gate is closed here and now. */
export function closedHere(job: Job): Job {
  const route = { ...job.route };
  for (const s of GATED_STAGES) route[s] = { state: 'blocked', note: 'gate' };
  route['make-safe'] = { state: 'reopened', note: 'stopped' };
  return {
    ...job,
    route,
    gate: {
      ...job.gate,
      holds: false,
      proof: null,
      why: STOPPED_HERE,
    },
  };
}
